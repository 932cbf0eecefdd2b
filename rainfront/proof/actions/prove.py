"""Proving a job: what was read, what is left out, what failed, and going back to the step where it went wrong."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from chargepath.base.sentences import inside
from chargepath.case.entries import HazardEvent, RepairEvent
from chargepath.knowledge.routes import PROVE
from chargepath.proving.evidence import proof_events
from chargepath.proving.verdict import ProofResult, Readings, take, without
from chargepath.repair.back import way_back
from rainfront.jobs.models import Entry, Job, Repair, Stage
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.proof.adapters import readings_of
from rainfront.proof.models import Proof
from rainfront.proof.proving import Proving, proving_of
from rainfront.proof.words import shown_words
from rainfront.web.secrets import refuse_unlock_code
from rainfront.web.words import counted
from rainfront.work.models import StepRun, Timer
from rainfront.workshop.adapters import Shop

READ = "read at the proof"
# Values that are read on a bench supply.
ON_SUPPLY = ("idle_amps",)
PHASE_WORDS = {"open": "before closing", "closed": "as it is handed over"}


def record_proof(
    job: Job | int,
    given: Readings | Mapping[str, Any],
    *,
    by_meter: str = "",
    watched_since: datetime | None = None,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> tuple[Proof, ProofResult]:
    """Store what was read; decide the proof where all of it is there and good.

    What fails waits for a person: to read it again, to go back to a step (`go_back`), or to say that it is no slip
    (`fail_proof`). A cell that gets hot is reported as the danger that it is at once.

    Parameters
    ----------
    given : Readings, or mapping of a value's or item's name to what was read
        Numbers and answers; `minutes_between` is taken from the clock where it is left out.
    by_meter : str
        The item that the live meter saw by itself.
    watched_since : datetime, optional
        Since when the meter watches: a late look of it begins no new proof after the one that it watched.

    Raises
    ------
    ReadingError, JobError, DangerError
        A reading is impossible, the device is not closed up yet, or a danger forbids a charger; nothing is stored.

    """
    found = given if isinstance(given, Readings) else _split(given)
    for reason in found.left_out.values():
        refuse_unlock_code(reason, "reason")
    with open_job(job, user, now, shop, right=Right.REPAIR) as log:
        log.refuse_current("charger")
        if any(name in found.numbers for name in ON_SUPPLY):
            log.refuse_current("supply")
        proving = _standing(log, watched_since)
        _refuse_unasked(proving, found)
        proof = proving.proof
        before = readings_of(proof)
        numbers = _by_clock(proof, before, found, now)
        known, device = log.shop.known, proving.subject.device
        read = take(known, device, proving.asked, before, Readings(numbers, found.answers, {}, found.left_out))
        proof.numbers, proof.answers = dict(read.numbers), dict(read.answers)
        proof.doubts, proof.left_out = dict(read.doubts), dict(read.left_out)
        proof.by, proof.at = user, now
        if by_meter:
            proof.by_meter = sorted({*proof.by_meter, by_meter})
        proof.save()
        _report_dangers(log, proving, found)
        proving = proving_of(log.job, log.shop)
        if proving.result.works:
            _decide(log, proving, True)
        else:
            log.settle(Stage.PROVE)
    return proving.proof, proving.result


def _split(given: Mapping[str, Any]) -> Readings:
    """Numbers and answers by what they are; None is not read yet."""
    numbers = {name: float(value) for name, value in given.items() if isinstance(value, int | float)}
    return Readings(numbers, {name: value for name, value in given.items() if isinstance(value, str) and value})


def _standing(log: Log, watched_since: datetime | None = None) -> Proving:
    if watched_since is not None and Proof.objects.decided(log.job.pk).filter(at__gte=watched_since).exists():
        raise JobError("what the meter watched is decided", "proof", "let it watch anew")
    if Repair.objects.still_open(log.job.pk).exists():
        raise JobError("a repair is still being worked on", "proof", "finish its steps first, or drop it")
    proving = proving_of(log.job, log.shop)
    if proving.to_close:
        raise JobError(
            f"it is not closed up yet: {counted(proving.to_close, 'step')} left",
            "proof",
            "do them, or leave them out with a reason",
        )
    return proving


def _refuse_unasked(proving: Proving, found: Readings) -> None:
    asked = {name for item in proving.asked for name in (item.id, *item.values)}
    for name in (*found.numbers, *found.answers):
        if name not in asked:
            raise JobError(f"'{name}' is not asked of this device", "proof", "one of the list")
    for name, reason in found.left_out.items():
        item = proving.item(name)
        if item.essential:
            raise JobError(
                f"{inside(item.label)} cannot be left out", "proof", "without it nothing is proved; hand it on instead"
            )
        if not reason.strip():
            raise JobError("say why it is left out", "reason", "in a few words; the record keeps it")


def _by_clock(proof: Proof, before: Readings, found: Readings, now: datetime) -> dict[str, float]:
    """What was read, with the minutes between both percentages by the clock where nobody says them."""
    numbers = dict(found.numbers)
    first = numbers.get("percent_first")
    if first is not None and (first != before.numbers.get("percent_first") or proof.first_at is None):
        proof.first_at = now
    if "percent_second" in numbers and "minutes_between" not in numbers and proof.first_at:
        numbers["minutes_between"] = round((now - proof.first_at).total_seconds() / 60, 1)
    return numbers


def _report_dangers(log: Log, proving: Proving, found: Readings) -> None:
    standing = {danger.hazard.id for danger in log.dangers}
    for item in proving.asked:
        hazard = item.hazards.get(found.answers.get(item.id, ""))
        if hazard and hazard not in standing:
            log.add(HazardEvent(hazard), "seen at the proof", seen=True)


def _words(result: ProofResult) -> str:
    parts = [f"{mark.item.label}: {shown_words(mark) or mark.shown}" for mark in result.items if mark.shown]
    parts += [f"{mark.item.label} left out ({mark.left_out})" for mark in result.items if mark.left_out]
    return "; ".join(parts)


def _decide(log: Log, proving: Proving, works: bool) -> None:
    """Write a decided proof into the log: its verdict, and as evidence of its own what that does not stand for."""
    proof, waiting, phase = proving.proof, proving.waiting, proving.phase
    proof.works = works
    proof.save(update_fields=["works"])
    whole = works and phase == "closed"
    text = f"{PHASE_WORDS[phase]}: {_words(proving.result)}"
    label = "proof passed" if works else "proof failed"
    if waiting is None or (not works and waiting.works):
        log.add(RepairEvent(PROVE, works, whole), text, seen=True)
    else:
        if works and waiting.works is False:
            _take_back(log, waiting)
        log.correct(waiting, works=works, values={"proved": True} if whole else {})
        log.event(f"{label} {text}"[:2000], "proof")
    readings = readings_of(proof)
    standing = {danger.hazard.id for danger in log.dangers}
    for event in proof_events(log.shop.known, proving.subject.device, proving.result, readings):
        if not isinstance(event, HazardEvent) or event.hazard not in standing:
            log.add(event, READ, seen=True)
    if works:
        log.settle(Stage.HAND_OVER if whole else Stage.REPAIR)
    else:
        log.settle()


def watch_from(
    job: Job | int,
    item: str,
    seconds: float,
    *,
    watched_since: datetime,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Proof:
    """Remember from where in its record [s], begun at `watched_since`, the live meter watches an item."""
    with open_job(job, user, now, shop, right=Right.REPAIR) as log:
        proving = _standing(log, watched_since)
        proving.item(item)
        proof = proving.proof
        proof.watching = {"item": item, "from": round(seconds, 3)}
        proof.by, proof.at = user, proof.at or now
        proof.save()
    return proof


def _take_back(log: Log, waiting: Entry) -> None:
    """What a proof of before has shown of the same repair is struck out: read again, it is good."""
    at = next(number for number, row in enumerate(log.evidence) if row.pk == waiting.pk)
    for row in log.evidence[at + 1 :]:
        if row.text == READ:
            log.strike(row, "read again at the proof: good")


def fail_proof(job: Job | int, *, user: User, now: datetime, shop: Shop | None = None) -> tuple[Proof, ProofResult]:
    """Decide that a proof has failed, and that it was no slip: what it has shown becomes evidence.

    Raises
    ------
    JobError
        Nothing has failed.

    """
    with open_job(job, user, now, shop, right=Right.REPAIR) as log:
        proving = _standing(log)
        if proving.result.works is not False:
            raise JobError("nothing has failed", "proof", "go on with what is open")
        _decide(log, proving, False)
    return proving.proof, proving.result


def read_again(job: Job | int, item: str, *, user: User, now: datetime, shop: Shop | None = None) -> Proof:
    """Take an item of the proof up again, whatever it has shown."""
    with open_job(job, user, now, shop, right=Right.REPAIR) as log:
        proving = _standing(log)
        proving.item(item)
        proof = proving.proof
        if proof.pk is None:
            raise JobError("nothing was read yet", "proof", "read it first")
        read = without(proving.asked, readings_of(proof), item)
        proof.numbers, proof.answers = dict(read.numbers), dict(read.answers)
        proof.doubts, proof.left_out = dict(read.doubts), dict(read.left_out)
        proof.by_meter = [name for name in proof.by_meter if name != item]
        proof.save()
        log.change(changed_at=now)
    return proof


def go_back(
    job: Job | int, step: str, slip: str = "", *, user: User, now: datetime, shop: Shop | None = None
) -> Repair:
    """Go back to the step of the work where it went wrong: the repair is open again, everything else is kept.

    Steps that have to be done again so that it can be mended are taken up with it: what opens the device, what takes
    the cell off. What the proof has shown stays in the record, and is no evidence of a fault.

    Raises
    ------
    JobError, ReadingError
        Nothing has failed, there is no repair with steps, or the plan has no such step.

    """
    with open_job(job, user, now, shop, right=Right.REPAIR) as log:
        proving = _standing(log)
        repair, plan = proving.repair, proving.subject.plan
        if proving.result.works is not False:
            raise JobError("nothing has failed", "proof", "go on with what is open")
        if repair is None or plan is None or repair.entry is None:
            raise JobError("no repair with steps was done here", "proof", "decide again what comes next")
        done = [run.step for run in StepRun.objects.settled(repair.pk).values() if run.done_at]
        again = way_back(log.shop.known.procedures, plan, [*done, *_tested(plan)], step)
        found = next(row.step for row in plan.steps if row.step.id == step)
        StepRun.objects.filter(repair=repair, step__in=again).update(done_at=None, skipped="")
        guess = log.shop.known.slips.get(slip)
        failed = "; ".join(f"{mark.item.label}: {shown_words(mark) or mark.shown}" for mark in proving.result.failed)
        why = f"proof {PHASE_WORDS[proving.phase]} failed ({failed})"
        why += f", taken for: {inside(guess.label)}" if guess else ""
        log.event(f"{why}; back to: {found.do}"[:2000], "back")
        entry = next(row for row in log.evidence if row.pk == repair.entry_id)
        log.strike(entry, "went back to a step of the work")
        proof = proving.proof
        proof.works, proof.back_to, proof.slip = False, step, guess.id if guess else ""
        proof.save(update_fields=["works", "back_to", "slip"])
        Timer.objects.running(repair=repair).update(stopped_at=now)
        repair.entry, repair.finished_at = None, None
        repair.save(update_fields=["entry", "finished_at"])
        log.settle(Stage.REPAIR)
    return repair


def _tested(plan: Any) -> list[str]:
    """The test itself, that is done by proving."""
    return [row.step.id for row in plan.steps if row.phase == "test"]
