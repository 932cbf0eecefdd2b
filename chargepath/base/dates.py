"""Days and months as people count them: a warranty that began on the 31st, a day of 23 hours."""

from __future__ import annotations

import calendar
from datetime import date, datetime, tzinfo


def months_later(day: date, months: int) -> date:
    """The same day of a later month, or its last one where it has none.

    Examples
    --------
    >>> months_later(date(2026, 1, 31), 1), months_later(date(2027, 11, 30), 3)
    (datetime.date(2026, 2, 28), datetime.date(2028, 2, 29))

    """
    year, month = divmod(day.year * 12 + day.month - 1 + months, 12)
    return date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))


def warranty_until(handed_at: datetime, months: int, zone: tzinfo) -> date:
    """The last day of a warranty: so many months after the day on which it was handed over, by the shop's own clock.

    Parameters
    ----------
    handed_at : datetime
        Aware.
    months : int
    zone : tzinfo
        The shop's.

    """
    return months_later(handed_at.astimezone(zone).date(), months)


def in_warranty(until: date | None, at: datetime, zone: tzinfo) -> bool:
    """Whether a moment still lies within a warranty: its last day counts whole."""
    return until is not None and at.astimezone(zone).date() <= until
