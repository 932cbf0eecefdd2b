"""Pages of the boards."""
