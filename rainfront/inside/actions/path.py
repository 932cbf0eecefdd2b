"""Readings along the path as evidence of the job, renewed with each of them."""

from __future__ import annotations

from collections.abc import Sequence

from rainfront.inside.models import Point, Sheet
from rainfront.inside.probed import Probed, probed_on
from rainfront.jobs.writing import Log


def keep_path(log: Log, sheets: Sequence[Sheet] | None = None, just_stored: Point | None = None) -> Probed:
    """Keep what all sheets and the ladder since the newest repair say together; nothing where nothing was probed.

    `sheets` are what `path_sheets` gave, `just_stored` a reading that was stored after that.
    """
    probed = probed_on(log.job, log.shop.known, sheets, just_stored)
    if probed.event is not None:
        log.keep_path(*probed.event)
    return probed
