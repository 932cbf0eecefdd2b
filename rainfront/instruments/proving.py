"""The proof as the live meter sees it: what it watches now, what it has seen, what a person takes off it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from chargepath.base.errors import ReadingError
from chargepath.proving.verdict import Readings
from chargepath.proving.watching import Seen, amps_at_end, charge_mah, observe
from chargepath.trace.model import Trace
from rainfront.instruments import adapters
from rainfront.instruments.actions import append_percent, finish_record, mend_stale
from rainfront.instruments.models import Record
from rainfront.jobs.models import Job
from rainfront.people.models import User
from rainfront.proof import actions as proof_actions
from rainfront.proof.proving import Proving, proving_of
from rainfront.workshop.adapters import Shop

# What a person can take off the meter for an item: the names of its current and of its volts.
TAKEN: Mapping[str, tuple[str, str]] = {
    "current": ("amps", "volts"),
    "flip": ("amps_flipped", ""),
    "own": ("amps_own", ""),
    "off": ("amps_off", ""),
    "fast": ("amps_fast", "volts_fast"),
}


@dataclass(frozen=True)
class ItemWatch:
    """How an item stands on the meter.

    Attributes
    ----------
    amps, volts : float or None
        What it shows now.
    seen : Seen or None
        What it has seen of the item; None where the meter cannot see that.
    moved : bool
        An item was ticked, so that the page has to follow.

    """

    amps: float | None
    volts: float | None
    seen: Seen | None
    moved: bool = False


def running_for(job_id: int) -> Record | None:
    """The record that runs for the proof of a job."""
    found: Record | None = Record.objects.running().filter(job_id=job_id, for_proof=True).first()
    return found


def watch_item(record: Record, name: str, *, user: User, now: datetime, shop: Shop) -> ItemWatch:
    """Look at the record: tick the item as soon as it is sure, and say what to do until then."""
    mend_stale(record.job_id, now=now)
    job = Job.objects.with_people().get(pk=record.job_id)
    proving = proving_of(job, shop)
    item = proving.item(name)
    trace = adapters.load(record)
    if len(trace) < 3:
        return ItemWatch(None, None, Seen(False, "Waiting for the first samples."))
    amps, volts = amps_at_end(trace, 1.0)
    shown = ItemWatch(amps, volts if volts == volts else None, None)
    if not item.watch or any(row.item == item and row.shown for row in proving.result.items):
        return shown
    start = _since(record, proving, name, trace, user=user, now=now, shop=shop)
    part = trace.part(start, float(trace.seconds[-1]))
    seen = observe(shop.known, item.watch, part, proving.proof.numbers.get("amps", 0.0))
    if seen.done:
        given, since = Readings(seen.numbers, seen.answers), record.started_at
        proof_actions.record_proof(job, given, by_meter=name, watched_since=since, user=user, now=now, shop=shop)
        return ItemWatch(amps, shown.volts, seen, moved=True)
    return ItemWatch(amps, shown.volts, seen)


def _since(
    record: Record, proving: Proving, name: str, trace: Trace, *, user: User, now: datetime, shop: Shop
) -> float:
    """From where in the record an item is watched [s]: since it came up, or since the first percent was read."""
    if proving.item(name).watch == "gain" and proving.proof.first_at:
        return max((proving.proof.first_at - record.started_at).total_seconds(), 0.0)
    kept = proving.proof.watching
    if kept.get("item") == name and kept["from"] <= float(trace.seconds[-1]):
        return float(kept["from"])
    end = float(trace.seconds[-1])
    since = record.started_at
    proof_actions.watch_from(record.job_id, name, end, watched_since=since, user=user, now=now, shop=shop)
    return end


def take_reading(record: Record, name: str, *, user: User, now: datetime, shop: Shop) -> None:
    """Take what the meter shows now as the reading of an item.

    Raises
    ------
    ReadingError
        The meter shows nothing, or the item is none that it could show.

    """
    trace = adapters.load(record)
    if name not in TAKEN or len(trace) < 3:
        raise ReadingError("the meter shows nothing for that", "meter", "type it")
    amps, volts = amps_at_end(trace)
    of_amps, of_volts = TAKEN[name]
    numbers = {of_amps: round(amps, 3)}
    if of_volts and volts == volts:
        numbers[of_volts] = round(volts, 2)
    given, since = Readings(numbers), record.started_at
    proof_actions.record_proof(record.job_id, given, by_meter=name, watched_since=since, user=user, now=now, shop=shop)


def flowed_since(record: Record, proving: Proving) -> float | None:
    """Charge since the first percent was read [mAh], where the record reaches back so far."""
    first = proving.proof.first_at
    if first is None or first < record.started_at:
        return None
    trace = adapters.load(record)
    if len(trace) < 3:
        return None
    start = (first - record.started_at).total_seconds()
    return round(charge_mah(trace.part(start, float(trace.seconds[-1]))), 1)


def end_record(job: Job, *, user: User, now: datetime, shop: Shop) -> None:
    """Stop and keep the record that ran for a proof; one without a sample leaves nothing."""
    record = running_for(job.pk)
    if record is None:
        return
    append_percent(record, job)
    try:
        finish_record(record, user=user, now=now, shop=shop)
    except ReadingError:
        return
