"""The list of the day: where each open job stands, and which to pick up now."""
