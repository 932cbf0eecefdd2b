"""The only place that turns rows into the core's dataclasses and back."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import lru_cache
from typing import Any

from chargepath.base.quantities import METERS, Meter
from chargepath.case.entries import Case, CheckEvent, Device, Event, Outcome, RepairEvent, TryEvent
from chargepath.decision.advice import Advice, advise
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief, Push, access_reached, assess, pushes
from chargepath.diagnosis.model import Model
from chargepath.grading.proof import ProofReadings, ProofResult, judge_proof
from chargepath.knowledge import Knowledge, shipped
from rainfront.jobs.models import Entry, Job, Proof
from rainfront.people.models import User, Workshop
from rainfront.practice.adapters import in_force
from rainfront.stock.adapters import shelf


def knowledge() -> Knowledge:
    """Ids, labels and steps, which no shop changes; numbers in force come with a `Judgement`."""
    return shipped()


@lru_cache(maxsize=256)
def _model(known: Knowledge, device: Device, history: tuple[str, ...]) -> Model:
    return Model(known, device, history)


def device_of(job: Job) -> Device:
    """The device of a job."""
    return Device(job.kind, job.connector, job.carrier, job.wireless, float(job.value))


def meter_of(user: User) -> Meter:
    """How the user's meter shows things."""
    return METERS.get(user.meter, METERS["any"])


def event_of(entry: Entry) -> Event:
    """An evidence entry as the core's event."""
    if entry.kind == Entry.EntryKind.TRY:
        return TryEvent(entry.name, bool(entry.works))
    if entry.kind == Entry.EntryKind.REPAIR:
        return RepairEvent(entry.name, entry.works)
    values = {name: math.inf if value == "OL" else float(value) for name, value in entry.values.items()}
    return CheckEvent(entry.name, entry.variant, entry.grade, tuple(entry.signs), values)


def fields_of(event: Event) -> dict[str, Any]:
    """Field values of an entry for the core's event."""
    if isinstance(event, TryEvent):
        return {"kind": Entry.EntryKind.TRY, "name": event.route, "works": event.works}
    if isinstance(event, RepairEvent):
        return {"kind": Entry.EntryKind.REPAIR, "name": event.route, "works": event.works}
    values = {name: "OL" if math.isinf(value) else value for name, value in event.values.items()}
    return {
        "kind": Entry.EntryKind.CHECK,
        "name": event.check,
        "variant": event.variant,
        "grade": event.grade,
        "signs": list(event.signs),
        "values": values,
    }


def case_of(job: Job, evidence: Iterable[Entry] | None = None) -> Case:
    """A job as the core's case."""
    known = knowledge()
    rows = job.entries.evidence() if evidence is None else evidence
    events = tuple(event_of(entry) for entry in rows)
    outcome = None
    if job.is_closed and job.outcome_works is not None:
        done = tuple(dict.fromkeys(event.route for event in events if isinstance(event, RepairEvent)))
        outcome = Outcome(tuple(job.outcome_faults), done, job.outcome_works)
    history = tuple(flag for flag in known.history if flag in job.history)
    return Case(device_of(job), history, events, outcome)


@dataclass(frozen=True, eq=False)
class Judgement:
    """Belief, advice, what pushed the belief, the prices that were reckoned with and the parts that lie there, for one job."""

    case: Case
    belief: Belief
    advice: Advice
    pushes: list[Push]
    prices: Prices
    spent: float
    parts: Mapping[str, Decimal]
    shelf: Mapping[str, int]


def judge(
    job: Job,
    evidence: Iterable[Entry] | None = None,
    *,
    explain: bool = True,
    rate: float | None = None,
    who: User | None = None,
) -> Judgement:
    """Compute belief and advice for a job as it stands, with the shop's numbers in force.

    Parameters
    ----------
    job : Job
    evidence : iterable of Entry, optional
        The job's evidence where it has been fetched already.
    explain : bool
        Whether to work out what each entry did to each fault.
    rate : float, optional
        Labour per minute where the workshop has been fetched already.
    who : User, optional
        Whose pace is reckoned with; the shop's own where nobody is named.

    """
    case, force = case_of(job, evidence), in_force()
    known = force.known_for(job.model_name)
    belief = believe(case, known)
    if rate is None:
        rate = float(Workshop.current().hourly_rate) / 60
    there = shelf(job.kind, job.model_name)
    prices = force.prices(
        job.kind, job.model_name, case.device.value, rate, hurry=job.hurry, who=str(who.pk) if who else "", shelf=there
    )
    spent = spent_so_far(case, prices, known)
    limit = float(job.limit) if job.limit is not None else None
    advice = advise(belief, prices, limit=limit, spent=spent)
    own = {route: part.price for route, part in force.parts_for(job.kind, job.model_name).items()}
    return Judgement(case, belief, advice, pushes(belief) if explain else [], prices, spent, own, there)


def parts_used(job: Job, route: str) -> tuple[str, ...]:
    """Routes whose parts a repair uses: its own, and what is only sold with it."""
    part = in_force().parts_for(job.kind, job.model_name).get(route)
    return (route, part.sold_with) if part and part.sold_with else (route,)


def spent_so_far(case: Case, prices: Prices, known: Knowledge) -> float:
    """Labour and parts that the events of a case stand for: each check, try and repair at its minutes, each opening once."""
    minutes, parts = 0.0, 0.0
    for event in case.events:
        if isinstance(event, CheckEvent):
            minutes += prices.check_minutes(known.checks[event.check])
        elif isinstance(event, TryEvent):
            minutes += prices.try_minutes(known.routes[event.route])
        else:
            minutes += prices.route_minutes(known.routes[event.route])
            parts += prices.part(known.routes[event.route])
    reached = access_reached(known, case)
    minutes += prices.opening(known, reached, next(iter(known.access)))
    return minutes * prices.rate_per_minute + parts


def believe(case: Case, known: Knowledge) -> Belief:
    """The belief for a case, with models kept between requests."""
    return assess(_model(known, *case.compiled_for), case)


def believed_before_repairs(job: Job, evidence: Iterable[Entry]) -> list[tuple[str, float]]:
    """Faults as they stood before anything was repaired, the whole record considered where it helps.

    The belief after the last repair no longer holds what that repair took away; what turned out to be wrong is asked of the
    evidence before it.
    """
    case = case_of(job, evidence)
    events = list(case.events)
    while events and isinstance(events[-1], RepairEvent):
        events.pop()
    known = in_force().known_for(job.model_name)
    return believe(replace(case, events=tuple(events), outcome=None), known).faults


def cured_by_repairs(job: Job, evidence: Iterable[Entry]) -> set[str]:
    """Every fault that a repair in the log can take away."""
    routes = [entry.name for entry in evidence if entry.kind == Entry.EntryKind.REPAIR]
    return {fault for route in routes for fault in knowledge().routes[route].cures_on(job.carrier)}


def proof_readings(proof: Proof) -> ProofReadings:
    """A proof row as the core's readings."""
    return ProofReadings(
        proof.amps,
        proof.volts,
        proof.amps_flipped,
        proof.steady,
        proof.percent_first,
        proof.percent_second,
        proof.minutes_between,
    )


def judge_job_proof(job: Job, proof: Proof) -> ProofResult:
    """Hold a proof against the thresholds for the job's device."""
    return judge_proof(in_force().known, device_of(job), proof_readings(proof))


def decimal_part(judged: Judgement, route: str) -> Decimal:
    """Price of a route's part as a decimal: the shop's own as it was entered, else the shipped one."""
    own = judged.parts.get(route)
    return Decimal(str(judged.belief.model.known.routes[route].part)) if own is None else own
