"""Hostile input from a seed: short runs belong to `make test`, long ones to `make exhaustive`."""
