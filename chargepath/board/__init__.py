"""A board as a map: pads with their nets, read from open files; nearest pads and landings; pictures laid over it.

Rules: pure geometry, without a device, a job or a role. A file is read strictly: a line whose numbers are not where
they belong is left out and named, never guessed at. Coordinates are millimetres, x to the right and y downwards, as
somebody sees the board from its top.
"""
