"""What every room stands on: typed errors, numbers as people type them, array types.

Rules: imports nothing of the program. Errors carry what was wrong, where, and what would be right; a number that can
be read in two ways is asked about, never guessed.
"""
