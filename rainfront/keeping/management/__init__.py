"""Commands that keep the data."""
