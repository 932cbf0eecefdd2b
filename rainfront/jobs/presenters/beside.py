"""What stays in sight beside a page with one column: the charge line, the likeliest faults, the newest evidence."""

from __future__ import annotations

from dataclasses import dataclass

from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.bench import scene_of
from rainfront.jobs.presenters.log import LogRow, log_of
from rainfront.jobs.presenters.suspects import Suspect, suspects_of
from rainfront.web.scenes import charge_line

SHOWN_SUSPECTS, SHOWN_LINES = 3, 5


@dataclass(frozen=True)
class Beside:
    """What is shown."""

    scene: charge_line.Scene
    suspects: list[Suspect]
    lately: list[LogRow]


def beside_of(basis: Basis) -> Beside:
    """Work it out."""
    rows = log_of(basis, most=SHOWN_LINES, evidence=True).rows
    return Beside(scene_of(basis), suspects_of(basis)[:SHOWN_SUSPECTS], rows)
