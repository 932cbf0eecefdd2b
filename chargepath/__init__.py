"""The computation behind Rainfront: pure Python and numpy, no web framework, no clock, no environment.

Rooms, in the order in which they may import (each only those before it): base, knowledge, case, electrical, grading,
trace, diagnosis, decision, learning. `standin` stands beside them.
"""
