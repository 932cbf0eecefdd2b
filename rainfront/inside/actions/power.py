"""The ladder, the bench supply, the battery's lines."""

from __future__ import annotations

from datetime import datetime

from chargepath.case.entries import CheckEvent
from chargepath.electrical.ladder import check_volts, judge_ladder
from chargepath.electrical.sense import SenseVerdict
from chargepath.electrical.supply import judge_supply
from rainfront.inside.actions.path import keep_path
from rainfront.inside.models import Ladder
from rainfront.inside.sense_words import sense_words
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.writing import open_job
from rainfront.people.models import User
from rainfront.reference.adapters import good_idle
from rainfront.web.verdicts import hop_words, idle_words, start_words
from rainfront.workshop.adapters import Shop


def store_ladder(
    job: Job | int,
    volts: dict[str, float],
    amps: float,
    second: dict[str, float] | None = None,
    second_amps: float | None = None,
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Ladder:
    """Store a ladder and enter what its rungs are as checks.

    Parameters
    ----------
    volts, second : mapping of rung id to float
        Volts at the first and, where it was measured, at the second current [V].
    amps, second_amps : float
        Both currents [A].

    Raises
    ------
    ReadingError, DangerError, JobError
        Impossible values, or a danger forbids a charger; nothing is stored.

    """
    with open_job(job, user, now, shop) as log:
        known = log.shop.known
        log.refuse_current("charger")
        hops = judge_ladder(known, volts, amps, connector=log.job.connector)
        if second and second_amps is not None:
            check_volts(known, second, second_amps)
        ladder = Ladder.objects.create(
            job=log.job, volts=volts, amps=amps, second=second or {}, second_amps=second_amps, by=user, at=now
        )
        guilty = [hop_words(hop, known) for hop in hops if hop.guilty]
        text = f"ladder: {guilty[0]}" if guilty else f"ladder: {len(hops)} sections, none drops too much"
        log.event(text[:300], "ladder")
        made = [
            log.add(CheckEvent(rung.check, values={"volts": volts[rung.id]}), "from the ladder")
            for rung in known.rungs.values()
            if rung.check and rung.id in volts
        ]
        ladder.entries.add(*made)
        keep_path(log)
    return ladder


def enter_supply(
    job: Job | int,
    before: float | None,
    after: float | None,
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Entry | None:
    """Enter the current from a bench supply [A]; the check is made of what flows before the power key.

    A model's own limits decide the grade where there are some.

    Raises
    ------
    ReadingError, JobError

    """
    with open_job(job, user, now, shop) as log:
        found = judge_supply(log.shop.known, before, after, good_idle(log.job.model_name))
        if found.start:
            log.event(f"supply: {start_words(found)}", "supply")
        if before is None:
            return None
        event = CheckEvent("supply_idle", grade=found.grade, values={"amps": before})
        return log.add(event, idle_words(found))


def enter_sense(
    job: Job | int, found: list[SenseVerdict], *, user: User, now: datetime, shop: Shop | None = None
) -> Entry:
    """Enter battery lines as one check: clean only where all of them are."""
    grade = "faulty" if any(verdict.grade == "faulty" for verdict in found) else "clean"
    text = "; ".join(sense_words(verdict) for verdict in sorted(found, key=lambda row: row.grade != "faulty"))
    with open_job(job, user, now, shop) as log:
        return log.add(CheckEvent("sense_lines", grade=grade), text)
