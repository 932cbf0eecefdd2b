"""Reading the power meter of the bench into a record.

Only the process that reads the instruments (`instruments.readers`) runs this: it listens to the meter that is kept read
there (`instruments.bench`). Samples go into the database about once a second, and nothing piles up in memory.
"""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Iterable
from dataclasses import dataclass, field

from django.db import OperationalError, connections
from django.utils import timezone

from benchtalk.instrument import TalkedReading
from benchtalk.running import Running
from rainfront.instruments import actions

# A record ends where its meter has said nothing for so long: until then it may be plugged in again [s].
SILENT_S, FLUSH_S, LAST_TRIES = 4.0, 1.0, 8
# How often a record looks up from a silent meter [s].
LOOKS_UP_S = 0.5
# A meter's clock never goes on by more than this from one sample to the next [s]; so many samples in a row that do,
# and its clock has begun anew.
MOST_STEP_S, ANEW_AFTER = 600.0, 10
Row = tuple[float, float, float]


@dataclass
class Samples:
    """Samples on one clock that only goes on; what cannot be is left out and counted.

    One wrong time would else stand at the end of the record for good, and everything after it would be before it.

    Attributes
    ----------
    rows : list of Row
        Seconds since the first sample, volts, amps; those that wait to be stored.
    dropped : int
        Samples whose time cannot be.

    """

    rows: list[Row] = field(default_factory=list)
    dropped: int = 0
    _first: float | None = None
    _last: float = 0.0
    _strays: int = 0

    def take(self, sample: Row) -> bool:
        """Take a sample in; whether it was one."""
        seconds, volts, amps = sample
        if self._first is None:
            self._first = self._last = seconds
        if not self._last <= seconds <= self._last + MOST_STEP_S:
            self.dropped, self._strays = self.dropped + 1, self._strays + 1
            if self._strays < ANEW_AFTER:
                return False
            # The meter was switched off and on: what it says now follows what it said last.
            self._first, self._last = seconds - (self._last - self._first), seconds
        self._strays, self._last = 0, seconds
        self.rows.append((seconds - self._first, volts, amps))
        return True


def sample_of(line: Iterable[TalkedReading], begun: float) -> Row | None:
    """Seconds, volts and amps of one line of a meter; None where it lacks volts or amps.

    Volts and amps stand in one line: two lines would be two moments. A meter without a clock goes by this computer's,
    seconds since `begun`.
    """
    found = {reading.quantity: reading for reading in line}
    if not {"volts", "amps"} <= found.keys():
        return None
    seconds = found["seconds"].value if "seconds" in found else found["amps"].at - begun
    sample = seconds, found["volts"].value, found["amps"].value
    return sample if all(map(math.isfinite, sample)) else None


def record_from(meter: Running, record_id: int) -> str:
    """Read samples of a meter into a record until it is stopped; returns what went wrong, '' where nothing did.

    The record is looked at each second, whether a line has come or not.
    """
    samples, trouble = Samples(), ""
    begun = flushed = heard_at = time.monotonic()
    with meter.hearing() as heard:
        while not trouble:
            sample = sample_of(heard(LOOKS_UP_S), begun)
            now = time.monotonic()
            if sample is not None and samples.take(sample):
                heard_at = now
            if now - heard_at > SILENT_S:
                trouble = meter.told()["what"] or f"the meter said no reading for {SILENT_S:.0f} s"
            if now - flushed >= FLUSH_S:
                flushed = now
                if _store(record_id, samples) is False:
                    return ""
    for _ in range(LAST_TRIES):
        if _store(record_id, samples) is not None:
            break
        threading.Event().wait(FLUSH_S / 4)
    return trouble


def _store(record_id: int, samples: Samples) -> bool | None:
    """Store samples: False where the record has been stopped, None where the database was busy and they wait."""
    try:
        found = actions.append_samples(record_id, samples.rows, samples.dropped, now=timezone.now())
    except OperationalError:
        return None
    samples.rows = []
    return found


def _run(meter: Running, record_id: int) -> None:
    try:
        trouble = record_from(meter, record_id)
        if trouble:
            actions.break_off(record_id, trouble, now=timezone.now())
    finally:
        connections.close_all()


def start_record_from(meter: Running, record_id: int) -> None:
    """Read a meter into a record on a thread of its own."""
    threading.Thread(target=_run, args=(meter, record_id), name=f"record-{record_id}", daemon=True).start()
