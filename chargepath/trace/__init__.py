"""Charger current over time: reading a text, a meter's lines, phases, expectation, verdict, guided routines.

Rules: a record is graded by the same limits and expectation as a typed value; nothing is stored here.
"""
