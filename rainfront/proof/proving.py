"""The proof of a job: what it is made for, what is asked now, what stands of it; one service for pages and actions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.base.errors import ChargepathError
from chargepath.case.entries import CheckEvent
from chargepath.grading.readings import grade_event
from chargepath.knowledge.proofs import CLOSED, OPEN, ProofItem
from chargepath.knowledge.routes import NO_REPAIR
from chargepath.proving.asking import Subject, asked_of
from chargepath.proving.slips import Guess, slips_of
from chargepath.proving.verdict import ProofResult, judge_proof
from rainfront.jobs.adapters import device_of, event_of, evidence_of, own_repairs
from rainfront.jobs.models import Entry, Job, Repair
from rainfront.jobs.planning import after_test, plan_of
from rainfront.jobs.writing import JobError
from rainfront.proof.adapters import readings_of
from rainfront.proof.models import Proof
from rainfront.work.models import StepRun
from rainfront.workshop.adapters import Shop

PROOF_SLOT, LATE = "proof", "late"


@dataclass(frozen=True)
class Proving:
    """A job's proof as it stands.

    Attributes
    ----------
    proof : Proof
        The one that is under way, not stored yet where nothing was read.
    repair : Repair or None
        The repair that it proves.
    waiting : Entry or None
        The log's line of that repair, where the proof is to complete it.
    subject : Subject
    asked : sequence of ProofItem
    result : ProofResult
    guesses : sequence of Guess
        Slips that explain what failed.
    to_close : int
        Steps of closing up that are left before this proof.

    """

    proof: Proof
    repair: Repair | None
    waiting: Entry | None
    subject: Subject
    asked: Sequence[ProofItem]
    result: ProofResult
    guesses: Sequence[Guess]
    to_close: int

    @property
    def phase(self) -> str:
        """Before closing, or after."""
        return self.proof.phase

    def item(self, name: str) -> ProofItem:
        """An item that is asked.

        Raises
        ------
        JobError
            There is none of that name.

        """
        found = next((item for item in self.asked if item.id == name), None)
        if found is None:
            raise JobError("that is not asked of this device", "proof", "one of the list")
        return found


def newest_repair(job: Job) -> Entry | None:
    """The log's line of the newest repair of this bench, None where it is none that can be proved."""
    own = own_repairs(job)
    return own[-1] if own and own[-1].name not in NO_REPAIR else None


def proving_of(job: Job, shop: Shop) -> Proving:
    """Work the proof of a job out: after closing once its repair charges again, before closing until then."""
    entry = newest_repair(job)
    repair = Repair.objects.proved_by(entry.pk).first() if entry else None
    plan = plan_of(repair, job, shop) if repair and repair.route in shop.known.procedures.recipes else None
    late = plan is not None and any((row.slot, row.picked.option.id) == (PROOF_SLOT, LATE) for row in plan.choices)
    works = entry.works if entry else None
    subject = Subject(
        device=device_of(job),
        history=tuple(job.history),
        seen=seen_before(job, shop),
        plan=plan,
        answered=(),
        late=late,
    )
    phase = OPEN if subject.opened and not works else CLOSED
    if phase == CLOSED and repair is not None:
        shown = Proof.objects.passed_open(repair.pk).first()
        good = [*shown.answers, *shown.numbers] if shown else []
        subject = Subject(
            device=subject.device,
            history=subject.history,
            seen=subject.seen,
            plan=plan,
            answered=_items_in(shop, good),
            late=late,
        )
    proof = Proof.objects.undecided(job.pk).last()
    if proof is None or proof.phase != phase or proof.repair_id != (repair.pk if repair else None):
        proof = Proof(job=job, repair=repair, phase=phase)
    asked = asked_of(shop.known, subject, phase)
    result = judge_proof(shop.known, subject.device, asked, readings_of(proof))
    to_close = 0
    if repair and plan and phase == CLOSED and subject.opened:
        settled = StepRun.objects.settled(repair.pk)
        to_close = sum(row.step.id not in settled for row in after_test(plan)) if settled else 0
    waiting = entry if entry is not None and not entry.values.get("proved") else None
    guesses = slips_of(shop.known, subject, phase, result)
    return Proving(
        proof=proof,
        repair=repair,
        waiting=waiting,
        subject=subject,
        asked=asked,
        result=result,
        guesses=guesses,
        to_close=to_close,
    )


def _items_in(shop: Shop, names: Sequence[str]) -> tuple[str, ...]:
    """Items that something was read for, by the names of their values or their own."""
    items = shop.known.proof_items.values()
    return tuple(item.id for item in items if item.id in names or set(item.values) & set(names))


def seen_before(job: Job, shop: Shop) -> frozenset[tuple[str, str]]:
    """What every check of the job has shown: its grade, or each sign."""
    found = set()
    for row in evidence_of(job):
        if row.kind != Entry.EntryKind.CHECK:
            continue
        grade, event = row.grade, event_of(row)
        if not grade and isinstance(event, CheckEvent) and not shop.known.checks[row.name].is_look:
            try:
                grade = grade_event(shop.known, device_of(job), event).grade
            except ChargepathError:
                continue
        found.add((row.name, grade))
        found |= {(row.name, sign) for sign in row.signs}
    return frozenset(found)


def proofs_passed(job: Job, shop: Shop) -> list[tuple[Proof, ProofResult]]:
    """Proofs of a job that passed since its newest repair was chosen, each with what it has shown."""
    known, found = shop.known, list(Proof.objects.decided(job.pk))
    last = next((number for number in range(len(found), 0, -1) if found[number - 1].works is False), 0)
    out = []
    for proof in found[last:]:
        named = {*proof.answers, *proof.numbers, *proof.left_out}
        asked = [item for item in known.proof_items.values() if item.id in named or set(item.values) & named]
        out.append((proof, judge_proof(known, device_of(job), asked, readings_of(proof))))
    return out
