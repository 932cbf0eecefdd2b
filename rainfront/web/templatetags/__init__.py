"""Tags that every template has."""
