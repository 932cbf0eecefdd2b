"""Jobs: from the counter to a proven repair."""
