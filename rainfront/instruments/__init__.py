"""Instruments: charger-current records, live meters, guided routines."""
