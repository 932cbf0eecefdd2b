"""Which dangers stand on a case, and which acts they forbid.

Rules: a danger to the person or the device outranks everything that arithmetic says. What raises a hazard, what it
forbids and what leads out of it is knowledge (hazards.toml); here it is only followed through a case's events. Exports:
`standing` (dangers_of, forbidding, way_out).
"""
