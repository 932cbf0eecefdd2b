"""From numbers to verdicts: grades with the expectation they were held against, whole sheets, where they point, the
proof.

Rules: a verdict says what it was held against; what reaches the belief is the likelihood of the reading, not only its
label.
"""
