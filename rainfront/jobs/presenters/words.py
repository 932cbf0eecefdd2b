"""Observations and log lines in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.base.quantities import shortest, show, typed
from chargepath.base.sentences import inside
from chargepath.case.entries import CheckEvent, Device, HazardEvent, MishapEvent, PathEvent, RepairEvent
from chargepath.case.quickline import DANGER, MISHAP, OTHER, parse_line
from chargepath.diagnosis.graded import GradedEvent as Judged
from chargepath.grading.readings import grade_event
from chargepath.knowledge import Check, Knowledge
from chargepath.knowledge.procedures import WorkStep
from chargepath.knowledge.routes import REFER
from rainfront.jobs.adapters import OVERRULED, event_of
from rainfront.jobs.models import Entry, Job
from rainfront.web.verdicts import line_words

# What an event is named by, whichever it is.
NAMED_BY = ("check", "route", "hazard", "mishap")


@dataclass(frozen=True)
class Said:
    """A log line in words: what, what it showed, a remark, and its state mark ('' for none)."""

    title: str
    text: str
    note: str = ""
    mark: str = ""


def outcome_words(job: Job, known: Knowledge) -> str:
    """How a closed job ended and what was wrong, as a sentence; a job that was handed on says what is suspected."""
    faults = ", ".join(inside(known.faults[name].label) for name in job.outcome_faults if name in known.faults)
    if job.outcome_works is None:
        return "Cancelled."
    if job.outcome_works:
        return f"It charges; what was wrong: {faults}." if faults else "It charges; nothing was wrong."
    to = f"Handed on to {job.on_to}" if job.on_to else "Handed on or back unrepaired"
    why = f": {inside(job.get_on_why_display())}" if job.on_why else ""
    left = f" {job.get_on_as_display()}." if job.on_as else ""
    return f"{to}{why}. {f'Suspected: {faults}.' if faults else 'What is wrong was not found.'}{left}"


def mark_words(check: Check, values: Mapping[str, Any], grade: str, signs: Sequence[str], variant: str) -> str:
    """An observation in words: values with units, then grade or signs."""
    parts = []
    if "reading" in values:
        text = _value(check, "reading", values["reading"])
        if "reference" in values:
            text += f" against {_value(check, 'reference', values['reference'])}"
        parts.append(text)
    else:
        parts += [_value(check, name, value) for name, value in values.items()]
    if check.is_look:
        parts.append(", ".join(check.name(sign) for sign in signs) or "nothing to see")
    elif grade:
        parts.append(check.name(grade))
    if variant:
        parts.append(check.name(variant))
    return ", ".join(parts)


def _value(check: Check, name: str, value: Any) -> str:
    number = float("inf") if value == "OL" else float(value)
    return show(number, check.values[name].unit)


def example_line(check: Check) -> str:
    """A quick line that shows how this check is typed."""
    return f"{check.word} {check.example or typed((check.signs or check.grades)[0])}"


def entry_words(row: Entry, judged: Judged | None, known: Knowledge) -> Said:
    """One log line in words; `judged` is what became of it, None where it is no evidence or struck out."""
    if row.kind == Entry.EntryKind.CHECK:
        return _check_words(row, judged, known.checks[row.name])
    if row.kind == Entry.EntryKind.PATH:
        return Said("Readings along the path", row.text)
    if row.kind == Entry.EntryKind.HAZARD:
        hazard = known.hazards[row.name]
        told_of = "" if row.text.lower() == f"{DANGER} {hazard.word}" else row.text
        title = f"{'Overruled' if row.grade == OVERRULED else 'Danger'}: {hazard.label}"
        return Said(title, told_of, mark="off")
    if row.kind == Entry.EntryKind.MISHAP:
        return Said(f"Mishap: {known.mishaps[row.name].label}", row.text, mark="off")
    if row.is_evidence:
        return _act_words(row, known)
    return Said(row.get_kind_display(), row.text)


def told(row: Entry, device: Device, known: Knowledge) -> str:
    """What a person told with an entry, '' where its text is only the quick line that made it: nobody reads ids."""
    words = row.text.split()
    check = known.checks.get(row.name)
    begins = {"try", "did", DANGER, MISHAP} | ({check.word, check.id, *check.also} if check else set())
    if not words or words[0].lower() not in begins:
        return str(row.text)
    try:
        event = parse_line(row.text, known, device)
    except ReadingError:
        return ""
    except ChargepathError:
        return str(row.text)
    return "" if row.name in (getattr(event, name, "") for name in NAMED_BY) else str(row.text)


def _check_words(row: Entry, judged: Judged | None, check: Check) -> Said:
    note = "" if judged is None else line_words(judged.line) if judged.line else judged.note
    # The note of a line reading holds its figures already.
    values = {} if "reading" in row.values and note else row.values
    text = mark_words(check, values, row.grade or (judged.grade if judged else ""), row.signs, row.variant)
    if judged is None:
        return Said(check.label, text)
    if judged.state != "counts":
        told = note if judged.state == "joint" else f"does not count: {note}"
        mark = check.mark_of(judged.grade, row.signs) if judged.state == "joint" else ""
        return Said(check.label, text, told, mark)
    return Said(check.label, text, "" if note == "as entered" else note, check.mark_of(judged.grade, row.signs))


def graded(row: Entry, device: Device, known: Knowledge) -> tuple[str, str]:
    """Grade ('' for a look) and state mark ('' for none) of a check's line by itself, without the belief."""
    check, event = known.checks[row.name], event_of(row)
    if not isinstance(event, CheckEvent):
        return "", ""
    try:
        grade = "" if check.is_look else row.grade or grade_event(known, device, event).grade
    except ChargepathError:
        return "", ""
    return grade, check.mark_of(grade, row.signs)


def customer_sentences(row: Entry, device: Device, known: Knowledge) -> list[str]:
    """Whole sentences that tell the customer what a check has found; empty where that says nothing to one."""
    grade, _ = graded(row, device, known)
    return known.customer.found(row.name, row.variant, row.signs or [grade])


def _act_words(row: Entry, known: Knowledge) -> Said:
    trying = row.kind == Entry.EntryKind.TRY
    if row.variant == OTHER:
        told_of = "" if row.text.startswith("did ") else row.text
        return Said(f"Done elsewhere before: {known.routes[row.name].label}", told_of)
    title = f"{'Tried' if trying else 'Did'}: {known.routes[row.name].label}"
    text = {True: "it charges", False: "it does not charge", None: "not proved yet"}[row.works]
    if row.name == REFER:
        text = row.text
    elif row.text and not trying and not row.text.startswith("did "):
        text = f"{text}; {row.text}"
    return Said(title, text, mark={True: "good", False: "off", None: ""}[row.works])


def event_words(entry: Judged, known: Knowledge) -> str:
    """An event in words, without its numbers."""
    event = entry.event
    if isinstance(event, CheckEvent):
        check = known.checks[event.check]
        return f"{check.label}: {mark_words(check, {}, entry.grade, event.signs, event.variant)}"
    if isinstance(event, PathEvent):
        return "Readings along the path"
    if isinstance(event, HazardEvent):
        label = known.hazards[event.hazard].label
        return f"overruled: {label}" if event.overruled else f"reported: {label}"
    if isinstance(event, MishapEvent):
        return f"mishap: {known.mishaps[event.mishap].label}"
    what = "did" if isinstance(event, RepairEvent) else "tried"
    works = {True: "charges", False: "does not charge", None: "not proved"}[event.works]
    return f"{what} {known.routes[event.route].label}: {works}"


def setting_words(known: Knowledge, step: WorkStep) -> str:
    """What a step sets, in words with units; '' for nothing."""
    found = known.procedures.settings
    named = [
        f"{found[name].label} {shortest(value)} {known.procedures.unit_of(step, name)}".strip()
        for name, value in step.settings.items()
    ]
    return ", ".join(named)
