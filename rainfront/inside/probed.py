"""Everything that was probed along a job's path since its newest repair: fetched once, judged once, read by many."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from chargepath.case.entries import CheckEvent, PathEvent
from chargepath.grading.locate import Location, Observation, ladder_weights, locate, scores_of
from chargepath.grading.readings import grade_event
from chargepath.grading.sheet import events_of, observations_of
from chargepath.knowledge import Knowledge
from rainfront.inside.adapters import Judged, judge
from rainfront.inside.models import Ladder, Point, Sheet
from rainfront.jobs.adapters import device_of, own_repairs
from rainfront.jobs.models import Job
from rainfront.web.words import counted


@dataclass(frozen=True, kw_only=True)
class Probed:
    """Sheets, newest first, and the ladder that describe a job's device as it is now.

    Attributes
    ----------
    job : Job
    known : Knowledge
    judged : mapping of sheet key to Judged
        Each sheet with its verdicts, the newest sheet first.
    ladder : Ladder or None
        The newest.

    """

    job: Job
    known: Knowledge
    judged: Mapping[int, Judged]
    ladder: Ladder | None

    def _newest(self) -> Iterator[Judged]:
        """The newest sheet of each map and place that says something."""
        done: set[tuple[str, str]] = set()
        for found in self.judged.values():
            key = (found.sheet.map_id, found.sheet.place)
            if key not in done and found.verdicts:
                done.add(key)
                yield found

    @cached_property
    def observations(self) -> Sequence[Observation]:
        """Evidence of the newest sheet of each map and place, and of the ladder."""
        seen: list[Observation] = []
        for found in self._newest():
            seen += observations_of(found.pins, found.sheet.place, found.verdicts)
        return seen if self.ladder is None else [*seen, *ladder_weights(self.known, self.ladder.volts)]

    @cached_property
    def location(self) -> Location | None:
        """Where it all points to; None where nothing was probed."""
        return locate(self.known, self.observations) if self.observations else None

    @cached_property
    def shows(self) -> Mapping[str, str]:
        """Grade of each check that the sheets and the ladder stand for, by evidence key; the newest sheet counts."""
        device = device_of(self.job)
        shows: dict[str, str] = {}
        for found in reversed(list(self.judged.values())):
            for row in events_of(found.pins, found.sheet.place, found.verdicts):
                key = self.known.checks[row.event.check].key(row.event.variant)
                shows[key] = grade_event(self.known, device, row.event).grade
        volts = self.ladder.volts if self.ladder is not None else {}
        for rung in self.known.rungs.values():
            if rung.joint and rung.id in volts:
                event = CheckEvent(rung.check, values={"volts": volts[rung.id]})
                shows[rung.check] = grade_event(self.known, device, event).grade
        return shows

    @property
    def event(self) -> tuple[PathEvent, str] | None:
        """All of it as one observation, and in a few words; None where nothing was probed."""
        if not self.observations:
            return None
        lines = sum(not row.key.startswith("volts") for row in self.observations)
        parts = [counted(lines, "line")] if lines else []
        parts += ["a ladder"] if self.ladder is not None else []
        event = PathEvent(scores_of(self.known, self.observations), self.shows, self._access)
        return event, " and ".join(parts)

    @property
    def _access(self) -> str:
        """How far the device was open for the deepest of these readings."""
        places = [self.known.places[found.sheet.place].access for found in self.judged.values() if found.verdicts]
        volts = self.ladder.volts if self.ladder is not None else {}
        rungs = [rung.access for rung in self.known.rungs.values() if rung.id in volts]
        return max((*places, *rungs), key=list(self.known.access).index)


def path_sheets(job: Job) -> list[Sheet]:
    """A job's own diode sheets since the newest repair of this bench, newest first, with their points; two queries."""
    repairs = own_repairs(job)
    sheets = list(Sheet.objects.evidence(job.pk, repairs[-1].at if repairs else None))
    for sheet in sheets:
        sheet.job = job
    return sheets


def probed_on(
    job: Job, known: Knowledge, sheets: Sequence[Sheet] | None = None, just_stored: Point | None = None
) -> Probed:
    """Judge what was probed on a job since the newest repair of this bench.

    Two queries, one more for the references of each sheet and one where the job's log was not fetched.

    Parameters
    ----------
    job : Job
    known : Knowledge
    sheets : sequence of Sheet, optional
        What `path_sheets` gave, where they are fetched already.
    just_stored : Point, optional
        A reading that was stored after they were fetched.

    """
    judged = {}
    for sheet in path_sheets(job) if sheets is None else sheets:
        stored = just_stored if just_stored is not None and just_stored.sheet_id == sheet.pk else None
        if stored is not None or sheet.points.all():
            judged[sheet.pk] = judge(sheet, known, stored)
    repairs = own_repairs(job)
    ladder = Ladder.objects.evidence(job.pk, repairs[-1].at if repairs else None).first()
    return Probed(job=job, known=known, judged=judged, ladder=ladder)
