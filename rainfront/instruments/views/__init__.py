"""Thin views of records, live meters and routines."""
