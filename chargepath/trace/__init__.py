"""Charger current over time: reading a record, cutting it into phases, grading it."""
