"""Proving a repaired device: what it has to show, what its readings say, what a live meter sees, likely slips, seals.

Pure computation: no clock, no interface.
"""
