"""Jobs like this one: closed jobs that probably had the same cause, by what was read of both as they came in."""

from __future__ import annotations

import math
import threading
import time
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.sentences import inside
from chargepath.diagnosis.alike import LEAST_FACTOR, cause_likelihoods, same_cause, shown_by, usual_causes
from chargepath.knowledge import Knowledge, Route
from rainfront.jobs.adapters import case_of
from rainfront.jobs.models import Job
from rainfront.logbook.index import ENDED, NOT_FOUND, NOTHING
from rainfront.logbook.models import Fact, Page
from rainfront.logbook.signals import page_written
from rainfront.workshop.adapters import Shop

# How many of those that look most alike are compared reading by reading, and how many are shown.
COMPARED, SHOWN = 60, 6


@dataclass(frozen=True)
class AlikeRow:
    """One job like this one."""

    job: Job
    factor: float
    shared: Sequence[str]
    faults: str
    routes: str
    ended: str


@dataclass(frozen=True)
class Alike:
    """The jobs like one: how many, what was wrong with them most often, and the nearest."""

    count: int
    most: str
    most_count: int
    of: int
    held: str
    rows: Sequence[AlikeRow]


@dataclass
class _Kept:
    """The causes of all closed jobs, kept in this process and brought up to date before each use."""

    basis: str = ""
    upto: datetime | None = None
    place: dict[int, int] = field(default_factory=dict)
    jobs: Array = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    causes: Array = field(default_factory=lambda: np.zeros((0, 0), dtype=np.float32))
    asked_s: float = -math.inf
    answers: dict[tuple[str, int, str], tuple[float, Alike | None]] = field(default_factory=dict)
    lock: threading.Lock = field(default_factory=threading.Lock)


_kept = _Kept()
# What other processes have written is seen after so long [s]; the answer for a job left as it is is kept longer.
SEEN_AFTER_S, KEPT_S, MOST_KEPT = 1.0, 60.0, 200


def forget() -> None:
    """Forget everything that is kept, as where the jobs of this process are others from now on."""
    _kept.basis, _kept.asked_s = "", -math.inf
    _kept.answers.clear()


def look_again(**_: object) -> None:
    """Look for what is new the next time: this process has written a page."""
    _kept.asked_s = -math.inf
    _kept.answers.clear()


page_written.connect(look_again, dispatch_uid="logbook.alike")


def _causes(shop: Shop) -> tuple[Array, Array]:
    """Numbers of all closed jobs (n,) and their causes (n, n_causes); a job whose row is empty is none."""
    basis, size = shop.shipped_name, len(shop.shipped.faults) + 1
    with _kept.lock:
        if _kept.basis != basis:
            _kept.basis, _kept.upto, _kept.place = basis, None, {}
            _kept.jobs, _kept.causes = np.zeros(0, dtype=np.int64), np.zeros((0, size), dtype=np.float32)
        if _kept.basis and time.monotonic() - _kept.asked_s < SEEN_AFTER_S:
            return _kept.jobs, _kept.causes
        _kept.asked_s = time.monotonic()
        rows = list(Page.objects.changed_since(basis, _kept.upto))
        news = [pk for pk, *_ in rows if pk not in _kept.place]
        if news:
            _kept.place.update({pk: len(_kept.place) + k for k, pk in enumerate(news)})
            _kept.jobs = np.concatenate([_kept.jobs, np.array(news, dtype=np.int64)])
            _kept.causes = np.concatenate([_kept.causes, np.zeros((len(news), size), dtype=np.float32)])
        if rows:
            causes = _kept.causes.copy()
            for pk, made, closed, updated in rows:
                found = np.frombuffer(made, dtype=np.float32) if closed and made else np.zeros(0)
                causes[_kept.place[pk]] = found if found.size == size else 0.0
                _kept.upto = max(_kept.upto or updated, updated)
            _kept.causes = causes
        return _kept.jobs, _kept.causes


def alike_to(job: Job, shop: Shop) -> Alike | None:
    """Closed jobs like a job, None where nothing was read of it yet or none is like it."""
    key, now = (f"{job.case_id} {job.pk}", job.turn, shop.shipped_name), time.monotonic()
    at, found = _kept.answers.get(key, (-math.inf, None))
    if now - at < KEPT_S:
        return found
    found = _look_for(job, shop)
    if len(_kept.answers) >= MOST_KEPT:
        _kept.answers.clear()
    _kept.answers[key] = (now, found)
    return found


def _look_for(job: Job, shop: Shop) -> Alike | None:
    known = shop.shipped
    case = case_of(job, known)
    shown = shown_by(known, case)
    if not shown:
        return None
    mine = cause_likelihoods(known, case)
    jobs, causes = _causes(shop)
    factors = same_cause(usual_causes(known).astype(np.float32), mine.astype(np.float32), causes)
    alike = np.flatnonzero(factors >= LEAST_FACTOR)
    alike = alike[jobs[alike] != job.pk]
    if not alike.size:
        return None
    near = alike[np.lexsort((-jobs[alike], -factors[alike].round(2)))][:COMPARED]
    found = {int(jobs[at]): float(factors[at]) for at in near}
    pages = {page.job_id: page for page in Page.objects.filter(pk__in=found).defer("text").select_related("job")}
    facts = _facts_of(found)
    mine_shown = {f"{key} {what}" for key, what in shown}
    ranked = sorted(
        (page for page in pages.values()),
        key=lambda page: (-len(mine_shown & set(page.shown)), page.job.model_name != job.model_name, -page.job_id),
    )
    faults = Counter(fault for pk in found for fault in _faults_of(facts[pk]))
    fault, times = faults.most_common(1)[0] if faults else ("", 0)
    with_it = [pk for pk in found if fault in _faults_of(facts[pk])]
    words = known.worded(job.carrier)
    rows = [_row(page, found[page.job_id], mine_shown, facts[page.job_id], words) for page in ranked[:SHOWN]]
    here = {
        route.id: route for route in words.routes.values() if route.fits(job.carrier, job.traits, wireless=job.wireless)
    }
    return Alike(
        count=int(alike.size),
        most=_fault(known, fault),
        most_count=times,
        of=len(found),
        held=_held(with_it, facts, here),
        rows=rows,
    )


def _facts_of(jobs: Mapping[int, float]) -> dict[int, dict[str, list[str]]]:
    out: dict[int, dict[str, list[str]]] = {pk: {} for pk in jobs}
    wanted = (Fact.Kind.FAULT, Fact.Kind.ROUTE, Fact.Kind.ENDED)
    for pk, kind, value in Fact.objects.filter(job__in=jobs, kind__in=wanted).values_list("job_id", "kind", "value"):
        out[pk].setdefault(kind, []).append(value)
    return out


def _faults_of(facts: Mapping[str, list[str]]) -> list[str]:
    """Faults of a job; where it has none, whether nothing was wrong or whether it was handed on without one found."""
    return facts.get("fault") or [NOT_FOUND if "on" in facts.get("ended", ()) else NOTHING]


def _fault(known: Knowledge, fault: str) -> str:
    return known.faults[fault].label if fault in known.faults else fault


def _held(jobs: Sequence[int], facts: Mapping[int, Mapping[str, list[str]]], here: Mapping[str, Route]) -> str:
    """The repair that was done most often on those jobs, of those that fit this device, and how often it held."""
    done = Counter(route for pk in jobs for route in facts[pk].get("route", []) if route in here)
    if not done:
        return ""
    route, times = done.most_common(1)[0]
    held = sum(route in facts[pk].get("route", []) and "works" in facts[pk].get("ended", []) for pk in jobs)
    return f"{here[route].label} held {held} of {times} times"


def _row(page: Page, factor: float, mine: set[str], facts: Mapping[str, Any], known: Knowledge) -> AlikeRow:
    labels = [inside(known.routes[name].label) for name in facts.get("route", []) if name in known.routes]
    return AlikeRow(
        job=page.job,
        factor=factor,
        shared=[reading_words(text, known) for text in page.shown if text in mine],
        faults=", ".join(inside(_fault(known, name)) for name in _faults_of(facts)),
        routes=", ".join(labels),
        ended=ENDED.get(facts.get("ended", [""])[0], ""),
    )


def reading_words(text: str, known: Knowledge) -> str:
    """A kept reading, as in ``plug_wiggle drops``, in words."""
    key, _, what = text.rpartition(" ")
    name, _, variant = key.partition("@")
    check = known.checks.get(name)
    if check is None:
        return text
    at = f" ({check.name(variant)})" if variant else ""
    seen = "nothing to see" if what == "seen" else check.name(what)
    return f"{check.label}{at}: {seen}"
