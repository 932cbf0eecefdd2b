"""What may be wrong: sets of faults, the likelihood of every observation in each of them, one forward pass.

Rules: evidence multiplies; a repair moves mass; nothing here knows of minutes or money. Arrays over states have shape
(n_states,).
"""
