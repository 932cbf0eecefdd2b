"""Observations and log lines in words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from chargepath.base.quantities import show
from chargepath.decision.plan import REFER
from chargepath.diagnosis.belief import Entry as BeliefEntry
from chargepath.knowledge import Check, Knowledge
from rainfront.jobs.models import Entry


@dataclass(frozen=True)
class LogRow:
    """One line of the log."""

    entry: Entry
    title: str
    text: str
    note: str
    mark: str
    struck: bool
    photos: tuple[Any, ...] = ()


def mark_words(check: Check, values: dict[str, Any], grade: str, signs: list[str], variant: str) -> str:
    """An observation in words: values with units, then grade or signs."""
    parts = []
    if "reading" in values:
        text = _value(check, "reading", values["reading"])
        parts.append(
            f"{text} against {_value(check, 'reference', values['reference'])}" if "reference" in values else text
        )
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
    if check.example:
        return f"{check.word} {check.example}"
    return f"{check.word} {(check.signs or check.grades)[0]}"


def log_row(row: Entry, entry: BeliefEntry | None, known: Knowledge) -> LogRow:
    """One log line in words."""
    mark, note = "", entry.note if entry else ""
    if row.kind == Entry.EntryKind.CHECK:
        check = known.checks[row.name]
        title = check.label
        grade = row.grade or (entry.grade if entry else "")
        values = {} if "reading" in row.values and note else row.values
        text = mark_words(check, values, grade, row.signs, row.variant)
        if entry and entry.state == "counts":
            mark = ("off" if row.signs else "good") if check.is_look else check.mark(entry.grade)
        elif entry:
            note = f"does not count: {entry.note}"
        if note == "as entered":
            note = ""
    elif row.is_evidence:
        trying = row.kind == Entry.EntryKind.TRY
        title = f"Tried: {known.routes[row.name].label}" if trying else f"Did: {known.routes[row.name].label}"
        text = {True: "it charges", False: "it does not charge", None: "not proved yet"}[row.works]
        if row.name == REFER:
            text = row.text
        elif row.text and not trying and not row.text.startswith("did "):
            text = f"{text}; {row.text}"
        mark = {True: "good", False: "off", None: ""}[row.works]
    else:
        title, text = row.get_kind_display(), row.text
    return LogRow(row, title, text, note, mark, row.struck_at is not None)


def money(amount: float, currency: str) -> str:
    """An amount, rounded as it is spoken."""
    return f"{currency}{amount:,.0f}"
