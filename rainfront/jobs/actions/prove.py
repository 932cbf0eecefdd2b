"""Proving a job."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from chargepath.case.entries import RepairEvent
from chargepath.case.quickline import OTHER
from chargepath.grading.proof import ProofResult, proof_events
from rainfront.jobs.adapters import device_of, proof_readings
from rainfront.jobs.judging import judge_job_proof
from rainfront.jobs.models import Entry, Job, Proof, Stage
from rainfront.jobs.writing import Log, open_job
from rainfront.people.models import User
from rainfront.practice.adapters import Practice

FIELDS = ("amps", "volts", "amps_flipped", "steady", "percent_first", "percent_second", "minutes_between")


def open_proof(job: Job) -> Proof | None:
    """The proof that has been begun and not decided yet."""
    found: Proof | None = Proof.objects.undecided(job.pk).last()
    return found


def unproved(evidence: list[Entry]) -> Entry | None:
    """The newest repair of this bench, if nothing has proved it and it was not seen to fail."""
    repairs = [row for row in evidence if row.kind == Entry.EntryKind.REPAIR and row.variant != OTHER]
    waits = bool(repairs) and repairs[-1].works is not False and not repairs[-1].values.get("proved")
    return repairs[-1] if waits and repairs[-1].name not in ("prove", "refer") else None


def record_proof(
    job: Job | int, readings: dict[str, Any], *, user: User, now: datetime, practice: Practice | None = None
) -> tuple[Proof, ProofResult]:
    """Store what was read; decide when every item is there, or as soon as one fails.

    A failed proof is evidence, and so is each thing that it measured: the job goes back to where the advice now says.
    Where a repair waits for its proof, the proof completes that repair's entry; otherwise it is recorded as a repair
    `prove` of its own.

    Parameters
    ----------
    readings : dict
        Values of `FIELDS`; None where not read yet. `minutes_between` is taken from the clock where it is left out.

    Raises
    ------
    ReadingError, DangerError
        A reading is impossible, or a danger forbids a charger; nothing is stored.

    """
    with open_job(job, user, now, practice) as log:
        log.refuse_current("charger")
        waiting = unproved(log.evidence)
        proof = _filled(open_proof(log.job) or Proof(job=log.job), readings, user, now)
        proof.repair = getattr(waiting, "repair", None)
        result = judge_job_proof(log.job, proof, log.practice)
        proof.works = result.works
        proof.save()
        if result.works is None:
            log.change(changed_at=now)
        else:
            _decide(log, waiting, result)
        if result.works is False:
            for event in proof_events(log.practice.known, device_of(log.job), proof_readings(proof)):
                log.add(event, "read at the proof", seen=True)
    return proof, result


def _filled(proof: Proof, readings: dict[str, Any], user: User, now: datetime) -> Proof:
    """A proof with what was read, and the minutes between both percentages by the clock."""
    proof.by, proof.at = user, now
    before = proof.percent_first
    for name in FIELDS:
        if name in readings:
            setattr(proof, name, readings[name])
    if proof.percent_first is not None and (proof.percent_first != before or proof.first_at is None):
        proof.first_at = now
    if proof.percent_second is not None and proof.minutes_between is None and proof.first_at:
        proof.minutes_between = round((now - proof.first_at).total_seconds() / 60, 1)
    return proof


def _decide(log: Log, waiting: Entry | None, result: ProofResult) -> None:
    """Write a decided proof into the log."""
    text = "; ".join(f"{item.label}: {item.text}" for item in result.items if item.text)
    stage = Stage.HAND_OVER if result.works else ""
    if waiting is None:
        log.add(RepairEvent("prove", result.works, bool(result.works)), text, stage=stage)
        return
    waiting.works, waiting.values = result.works, {"proved": True} if result.works else {}
    waiting.save(update_fields=["works", "values"])
    log.event(f"{'proof passed' if result.works else 'proof failed'}: {text}", "proof")
    log.settle(stage)
