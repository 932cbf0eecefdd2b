"""What takes a standing draw: one thing after the other is unplugged while the draw is watched."""

from __future__ import annotations

from datetime import datetime

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import show
from chargepath.case.entries import CheckEvent
from chargepath.electrical.supply import check_standing, judge_draws
from rainfront.inside.models import Draws
from rainfront.jobs.models import Job
from rainfront.jobs.writing import open_job
from rainfront.people.models import User
from rainfront.reference.adapters import good_idle
from rainfront.workshop.adapters import Shop

CHECK = "draw_unplugged"


def begin_hunt(job: Job | int, plugged: float, *, user: User, now: datetime, shop: Shop | None = None) -> Draws:
    """Begin with everything plugged in [A]; one that was under way on this job is given up.

    Raises
    ------
    ReadingError, DangerError, JobError
        Nothing that leaks, an impossible value, or a danger forbids a supply; nothing is stored.

    """
    with open_job(job, user, now, shop) as log:
        log.refuse_current("supply")
        check_standing(log.shop.known, plugged, good_idle(log.job.model_name))
        Draws.objects.under_way(log.job.pk).delete()
        return Draws.objects.create(job=log.job, plugged=plugged, under_way=True, by=user, at=now)


def unplug(
    draws: Draws, part: str, amps: float | None, *, user: User, now: datetime, shop: Shop | None = None
) -> Draws:
    """Keep what still flows without one more part [A]; None where the device has none.

    Raises
    ------
    ReadingError, DangerError, JobError
        An unknown part, one that was asked already, an impossible value, or the hunt is over; nothing is stored.

    """
    with open_job(draws.job_id, user, now, shop) as log:
        log.refuse_current("supply")
        found, known = _under_way(draws), log.shop.known
        if part not in known.checks[CHECK].signs or part in dict(found.without):
            raise ReadingError("this was asked already", "part", "the next one, or one step back")
        if amps is not None:
            check_standing(known, found.plugged, good_idle(log.job.model_name), amps)
        found.without = [*found.without, [part, amps]]
        found.save(update_fields=["without"])
    return found


def one_back(draws: Draws, *, user: User, now: datetime, shop: Shop | None = None) -> Draws:
    """Take the last step back: it was misread, or the wrong thing was unplugged."""
    with open_job(draws.job_id, user, now, shop):
        found = _under_way(draws)
        found.without = found.without[:-1]
        found.save(update_fields=["without"])
    return found


def end_hunt(draws: Draws, *, user: User, now: datetime, shop: Shop | None = None) -> Draws:
    """Enter which of them takes the draw.

    Raises
    ------
    ReadingError, DangerError, JobError
        Nothing was unplugged, or the hunt is over.

    """
    with open_job(draws.job_id, user, now, shop) as log:
        found = _under_way(draws)
        steps = judge_draws(log.shop.known, found.plugged, found.measured, good_idle(log.job.model_name))
        signs = tuple(step.part for step in steps if step.guilty)
        last = show(steps[-1].amps, "A")
        note = f"{show(found.plugged, 'A')} with everything plugged in, {last} at the end"
        found.entry = log.add(CheckEvent(CHECK, signs=signs), note)
        found.under_way, found.at, found.by = False, now, user
        found.save(update_fields=["entry", "under_way", "at", "by"])
    return found


def _under_way(draws: Draws) -> Draws:
    """The hunt as it stands now, under the job's lock."""
    found: Draws | None = Draws.objects.under_way(draws.job_id).filter(pk=draws.pk).first()
    if found is None:
        raise ReadingError("this hunt is over", "draws", "begin another")
    return found
