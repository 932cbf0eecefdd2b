"""The computation behind Rainfront: pure Python and numpy, no web framework, no clock, no environment.

Rooms, in the order in which they may import (each only those before it): base, knowledge, case, electrical, grading,
hazards, trace, repair, proving, diagnosis, decision, learning, insight. `standin` stands beside them: one simulated
device and its instruments, which no room needs.
"""
