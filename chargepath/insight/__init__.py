"""Looking back over closed jobs: shares and means with their intervals (`intervals`), and what they are taken of
(`figures`).

Rules: every figure carries its count and its interval; under `FEW` cases it says that there are too few.
"""
