"""Short ways to make what tests need."""

from __future__ import annotations

import math
from datetime import UTC, datetime
from decimal import Decimal
from functools import cache
from typing import Any
from unittest.mock import patch

from chargepath.case.entries import Case, Device, Event
from chargepath.case.quickline import parse_line
from chargepath.diagnosis.belief import Belief, assess
from chargepath.diagnosis.model import Model
from chargepath.knowledge.loader import shipped

NOW = datetime(2026, 3, 2, 9, 30, tzinfo=UTC)
PASSWORD = "quay-side"
# Quick lines that no two faults explain.
THREE_AT_ONCE = [
    "wiggle drops",
    "report erratic",
    "port lint plug_proud object",
    "joint moves",
    "rail 2/400",
    "idle 1.0",
    "sense faulty",
    "power 3/512",
    "power 2/512 at board",
    "hot part",
]


def device(words: str = "phone usb_c sub_board", value: float | None = None) -> Device:
    """A device from words, as in `tablet micro_b none wireless`."""
    kind, connector, carrier, *rest = words.split()
    default = shipped().costs.default_value[kind]
    return Device(kind, connector, carrier, "wireless" in rest, default if value is None else value)


def case(lines: list[str], words: str = "phone usb_c sub_board", history: tuple[str, ...] = ()) -> Case:
    """A case from quick lines."""
    return Case(device(words), history, tuple(_parsed(line, words) for line in lines))


@cache
def _parsed(line: str, words: str) -> Event:
    return parse_line(line, shipped(), device(words))


def believe(lines: list[str], words: str = "phone usb_c sub_board", history: tuple[str, ...] = ()) -> Belief:
    """The belief after quick lines."""
    made = case(lines, words, history)
    return assess(Model(shipped(), made.device, made.history), made)


def judged(job: Any, person: Any = None) -> Any:
    """The job's one judgement, by the numbers in force, fetched afresh."""
    return judged_job(job, person).core


def judged_job(job: Any, person: Any = None) -> Any:
    """The same with the parts and the shelf."""
    from rainfront.jobs.judging import judgement_for
    from rainfront.jobs.models import Job
    from rainfront.workshop.adapters import Shop

    return judgement_for(Job.objects.get(pk=job.pk), person, Shop.current())


def empty_files() -> None:
    """Nothing lies in the tests' folder of files."""
    from django.core.files.storage import default_storage

    default_storage._root._children.clear()


def make_user(name: str = "tech", role: str = "technician") -> Any:
    """A person who can sign in."""
    from rainfront.people.models import User

    return User.objects.create_user(username=name, password=PASSWORD, initials=name[:2].upper(), role=role)


def hold_likeness(test: Any) -> None:
    """Keep what a process knows of closed jobs as it is for the length of a test that counts queries.

    It is looked for again after a second, which a busy machine may need between two requests; and what was kept of
    another test's jobs is forgotten.
    """
    from rainfront.logbook import alike

    alike.forget()
    kept = patch.object(alike, "SEEN_AFTER_S", math.inf)
    kept.start()
    test.addCleanup(alike.forget)
    test.addCleanup(kept.stop)


def handed_on(job: Any, note: str = "no more here", faults: tuple[str, ...] = (), **hand: Any) -> Any:
    """A job that was handed back to its customer, closed up again where it was opened."""
    from rainfront.proof import actions

    return actions.refer_job(job, faults, note, why="other", to="the customer", leaves_as="closed", **hand)


def make_job(user: Any, lines: tuple[str, ...] = (), **details: Any) -> Any:
    """A job, with quick lines played on it."""
    from rainfront.jobs import actions

    given = {
        "model_name": "Orvane D2",
        "customer": "deck crew",
        "kind": "phone",
        "connector": "usb_c",
        "carrier": "sub_board",
        "wireless": False,
        "value": Decimal("160"),
        "limit": None,
        "complaint": "does not charge",
        "history": [],
        "battery_percent": 12,
        "backup": "done",
        **details,
    }
    job = actions.take_in(given, user=user, now=NOW)
    for line in lines:
        actions.record_line(job, line, user=user, now=NOW)
    job.refresh_from_db()
    return job
