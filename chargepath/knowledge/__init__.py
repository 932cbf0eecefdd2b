"""What the program knows about the trade: data files, their dataclasses and their loader."""

from chargepath.knowledge.definitions import Check, Fault, Knowledge, Route
from chargepath.knowledge.loader import load, shipped

__all__ = ["Check", "Fault", "Knowledge", "Route", "load", "shipped"]
