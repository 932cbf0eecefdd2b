"""Who works here, and the workshop they work in."""
