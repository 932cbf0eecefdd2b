"""What a meter shows and why: junctions and leaks, references, lines, the ladder, wire, bench supply, battery lines.

Rules: physics and statistics of readings, without a case or a belief. Every formula says its equation, its source and
a worked example; every constant its basis.
"""
