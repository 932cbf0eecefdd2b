"""Readings along the path as evidence of the job, renewed with each of them."""

from __future__ import annotations

from rainfront.inside import adapters
from rainfront.jobs.writing import Log


def keep_path(log: Log) -> None:
    """Keep what all sheets and the ladder since the last repair say together; nothing where nothing was probed."""
    found = adapters.path_event(log.job, log.practice.known)
    if found is not None:
        log.keep_path(*found)
