"""The one judgement of a job: belief, dangers and advice for a person, used by every page, action and command.

Judgements are cached by everything that goes into them, so the page that follows an entry shows the judgement that was
made for the entry.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from functools import lru_cache
from typing import Any

from chargepath.base.quantities import decimal_mark
from chargepath.case.entries import Case, CheckEvent, RepairEvent
from chargepath.case.timeline import repaired_here
from chargepath.decision.judgement import Judgement, judge
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief, assess, faults_at_intake
from chargepath.diagnosis.model import compiled
from chargepath.grading.readings import grade_event
from chargepath.hazards.standing import Danger, dangers_of
from chargepath.knowledge import Knowledge
from chargepath.knowledge.book import HAND_OVER
from chargepath.knowledge.routes import NO_REPAIR, PROVE
from rainfront.jobs.adapters import case_of, device_of, event_of, evidence_of, limit_of, own_repairs
from rainfront.jobs.models import Job, Stage
from rainfront.people.models import User
from rainfront.stock.adapters import shelf
from rainfront.workshop.adapters import Part, Shop


@dataclass(frozen=True)
class _Asked:
    """The key of a cached judgement: equal keys have equal judgements."""

    key: tuple[Any, ...]
    known: Knowledge = field(compare=False)
    case: Case
    prices: Prices = field(compare=False)
    limit: float | None = field(compare=False)
    refused: frozenset[str] = frozenset()


@lru_cache(maxsize=64)
def _judged(asked: _Asked) -> Judgement:
    return judge(asked.known, asked.case, asked.prices, limit=asked.limit, refused=asked.refused)


@dataclass(frozen=True, eq=False)
class JobJudgement:
    """The judgement of a job, with the parts and stock that its prices came from and the habit that the job follows."""

    core: Judgement
    parts: Mapping[str, Part]
    shelf: Mapping[str, int]
    school: str = ""

    def part_price(self, route: str) -> Decimal:
        """Price of a route's part to the cent: the shop's own as it was entered, else the knowledge's."""
        own = self.parts.get(route)
        return own.price if own else Decimal(str(self.core.known.routes[route].part))


def judgement_for(job: Job, person: User | None, shop: Shop, case: Case | None = None) -> JobJudgement:
    """Judge a job by its log as it stands now.

    Parameters
    ----------
    job : Job
        Its log is fetched where it has not been.
    person : User or None
        Whose pace is reckoned with; the shop's own for None.
    shop : Shop
    case : Case, optional
        The job as the core's case, where it is made already.

    """
    known = shop.known_for(job.model_name)
    case, there = case or case_of(job, known), shelf(job.kind, job.model_name, job.connector, job.pk)
    pk, limit = person.pk if person else None, limit_of(job)
    prices = shop.prices(case.device, job.model_name, hurry=job.hurry, person_pk=pk, shelf=there)
    key = (
        known,
        shop.edition,
        shop.rate_per_hour,
        job.kind,
        job.model_name.lower(),
        job.hurry,
        shop.pace_of(pk),
        tuple(sorted(there.items())),
        limit,
        decimal_mark(),
    )
    refused = frozenset(job.refused) & known.routes.keys() - NO_REPAIR
    judged = _judged(_Asked(key=key, known=known, case=case, prices=prices, limit=limit, refused=refused))
    parts = shop.parts_for(job.kind, job.model_name)
    return JobJudgement(judged, parts, there, school_followed(job, shop))


def school_followed(job: Job, shop: Shop) -> str:
    """The habit that a job follows: its own if it has one, else the shop's; '' where that is no habit."""
    found = job.school or (shop.settings.school if shop.settings else "")
    return found if found in shop.known.schools else ""


def dangers_for(job: Job, shop: Shop) -> tuple[Danger, ...]:
    """Dangers that stand on a job; neither belief nor advice is computed."""
    return dangers_of(shop.known, case_of(job, shop.known))


def belief_for(job: Job, shop: Shop) -> Belief:
    """The belief about a job; no advice is computed."""
    known = shop.known_for(job.model_name)
    case = case_of(job, known).told(known)
    return assess(compiled(known, *case.compiled_for), case)


def stage_by_advice(job: Job, judged: Judgement) -> str:
    """The stage to which the advised next step belongs."""
    step, known = judged.advice.next, judged.known
    if step.kind == HAND_OVER:
        return Stage.HAND_OVER
    if step.kind == "repair":
        return Stage.PROVE if step.id == PROVE and judged.belief.timeline.repairs else Stage.DECIDE
    access = known.checks[step.id].access if step.kind == "check" else known.routes[step.id].access_for(job.carrier)
    return known.access[access].stage


def parts_used(job: Job, route: str, shop: Shop) -> tuple[str, ...]:
    """Routes whose parts a repair uses: its own part, and one that is only sold together with it."""
    part = shop.parts_for(job.kind, job.model_name).get(route)
    return (route, part.sold_with) if part and part.sold_with else (route,)


def believed_at_intake(job: Job, shop: Shop) -> list[tuple[str, float]]:
    """Faults by the chance that the device came in with them, the likeliest first, by everything that is known now."""
    return faults_at_intake(belief_for(job, shop))


def cured_by_repairs(job: Job, shop: Shop) -> set[str]:
    """Every fault that a repair of this bench in the log can cure."""
    routes = [row.name for row in own_repairs(job)]
    return {fault for route in routes for fault in shop.known.routes[route].cures_on(job.carrier)}


def is_proved(job: Job, known: Knowledge) -> bool:
    """Whether the newest repair of this bench was seen to work and every later reading is good."""
    device = device_of(job)
    for row in reversed(evidence_of(job)):
        event = event_of(row)
        if repaired_here(event):
            return event.works is True
        if isinstance(event, RepairEvent):
            continue
        if not isinstance(event, CheckEvent):
            return False
        check = known.checks[event.check]
        grade = "" if check.is_look else event.grade or grade_event(known, device, event).grade
        if check.mark_of(grade, event.signs) != "good":
            return False
    return False
