"""Keeps one instrument read on a thread of its own, and tells its last values with their age, or what is wrong."""

from __future__ import annotations

import contextlib
import logging
import queue
import threading
import time
from collections import defaultdict, deque
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from benchtalk.instrument import Instrument, TalkedReading
from benchtalk.trouble import Trouble, TroubleKind
from benchtalk.wire import WirePlace
from chargepath.instrument.profile import InstrumentProfile

LOG = logging.getLogger(__name__)
# How long it is left alone after each failure in a row [s]: soon again at first, ten seconds at most.
WAITS_S = (0.5, 0.5, 0.5, 1.0, 1.0, 1.0, 1.5, 1.5, 1.5, 1.5, 5.0, 10.0)
# A value is shown for so long [s]; so many are kept for a small trace; a wish for a quantity holds so long [s].
SHOWN_S, TRACED, WISH_S = 5.0, 120, 15.0


@dataclass
class _Told:
    """What a running instrument says of itself to others; read and written under a lock."""

    state: str = "opening"
    trouble: Trouble | None = None
    values: dict[str, TalkedReading] = field(default_factory=dict)
    traces: dict[str, deque[TalkedReading]] = field(default_factory=lambda: defaultdict(lambda: deque(maxlen=TRACED)))
    last: str = ""
    since: float = field(default_factory=time.monotonic)


class Running:
    """Reads one instrument until it is stopped.

    Parameters
    ----------
    profile : InstrumentProfile
    place : WirePlace
    heard : callable, optional
        Told each reading, on the thread of the instrument; it may not block.

    """

    def __init__(
        self, profile: InstrumentProfile, place: WirePlace, heard: Callable[[TalkedReading], None] = lambda _: None
    ) -> None:
        self.profile, self.place = profile, place
        self._heard = heard
        self._instrument = Instrument(profile, place)
        self._lock, self._over, self._told = threading.Lock(), threading.Event(), _Told()
        self._wish: tuple[str, float] = ("", 0.0)
        self._to_say, self._hearing = queue.SimpleQueue[str](), list[queue.SimpleQueue[Sequence[TalkedReading]]]()
        self._thread = threading.Thread(target=self._run, name=f"instrument {place}", daemon=True)

    def start(self) -> None:
        """Begin to read it."""
        self._thread.start()

    def stop(self) -> None:
        """Stop reading. Returns within half a second, also where the instrument does not answer."""
        self._over.set()
        self._instrument.wake()
        if self._thread.is_alive():
            self._thread.join(timeout=0.5)

    def wish(self, quantity: str) -> None:
        """Have this quantity asked for, for a while: a multimeter measures one thing at a time."""
        with self._lock:
            self._wish = quantity, time.monotonic() + WISH_S

    def tell(self, line: str) -> None:
        """Say a line to a simulated instrument before its next reading; a real one is told nothing."""
        self._to_say.put(line)

    @contextlib.contextmanager
    def hearing(self) -> Iterator[Callable[[float], Sequence[TalkedReading]]]:
        """Give a function that waits so long [s] for the next line and returns its readings, none where none came.

        While somebody hears, every line of an instrument that speaks by itself is read, not only the newest.
        """
        heard = queue.SimpleQueue[Sequence[TalkedReading]]()

        def next_line(within: float) -> Sequence[TalkedReading]:
            try:
                return heard.get(timeout=within)
            except queue.Empty:
                return ()

        with self._lock:
            self._hearing.append(heard)
        try:
            yield next_line
        finally:
            with self._lock:
                self._hearing.remove(heard)

    def told(self) -> dict[str, Any]:
        """How it stands: plain data.

        Returns
        -------
        dict
            `state` is opening, reading or trouble; `identity`; `kind`, `what` and `right` of a trouble; `values` by
            quantity with value and age [s]; `trace` of the quantity read last, pairs of age and value.

        """
        now = time.monotonic()
        with self._lock:
            told = self._told
            return {
                "state": told.state,
                "for_s": now - told.since,
                "identity": self._instrument.identity,
                "kind": str(told.trouble.kind) if told.trouble else "",
                "what": told.trouble.what if told.trouble else "",
                "right": told.trouble.right if told.trouble else "",
                "values": {
                    name: {"value": row.value, "age": row.age(now)}
                    for name, row in told.values.items()
                    if row.age(now) <= SHOWN_S
                },
                "trace": [[row.age(now), row.value] for row in told.traces.get(told.last, ())],
                "traced": told.last,
            }

    # On its own thread.

    def _run(self) -> None:
        failed = 0
        while not self._over.is_set():
            try:
                self._say("opening")
                self._instrument.open()
                self._say("reading")
                while not self._over.is_set():
                    self._round()
                    failed = 0
            except Trouble as trouble:
                self._say("trouble", trouble)
            except Exception:
                # Whatever it is, it is this program's, and no reason to read the instrument no more.
                LOG.exception("reading an instrument failed")
                self._say("trouble", Trouble(TroubleKind.OTHER, "the program could not read what it said"))
            self._instrument.close()
            self._over.wait(WAITS_S[min(failed, len(WAITS_S) - 1)])
            failed += 1

    def _round(self) -> None:
        while not self._to_say.empty():
            self._instrument.pretend(self._to_say.get())
        if self.profile.acquire.way == "stream":
            self._keep(self._instrument.readings(every=bool(self._hearing)))
            return
        begun = time.monotonic()
        self._keep([self._instrument.read(self._wished())])
        self._over.wait(max(begun + 1 / self.profile.acquire.rate_hz - time.monotonic(), 0))

    def _wished(self) -> str:
        with self._lock:
            quantity, until = self._wish
        if quantity in self.profile.measured and time.monotonic() < until:
            return quantity
        return next(iter(self.profile.measured))

    def _keep(self, readings: Sequence[TalkedReading]) -> None:
        with self._lock:
            for reading in readings:
                self._told.values[reading.quantity] = reading
                # The clock of the instrument is nothing to draw.
                if reading.quantity != "seconds":
                    self._told.traces[reading.quantity].append(reading)
                    self._told.last = reading.quantity
            for heard in self._hearing if readings else ():
                heard.put(readings)
        for reading in readings:
            self._heard(reading)

    def _say(self, state: str, trouble: Trouble | None = None) -> None:
        """Say how it stands. What was wrong stays said until it reads again; what was read is no value any more."""
        with self._lock:
            told = self._told
            if state == "opening" and told.trouble is not None:
                return
            if state != told.state:
                told.since = time.monotonic()
            told.state = state
            told.trouble = trouble
            if state == "trouble":
                told.values.clear()
