"""Boards as maps: brought in or named on pictures, confirmed by a person, looked at and worked with on a job."""
