"""Seal tests and the chamber that they are made in."""

from __future__ import annotations

from datetime import datetime

from chargepath.base.quantities import figure
from chargepath.base.sentences import inside
from chargepath.proving.sealing import Decay, chamber_volume, check_decay
from rainfront.jobs.models import Job
from rainfront.jobs.writing import JobError, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right, require
from rainfront.proof.models import Chamber, SealTest
from rainfront.workshop.adapters import Shop

# Dangers with which no vacuum is drawn on a device.
NO_VACUUM = ("cell_swollen", "cell_damaged", "cell_hot")


def record_seal(
    job: Job | int, when: str, decay: Decay, *, user: User, now: datetime, shop: Shop | None = None
) -> SealTest:
    """Keep a seal test.

    Raises
    ------
    ReadingError, JobError
        What was read cannot be, it says neither before nor after, or a cell is swollen, damaged or hot.

    """
    check_decay(decay)
    if when not in SealTest.When.values:
        raise JobError(f"'{when}' is no time for it", "when", "before or after")
    with open_job(job, user, now, shop) as log:
        danger = next((danger for danger in log.dangers if danger.hazard.id in NO_VACUUM), None)
        if danger is not None:
            raise JobError(f"{inside(danger.hazard.label)}: no vacuum is drawn on it", "seal", "see to the cell first")
        made = SealTest.objects.create(
            job=log.job,
            when=when,
            start_kpa=decay.start_kpa,
            end_kpa=decay.end_kpa,
            seconds=decay.seconds,
            by=user,
            at=now,
        )
        log.event(
            f"seal test {made.get_when_display()}: {figure(decay.lost_kpa, 2)} kPa of {decay.start_kpa:g} lost in "
            f"{decay.seconds:g} s",
            "seal",
        )
    return made


def calibrate_chamber(known_ml: float, before_kpa: float, after_kpa: float, *, user: User, now: datetime) -> Chamber:
    """Keep the chamber's volume, from a known volume that was drawn out of it.

    Raises
    ------
    ReadingError
        The gauge did not move as it must.

    """
    require(user, Right.MEASURE)
    volume = chamber_volume(known_ml, before_kpa, after_kpa)
    made: Chamber = Chamber.objects.create(volume_ml=round(volume, 2), by=user, at=now)
    return made
