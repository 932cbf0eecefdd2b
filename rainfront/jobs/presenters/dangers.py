"""Dangers that stand on a job, in words, with the way out of each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.urls import reverse

from chargepath.base.quantities import show
from chargepath.base.sentences import inside
from chargepath.hazards.standing import Danger
from chargepath.knowledge import Knowledge
from chargepath.knowledge.hazards import Hazard
from chargepath.knowledge.wording import Caution
from rainfront.jobs.extensions import Link
from rainfront.jobs.models import Job


@dataclass(frozen=True)
class DangerRow:
    """One danger: what it is, why it stands, what not to do, the way out, and whether the lead may overrule it."""

    hazard: Hazard
    because: str
    caution: Caution
    way: tuple[Link, ...]
    overrule: bool


def danger_rows(job: Job, dangers: Sequence[Danger], known: Knowledge) -> list[DangerRow]:
    """Every danger that stands, the gravest first."""
    return [
        DangerRow(
            danger.hazard,
            because(danger, known),
            known.cautions[danger.hazard.caution],
            tuple(_link(job, name, known) for name in danger.todo),
            danger.hazard.overrule,
        )
        for danger in dangers
    ]


def because(danger: Danger, known: Knowledge) -> str:
    """Why a danger stands."""
    raised = danger.raised
    if raised.told:
        return f"told: {inside(known.history[raised.told])}"
    if raised.seen:
        return "reported"
    if raised.mishap:
        return "a mishap that was entered"
    check = known.checks[raised.check]
    if danger.value is not None and danger.limit is not None:
        unit, crossed = check.values[raised.value].unit, "under" if danger.value < danger.limit else "over"
        return f"{inside(check.label)}: {show(danger.value, unit)}, {crossed} {show(danger.limit, unit)}"
    return f"{inside(check.label)}: {check.name(raised.sign or raised.grade)}"


def _link(job: Job, name: str, known: Knowledge) -> Link:
    if name in known.checks:
        return Link(known.checks[name].label, reverse("jobs:check", args=[job.pk, name]))
    return Link(known.routes[name].label, reverse("jobs:choose", args=[job.pk, name]))
