"""Pages of the counter."""
