"""Reading a meter on a thread of its own.

Samples go into the database about once a second, nothing piles up in memory.
"""

from __future__ import annotations

import json
import socket
import threading
import time
from collections.abc import Iterator
from typing import Any

from django.db import OperationalError, connections
from django.utils import timezone

from chargepath.base.errors import ReadingError
from chargepath.trace.protocol import parse_sample
from rainfront.instruments import actions
from rainfront.instruments.models import Meter
from rainfront.people.networks import refuse_address

CONNECT_S, SILENT_S, FLUSH_S, LINE_BYTES, LAST_TRIES = 2.0, 4.0, 1.0, 4096, 8


def connect(host: str, port: int, name: str, what: str = "meter") -> socket.socket:
    """Connect to an instrument, called `what` where it cannot be.

    Raises
    ------
    ReadingError
        It stands where the owner allows no meter, or cannot be reached.

    """
    refuse_address(host)
    try:
        made = socket.create_connection((host, port), timeout=CONNECT_S)
    except (OSError, ValueError, OverflowError) as error:
        detail = getattr(error, "strerror", None) or str(error)
        raise ReadingError(
            f"the {what} at {name} cannot be reached ({detail})", what, "switch it on, or set its address"
        ) from error
    made.settimeout(SILENT_S)
    return made


def open_meter(meter: Meter) -> socket.socket:
    """Connect to the workshop's USB meter; raises as `connect` does."""
    return connect(meter.host, meter.port, str(meter))


def lines_of(made: socket.socket) -> Iterator[str]:
    """Whole lines from a socket, until it is closed from the other side."""
    rest = b""
    while data := made.recv(8192):
        *whole, rest = (rest + data).split(b"\n")
        rest = rest[-LINE_BYTES:]
        for line in whole:
            yield line.decode("utf-8", errors="replace")


def pump(record_id: int, made: socket.socket) -> str:
    """Read samples into a record until it is stopped; returns what went wrong, '' where nothing did."""
    rows: list[tuple[float, float, float]] = []
    flushed, first = time.monotonic(), None
    try:
        for line in lines_of(made):
            sample = parse_sample(line)
            if sample:
                first = sample[0] if first is None else first
                rows.append((sample[0] - first, sample[1], sample[2]))
            if time.monotonic() - flushed >= FLUSH_S:
                flushed = time.monotonic()
                stored = _store(record_id, rows)
                if stored is False:
                    return ""
                rows = [] if stored else rows
    except TimeoutError:
        trouble = f"the meter fell silent for {SILENT_S:.0f} s"
    except OSError as error:
        trouble = f"the connection to the meter broke ({error.strerror or error})"
    else:
        trouble = "the meter closed the connection"
    for _ in range(LAST_TRIES):
        if _store(record_id, rows) is not None:
            break
        threading.Event().wait(FLUSH_S / 4)
    return trouble


def _store(record_id: int, rows: list[tuple[float, float, float]]) -> bool | None:
    """Store samples: False where the record has been stopped, None where the database was busy and they wait."""
    try:
        return actions.append_samples(record_id, rows, now=timezone.now())
    except OperationalError:
        return None


def _run(record_id: int, made: socket.socket) -> None:
    try:
        trouble = pump(record_id, made)
        if trouble:
            actions.break_off(record_id, trouble, now=timezone.now())
    finally:
        made.close()
        connections.close_all()


def start_reader(record_id: int, made: socket.socket) -> threading.Thread:
    """Read a meter into a record on a thread of its own."""
    thread = threading.Thread(target=_run, args=(record_id, made), name=f"meter-{record_id}", daemon=True)
    thread.start()
    return thread


def _object(line: str) -> dict[str, Any]:
    """A line's JSON object; empty where it is anything else."""
    try:
        found = json.loads(line)
    except (ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def command(meter: Meter, data: dict[str, Any]) -> str:
    """Send one command to a meter; returns what it answered that was wrong, '' where it was carried out.

    Raises
    ------
    ReadingError
        The meter cannot be reached or does not answer.

    """
    with open_meter(meter) as made:
        made.sendall(json.dumps(data).encode() + b"\n")
        until = time.monotonic() + SILENT_S
        try:
            for line in lines_of(made):
                answer = _object(line)
                if "ok" in answer or "error" in answer:
                    return str(answer.get("error", ""))[:200]
                if time.monotonic() > until:
                    return "the meter talks, and answers nothing"
        except OSError as error:
            raise ReadingError(f"the meter at {meter} does not answer", "meter", "switch it off and on") from error
    return "the meter closed the connection"


def greeting(meter: Meter) -> dict[str, Any]:
    """What a simulated meter says of itself: the devices that can be put on it, and how the plug can be leant.

    Else empty.
    """
    try:
        with open_meter(meter) as made:
            found = _object(next(lines_of(made), "{}"))
    except (ReadingError, OSError):
        return {}
    return found if found.get("simulated") else {}
