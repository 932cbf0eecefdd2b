"""What can be wrong with a simulated device, in one vocabulary: the ids of the knowledge's faults.

The meter's device, the probed board and the whole device each simulate some of them. What follows a point says which
way it broke, where there are several. Ids are all that is shared: how often it comes and what it does is each one's
own.
"""

from __future__ import annotations

GOOD = "good"


def fault_of(name: str) -> str:
    """The fault's id in the knowledge; '' for a good device.

    Examples
    --------
    >>> fault_of("carrier_fault.leak"), fault_of("good")
    ('carrier_fault', '')

    """
    return "" if name == GOOD else name.partition(".")[0]
