"""Profiles: TOML files that describe which commands an instrument takes and how its lines of readings are written.

Rules: pure text and numbers, without a connection or a clock. A line is taken only where all of it is as the profile
says, and a value only where it is a finite number, or the sign of an overload that the profile names. No expression
that somebody typed is ever run: a template is literal text with fields.
"""
