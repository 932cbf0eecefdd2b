"""The bench's own tools and consumables: when each was tested, what is running out, and what rests on it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from django.db import transaction
from django.utils import timezone

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import UNITS, parse_quantity, shortest
from chargepath.knowledge import Knowledge
from chargepath.knowledge.upkeep import BenchTest
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.stock.models import BenchNeed, BenchTestRun
from rainfront.web.secrets import refuse_unlock_code
from rainfront.web.words import counted

# Days ahead on which a use-by date is said.
SOON_DAYS = 14


@dataclass(frozen=True)
class TestRow:
    """A test of the bench as it stands today: `state` is '' where it holds and is not due."""

    test: BenchTest
    last: BenchTestRun | None
    said: str
    state: str
    due: bool


@dataclass(frozen=True)
class NeedRow:
    """A consumable or a tool as it stands today: `state` is '' where there is enough of it."""

    name: str
    need: BenchNeed | None
    state: str
    spent: str
    keeps_days: int


@needs(Right.MEASURE)
@transaction.atomic
def enter_test(
    known: Knowledge,
    name: str,
    *,
    typed: str = "",
    holds: bool | None = None,
    note: str = "",
    user: User,
    now: datetime,
) -> BenchTestRun:
    """Store how a test of the bench went; where it has a number, the number says whether it holds.

    Parameters
    ----------
    typed : str
        The reading as a person types it, in the unit of the test.
    holds : bool, optional
        What the person says of a test without a number.

    Raises
    ------
    ReadingError
        There is no such test, no reading, or nobody says whether it holds; nothing is stored.

    """
    test = known.upkeep.tests.get(name)
    if test is None:
        raise ReadingError("there is no such test", "test", "choose one of the list")
    refuse_unlock_code(note, "note")
    reading = None
    if test.unit:
        known_unit = test.unit if test.unit in UNITS else ""
        reading = parse_quantity(typed if known_unit else typed.strip().removesuffix(test.unit), known_unit, "reading")
        if reading < 0:
            raise ReadingError(f"{shortest(reading)} {test.unit} cannot be", "reading", test.right)
        holds = test.holds(reading)
    if holds is None:
        raise ReadingError("nobody says whether it holds", test.label, "press one of the two")
    made: BenchTestRun = BenchTestRun.objects.create(
        test=name, reading=reading, holds=holds, note=note.strip()[:200], by=user, at=now
    )
    return made


@needs(Right.MEASURE)
@transaction.atomic
def note_need(
    known: Knowledge, name: str, state: str, use_by: date | None = None, note: str = "", *, user: User, now: datetime
) -> BenchNeed:
    """Store how a consumable or a tool stands.

    Raises
    ------
    ReadingError
        No plan names it, or there is no such state; nothing is stored.

    """
    if name not in {*consumables_of(known), *tools_named(known)}:
        raise ReadingError("no plan names that", "name", "choose one of the list")
    if state not in BenchNeed.State.values:
        raise ReadingError("that says nothing of how much there is", "state", "there, running low, or none here")
    refuse_unlock_code(note, "note")
    made: BenchNeed = BenchNeed.objects.create(
        name=name, state=state, use_by=use_by, note=note.strip()[:200], by=user, at=now
    )
    return made


def consumables_of(known: Knowledge) -> list[str]:
    """Everything that a plan uses up, by name."""
    return sorted(known.procedures.materials(), key=str.casefold)


def tools_named(known: Knowledge) -> list[str]:
    """Every tool that a plan names."""
    work = known.procedures
    named = {name for step in work.steps() for name in step.tools}
    return sorted({tool.label for tool in work.tools.values()} | named, key=str.casefold)


def test_rows(known: Knowledge, now: datetime) -> list[TestRow]:
    """Every test of the bench, those that are due or do not hold first."""
    last = BenchTestRun.objects.newest("test")
    rows = [_test_row(test, last.get(name), now) for name, test in known.upkeep.tests.items()]
    return sorted(rows, key=lambda row: not row.due)


def _test_row(test: BenchTest, last: BenchTestRun | None, now: datetime) -> TestRow:
    if last is None:
        return TestRow(test, None, "never tested here", "never tested here", True)
    today, on = timezone.localdate(now), timezone.localdate(last.at)
    days = (today - on).days
    when = "today" if days == 0 else "yesterday" if days == 1 else f"{counted(days, 'day')} ago"
    read = f": {shortest(last.reading)} {test.unit}" if last.reading is not None else ""
    said = f"tested {when}{read}"
    if not last.holds:
        return TestRow(test, last, said, f"did not hold {when}", True)
    late = (today - due).days if (due := test.due_on(on)) else 0
    if late >= 0:
        return TestRow(test, last, said, "due today" if late == 0 else f"{counted(late, 'day')} overdue", True)
    return TestRow(test, last, said, "", False)


def behind(known: Knowledge, check: str, now: datetime) -> list[TestRow]:
    """How the tests stand that a check rests on; none for a check that rests on none."""
    tests = known.upkeep.behind(check)
    last = BenchTestRun.objects.filter(test__in=[test.id for test in tests]).newest("test") if tests else {}
    return [_test_row(test, last.get(test.id), now) for test in tests]


def need_rows(known: Knowledge, names: Sequence[str], now: datetime) -> list[NeedRow]:
    """How consumables or tools stand, those with something wrong first, then in the order that they are given in."""
    found = BenchNeed.objects.newest("name")
    rows = []
    for name in names:
        need, kept = found.get(name), known.upkeep.consumables.get(name)
        state = need_state(need, timezone.localdate(now))
        spent, days = (kept.spent, int(kept.keeps_days)) if kept else ("", 0)
        rows.append(NeedRow(name=name, need=need, state=state, spent=spent, keeps_days=days))
    return sorted(rows, key=lambda row: not row.state)


def need_state(need: BenchNeed | None, today: date) -> str:
    """What is wrong with a consumable or a tool, in words; '' where nothing is."""
    if need is None:
        return ""
    if need.state == BenchNeed.State.NONE:
        return "none here"
    if need.use_by is not None and need.use_by < today:
        return "past its date"
    if need.state == BenchNeed.State.LOW:
        return "running low"
    if need.use_by is not None and (days := (need.use_by - today).days) <= SOON_DAYS:
        return f"good for {counted(days, 'day')}"
    return ""


def states_of(names: Iterable[str], now: datetime) -> Mapping[str, str]:
    """What is wrong with each of some consumables and tools, those with nothing wrong left out."""
    found, today = BenchNeed.objects.filter(name__in=list(names)).newest("name"), timezone.localdate(now)
    return {name: state for name, need in found.items() if (state := need_state(need, today))}


def due_words(known: Knowledge, now: datetime) -> str:
    """Which tests of the bench are due, in words; '' where none is, and where the shop never entered one."""
    last: dict[str, Any] = BenchTestRun.objects.newest("test")
    if not last:
        return ""
    due = [
        row.test.label for test in known.upkeep.tests.values() if (row := _test_row(test, last.get(test.id), now)).due
    ]
    more = f" and {len(due) - 2} more" if len(due) > 2 else ""
    return f"{', '.join(due[:2])}{more}" if due else ""
