"""Hostile input from a seed: short runs belong to `make test`, the long ones have `make fuzz`."""
