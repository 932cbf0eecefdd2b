"""When to order a part: by its stock, its use, and how many days a new one takes to come."""

from __future__ import annotations

import math

# Days over which use is counted.
USE_DAYS = 30


def what_to_do(there: int, used: int, days: float) -> str:
    """Count where it is below nothing, order where it will not last until new ones are here; '' where it will.

    Parameters
    ----------
    there : int
        Parts on the shelf.
    used : int
        Parts used in the last `USE_DAYS` days.
    days : float
        Days until new ones are here.

    Examples
    --------
    Six used in 30 days are two in ten days.

    >>> what_to_do(3, 6, 10.0), what_to_do(2, 6, 10.0)
    ('', 'order: 2 will be used before new ones are here')

    """
    if there < 0:
        return "count again: more were used than came in"
    if there == 0:
        return "none left, order"
    lasting = math.ceil(used / USE_DAYS * days)
    return f"order: {lasting} will be used before new ones are here" if there <= lasting else ""
