"""The cell desk: whether a flat cell may be charged from the supply, how it goes, and the watch while it does."""
