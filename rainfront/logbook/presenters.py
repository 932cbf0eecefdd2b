"""What the logbook shows."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, time
from typing import Any

from django.utils.timezone import make_aware

from chargepath.knowledge import Knowledge
from rainfront.jobs.models import Job
from rainfront.logbook.forms import words_of
from rainfront.logbook.index import ENDED, NOT_FOUND, NOTHING, ended_of
from rainfront.logbook.models import Fact, Page

PAGE, SHOWN_LINES, LINE = 40, 3, 160
COUNTED = 200


@dataclass(frozen=True)
class FoundRow:
    """One job that was found: how it ended, and the lines that hold the words, cut into parts, marked or not."""

    job: Job
    faults: str
    ended: str
    at: datetime
    lines: Sequence[Sequence[tuple[str, bool]]]


@dataclass(frozen=True)
class Found:
    """A page of what was found; `before` leads on to older jobs."""

    rows: Sequence[FoundRow]
    before: int | None
    count: str


def search(asked: Mapping[str, Any], known: Knowledge, before: int | None) -> Found:
    """Look for jobs.

    Parameters
    ----------
    asked : mapping
        Cleaned data of `forms.SearchForm`.
    known : Knowledge
    before : int or None
        Only jobs with a smaller number.

    """
    words, pages = words_of(asked.get("q", "")), narrowed(asked)
    found = pages.newest(words, before, PAGE + 1)
    rows = [_row(page, words, known) for page in found[:PAGE]]
    more = found[PAGE - 1].pk if len(found) > PAGE else None
    count = ""
    if before is None:
        whole = len(found) if more is None else len(pages.numbers(words, None, COUNTED + 1))
        count = f"more than {COUNTED} jobs" if whole > COUNTED else "1 job" if whole == 1 else f"{whole} jobs"
    return Found(rows, more, count)


def narrowed(asked: Mapping[str, Any]) -> Any:
    """Pages of jobs of which everything is known that was asked, but the words."""
    pages: Any = Page.objects.all()
    for kind in (Fact.Kind.FAULT, Fact.Kind.ROUTE, Fact.Kind.STATION, Fact.Kind.ENDED, Fact.Kind.PERSON):
        if asked.get(kind.value):
            pages = pages.with_fact(kind.value, asked[kind.value])
    if asked.get("model"):
        pages = pages.with_fact(Fact.Kind.MODEL.value, asked["model"].strip().lower())
    if asked.get("value"):
        pages = pages.measured(asked["value"], asked.get("low_number"), asked.get("high_number"))
    if asked.get("since"):
        pages = pages.filter(at__gte=make_aware(datetime.combine(asked["since"], time.min)))
    if asked.get("until"):
        pages = pages.filter(at__lte=make_aware(datetime.combine(asked["until"], time.max)))
    return pages


def _row(page: Page, words: Sequence[str], known: Knowledge) -> FoundRow:
    job = page.job
    faults = [known.faults[name].label for name in job.outcome_faults if name in known.faults]
    ended = ended_of(job)
    without = {"works": NOTHING, "back": NOTHING, "on": NOT_FOUND}.get(ended, "")
    return FoundRow(job, ", ".join(faults) or without, ENDED[ended], page.at, marked_lines(page.text, words))


def marked_lines(text: str, words: Sequence[str]) -> list[list[tuple[str, bool]]]:
    """The first lines that hold a word, each cut into parts: text, and whether it is one of the words."""
    if not words:
        return []
    pattern = re.compile("|".join(re.escape(word) for word in sorted(words, key=len, reverse=True)), re.IGNORECASE)
    out = []
    for line in text.splitlines():
        first = pattern.search(line)
        if first is None:
            continue
        start = max(first.start() - LINE // 2, 0)
        shown = f"{'… ' if start else ''}{line[start : start + LINE]}{' …' if len(line) > start + LINE else ''}"
        parts, at = [], 0
        for match in pattern.finditer(shown):
            parts += [(shown[at : match.start()], False), (match.group(), True)]
            at = match.end()
        out.append([part for part in (*parts, (shown[at:], False)) if part[0]])
        if len(out) == SHOWN_LINES:
            break
    return out
