"""How much of a grid a test covers: a sharp sample in `make test`, the whole grid in `make exhaustive`."""

from __future__ import annotations

import os
from typing import TypeVar

from django.test import tag

EXHAUSTIVE = os.environ.get("RAINFRONT_EXHAUSTIVE") == "yes"
T = TypeVar("T")

# Marks what runs in `make exhaustive` alone: kills, crowds, old versions, every page at every width.
exhaustive = tag("exhaustive")


def sized(sample: T, whole: T) -> T:
    """Return `sample`, or `whole` where the run is exhaustive."""
    return whole if EXHAUSTIVE else sample
