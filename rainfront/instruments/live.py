"""Speaking with the instruments that say lines of JSON, and reading a meter into a record.

Only the process that reads the instruments (`instruments.readers`) runs this. Samples go into the database about once a
second, nothing piles up in memory, and each question has one deadline for its whole answer.
"""

from __future__ import annotations

import json
import socket
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from django.db import OperationalError, connections
from django.utils import timezone

from benchtalk.lines import WireLines
from benchtalk.trouble import Trouble, TroubleKind
from benchtalk.wire import WirePlace, open_wire
from chargepath.base.errors import ReadingError
from chargepath.trace.protocol import parse_sample
from rainfront.instruments import actions

CONNECT_S, SILENT_S, FLUSH_S, LINE_BYTES, LAST_TRIES = 2.0, 4.0, 1.0, 4096, 8
# A question to an instrument is answered within this, as a whole [s]; how often a reader looks up from a silent line.
ANSWERS_S, LOOKS_UP_S = 2.0, 0.5
# A meter's clock never goes on by more than this from one sample to the next [s]; so many samples in a row that do,
# and its clock has begun anew.
MOST_STEP_S, ANEW_AFTER = 600.0, 10
BYTES_A_SECOND = 65_536
# How long it is listened to a meter whose lines nobody knows [s], and what is kept of them.
LISTENS_S, HEARD = 2.0, 24
Row = tuple[float, float, float]


def connect(host: str, port: int, what: str = "meter") -> socket.socket:
    """Connect to an instrument, called `what` where it cannot be.

    Raises
    ------
    ReadingError
        It cannot be reached.

    """
    try:
        made = socket.create_connection((host, port), timeout=CONNECT_S)
    except (OSError, ValueError, OverflowError) as error:
        detail = getattr(error, "strerror", None) or str(error)
        raise ReadingError(
            f"the {what} at {host}:{port} cannot be reached ({detail})", what, "switch it on, or set its address"
        ) from error
    return made


def lines_until(made: socket.socket, end: float) -> Iterator[str]:
    """Whole lines, until the time `end` of the monotonic clock, however slowly they drip in.

    Raises
    ------
    TimeoutError
        The time is over.
    OSError
        The connection broke.

    """
    rest = b""
    while (left := end - time.monotonic()) > 0:
        made.settimeout(left)
        data = made.recv(8192)
        if not data:
            return
        *whole, rest = (rest + data).split(b"\n")
        rest = rest[-LINE_BYTES:]
        for line in whole:
            yield line.decode("utf-8", errors="replace")
    raise TimeoutError("no answer in time")


def _object(line: str) -> dict[str, Any]:
    """A line's JSON object; empty where it is anything else."""
    try:
        found = json.loads(line)
    except (ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def command_to(host: str, port: int, what: str, data: dict[str, Any], *, simulated: bool = False) -> str:
    """Send one command to an instrument that speaks JSON; what it answered that was wrong, '' where it carried it out.

    `simulated`: it goes to a simulated one only, which says so in its first line.

    Raises
    ------
    ReadingError
        The instrument cannot be reached, is a real one, or does not answer in time.

    """
    with connect(host, port, what) as made:
        try:
            lines = lines_until(made, time.monotonic() + ANSWERS_S)
            if simulated and not _object(next(lines, "{}")).get("simulated"):
                raise ReadingError(f"the {what} is a real one", what, "do it by hand")
            made.sendall(json.dumps(data).encode() + b"\n")
            for line in lines:
                answer = _object(line)
                if "ok" in answer or "error" in answer:
                    return str(answer.get("error", ""))[:200]
        except OSError as error:
            raise ReadingError(f"the {what} at {host}:{port} does not answer", what, "switch it off and on") from error
    return f"the {what} closed the connection"


def greeting_of(host: str, port: int) -> dict[str, Any]:
    """The first line that a meter says; empty where it says none in time."""
    try:
        with connect(host, port) as made:
            return _object(next(lines_until(made, time.monotonic() + ANSWERS_S), "{}"))
    except (ReadingError, OSError):
        return {}


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


def listen(place: WirePlace) -> list[str]:
    """The raw lines that an instrument sends by itself within a short time, the last ones; nothing is said to it.

    Raises
    ------
    ReadingError
        It cannot be reached, or says nothing.

    """
    found, end = list[str](), time.monotonic() + LISTENS_S
    wire = open_wire(place)
    lines = WireLines(wire)
    try:
        while len(found) < HEARD and (left := end - time.monotonic()) > 0:
            found.append(lines.line(left))
    except Trouble as trouble:
        if trouble.kind is not TroubleKind.SILENT:
            raise
    finally:
        wire.close()
    # The first line may have begun before anybody listened.
    if len(found) < 2:
        raise ReadingError(f"the meter at {place} says nothing by itself", "meter", "a meter that sends lines")
    return found[1:]


def pump(
    record_id: int,
    made: socket.socket,
    hello: Callable[[dict[str, Any]], None] = lambda _: None,
    sample_of: Callable[[str, float], Row | None] = lambda line, _: parse_sample(line),
) -> str:
    """Read samples into a record until it is stopped; returns what went wrong, '' where nothing did.

    `hello` is told what the meter says of itself. The record is looked at each second, whether a line has come or not.
    """
    samples, rest, begun = Samples(), b"", time.monotonic()
    flushed = heard = begun
    taken, trouble = 0, ""
    made.settimeout(LOOKS_UP_S)
    while not trouble:
        try:
            data = made.recv(8192)
            trouble = "" if data else "the meter closed the connection"
        except TimeoutError:
            data = b""
        except OSError as error:
            data, trouble = b"", f"the connection to the meter broke ({error.strerror or error})"
        now, taken = time.monotonic(), taken + len(data)
        *whole, rest = (rest + data).split(b"\n")
        rest = rest[-LINE_BYTES:]
        for raw in whole:
            line = raw.decode("utf-8", errors="replace")
            sample = sample_of(line, now - begun)
            if sample is None:
                said = _object(line)
                if "hello" in said:
                    hello(said)
            elif samples.take(sample):
                heard = now
        if now - heard > SILENT_S:
            trouble = trouble or f"the meter said no reading for {SILENT_S:.0f} s"
        if taken > BYTES_A_SECOND * (now - begun + SILENT_S):
            trouble = trouble or "the meter says more than a meter can"
        if now - flushed >= FLUSH_S:
            flushed = now
            stored = _store(record_id, samples)
            if stored is False:
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


def _run(record_id: int, made: socket.socket, *how: Any) -> None:
    try:
        trouble = pump(record_id, made, *how)
        if trouble:
            actions.break_off(record_id, trouble, now=timezone.now())
    finally:
        made.close()
        connections.close_all()


def start_reader(
    record_id: int,
    made: socket.socket,
    hello: Callable[[dict[str, Any]], None] = lambda _: None,
    sample_of: Callable[[str, float], Row | None] = lambda line, _: parse_sample(line),
) -> threading.Thread:
    """Read a meter into a record on a thread of its own."""
    thread = threading.Thread(
        target=_run, args=(record_id, made, hello, sample_of), name=f"meter-{record_id}", daemon=True
    )
    thread.start()
    return thread
