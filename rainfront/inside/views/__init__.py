"""Thin views of what is measured inside."""
