"""Proving a job."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db import transaction

from chargepath.grading.proof import ProofResult
from rainfront.jobs import adapters
from rainfront.jobs.actions.log import lock, require_open, settle, write
from rainfront.jobs.models import Entry, Job, Proof, Stage
from rainfront.people.models import User

FIELDS = ("amps", "volts", "amps_flipped", "steady", "percent_first", "percent_second", "minutes_between")


def open_proof(job: Job) -> Proof | None:
    """The proof that has been begun and not decided yet."""
    return job.proofs.filter(works__isnull=True).order_by("pk").last()


def unproved(job: Job) -> Entry | None:
    """The newest repair, if nothing has proved or disproved it."""
    last = job.entries.evidence().filter(kind=Entry.EntryKind.REPAIR).last()
    return last if last is not None and last.works is None else None


def record_proof(job: Job, readings: dict[str, Any], *, user: User, now: datetime) -> tuple[Proof, ProofResult]:
    """Store what was read; decide when every item is there, or as soon as one fails.

    A failed proof is evidence: the job goes back to where the advice now says. Where a repair waits for its proof, the proof
    completes that repair's entry; otherwise it is recorded as a repair `prove` of its own.

    Parameters
    ----------
    readings : dict
        Values of `FIELDS`; None where not read yet. `minutes_between` is taken from the clock where it is left out.

    Raises
    ------
    ReadingError
        A reading is impossible; nothing is stored.

    """
    with transaction.atomic():
        job = lock(job)
        require_open(job)
        waiting = unproved(job)
        proof = open_proof(job) or Proof(job=job)
        proof.by, proof.at = user, now
        had_first = proof.percent_first
        for name in FIELDS:
            if name in readings:
                setattr(proof, name, readings[name])
        if proof.percent_first is not None and (proof.percent_first != had_first or proof.first_at is None):
            proof.first_at = now
        if proof.percent_second is not None and proof.minutes_between is None and proof.first_at:
            proof.minutes_between = round((now - proof.first_at).total_seconds() / 60, 1)
        proof.repair = getattr(waiting, "repair", None)
        result = adapters.judge_job_proof(job, proof)
        proof.works = result.works
        proof.save()
        if result.works is None:
            job.changed_at = now
            job.save(update_fields=["changed_at"])
            return proof, result
        text = "; ".join(f"{item.label}: {item.text}" for item in result.items if item.text)
        if waiting is not None:
            waiting.works = result.works
            waiting.save(update_fields=["works"])
            verdict = "proof passed" if result.works else "proof failed"
            write(job, Entry.EntryKind.EVENT, f"{verdict}: {text}", user=user, now=now, name="proof")
        else:
            Entry.objects.create(
                job=job, kind=Entry.EntryKind.REPAIR, name="prove", works=result.works, text=text, by=user, at=now
            )
        settle(job, now=now, stage=Stage.HAND_OVER if result.works else "")
    return proof, result
