"""Insights: what closed jobs say of the shop."""
