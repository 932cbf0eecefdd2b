"""The ladder, the bench supply, the battery's lines."""

from __future__ import annotations

from datetime import datetime

from django.db import transaction

from chargepath.case.entries import CheckEvent
from chargepath.electrical.ladder import check_volts, judge_ladder
from chargepath.electrical.sense import SenseVerdict
from chargepath.electrical.supply import judge_supply
from chargepath.knowledge import shipped
from rainfront.inside.models import Ladder
from rainfront.jobs.actions import record_event
from rainfront.jobs.actions.log import require_open, write
from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User
from rainfront.reference.adapters import good_idle

# Which rung is which check.
RUNG_CHECKS = {"carrier": "input_volts_port", "charge_ic": "input_volts_board", "cell": "battery_volts"}


def store_ladder(
    job: Job,
    volts: dict[str, float],
    amps: float,
    second: dict[str, float] | None = None,
    second_amps: float | None = None,
    *,
    user: User,
    now: datetime,
) -> Ladder:
    """Store a ladder and enter what its rungs are as checks.

    Raises
    ------
    ReadingError, JobError
        Impossible values; nothing is stored.

    """
    known = shipped()
    hops = judge_ladder(known, volts, amps)
    if second and second_amps is not None:
        check_volts(known, second, second_amps)
    with transaction.atomic():
        require_open(job)
        ladder = Ladder.objects.create(
            job=job, volts=volts, amps=amps, second=second or {}, second_amps=second_amps, by=user, at=now
        )
        guilty = [hop.says for hop in hops if hop.guilty]
        text = f"ladder: {guilty[0]}" if guilty else f"ladder: {len(hops)} hops, none drops too much"
        write(job, Entry.EntryKind.EVENT, text[:300], user=user, now=now, name="ladder")
        for rung, check in RUNG_CHECKS.items():
            if rung in volts:
                event = CheckEvent(check, values={"volts": volts[rung]})
                entry = record_event(job, event, user=user, now=now, text="from the ladder")
                ladder.entries.add(entry)
    return ladder


def enter_supply(job: Job, before: float | None, after: float | None, *, user: User, now: datetime) -> Entry | None:
    """Enter the current from a bench supply; the check is made of what flows before the power key.

    A model's own limits decide the grade where there are some.

    Raises
    ------
    ReadingError, JobError

    """
    good = good_idle(job.model_name)
    found = judge_supply(shipped(), before, after, good)
    with transaction.atomic():
        require_open(job)
        if found.after:
            write(job, Entry.EntryKind.EVENT, f"supply: {found.after}", user=user, now=now, name="supply")
        if before is None:
            return None
        event = CheckEvent("supply_idle", grade=found.grade, values={"amps": before})
        return record_event(job, event, user=user, now=now, text=f"{found.before}; {found.limits}"[:300])


def enter_sense(job: Job, found: list[SenseVerdict], *, user: User, now: datetime) -> Entry:
    """Enter battery lines as one check: clean only where all of them are."""
    grade = "faulty" if any(verdict.grade == "faulty" for verdict in found) else "clean"
    text = "; ".join(verdict.says for verdict in sorted(found, key=lambda verdict: verdict.grade != "faulty"))
    return record_event(job, CheckEvent("sense_lines", grade=grade), user=user, now=now, text=text[:300])
