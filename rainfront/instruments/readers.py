"""The process that reads the instruments (`manage.py instruments`): one thread an instrument, never in a web worker.

A web worker asks it over a socket on this machine and gets an answer within one deadline. At most two questions to
instruments are under way at a time, so that one that drips, floods or says nothing holds up nobody but itself; a third
hears at once that they are busy.
"""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from benchtalk.instrument import is_simulated, said_of_itself
from benchtalk.lines import WireLines
from benchtalk.looking import look_for, own_addresses
from benchtalk.trouble import Trouble, TroubleKind
from benchtalk.wire import TCP, WirePlace, open_wire
from benchwatch.answering import Answering
from chargepath.base.errors import ReadingError
from rainfront.instruments.bench import BenchReading
from rainfront.instruments.recording import start_record_from

SOCKET = "readers"
AT_ONCE = 2
# How long it is listened to an instrument whose lines nobody knows [s], and what is kept of them.
LISTENS_S, HEARD = 2.0, 24
# A line of our own JSON [bytes].
LONGEST_OF_OURS = 4096


class Readers(Answering):
    """Answers at its socket in a folder: starts records, passes commands on, takes readings that stand still."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder / SOCKET, self.answer)
        self._asking = threading.BoundedSemaphore(AT_ONCE)
        self._acts: dict[str, Callable[[dict[str, Any]], dict[str, Any]]] = {
            "state": lambda *_: {},
            "record": self._record,
            "tell": self._tell,
            "pretend": self._pretend,
            "listen": self._hear,
            "find": self._find,
            "bench": lambda _: {"bench": self.bench.told()},
            "renew": self._renew,
            "wish": self._wish,
            "steady": self._steady,
        }
        self.bench = BenchReading()

    def answer(self, asked: dict[str, Any]) -> dict[str, Any]:
        """The answer to one question; `error` in it says what was wrong and `right` what would be right."""
        act = self._acts.get(str(asked.get("act", "")))
        if act is None:
            return {"error": "there is no such act", "right": ", ".join(self._acts)}
        try:
            return act(asked)
        except ReadingError as error:
            return {"error": error.what, "where": error.where, "right": error.right}
        except (KeyError, TypeError, ValueError) as error:
            return {"error": f"{asked.get('act')} lacks something or holds nonsense: {error!r}", "right": ""}

    def _one_of_two(self, act: Callable[[], Any]) -> Any:
        """Ask an instrument, unless two others are being asked."""
        if not self._asking.acquire(blocking=False):
            raise ReadingError("the instruments are busy with two others", "instrument", "ask again in a moment")
        try:
            return act()
        finally:
            self._asking.release()

    def _record(self, asked: dict[str, Any]) -> dict[str, Any]:
        """Begin to read a meter into a record, which exists already."""
        meter = self.bench.answering(int(asked["key"]))
        start_record_from(meter, int(asked["record"]))
        return {"identity": meter.told()["identity"]}

    def _tell(self, asked: dict[str, Any]) -> dict[str, Any]:
        """Say a line to a simulated instrument; a real one is told nothing."""
        self.bench.running(int(asked["key"])).tell(str(asked["line"]))
        return {}

    def _pretend(self, asked: dict[str, Any]) -> dict[str, Any]:
        """Have the simulated instrument at an address do something; what was wrong with it, '' where it has done it."""
        place = WirePlace(TCP, str(asked["host"]), int(asked["port"]))
        return {"problem": self._one_of_two(lambda: pretend_at(place, dict(asked["data"])))}

    def _hear(self, asked: dict[str, Any]) -> dict[str, Any]:
        place = WirePlace(
            str(asked.get("way", TCP)),
            str(asked.get("host", "")),
            int(asked.get("port", 0)),
            str(asked.get("path", "")),
            int(asked.get("baud", 0)),
            str(asked.get("secret", "")),
            str(asked.get("pin", "")),
        )
        return {"lines": self._one_of_two(lambda: listen(place))}

    def _find(self, asked: dict[str, Any]) -> dict[str, Any]:
        """What announces itself on the interface that has an address of this computer."""
        address = str(asked["address"])
        if address not in dict(own_addresses()):
            raise ReadingError(f"this computer has no address {address}", "interface", "one of its own")
        try:
            found = self._one_of_two(lambda: look_for(address))
        except OSError as error:
            raise ReadingError(f"nothing can be asked at {address} ({error})", "interface", "another one") from error
        return {"found": [asdict(one) for one in found]}

    def _renew(self, asked: dict[str, Any]) -> dict[str, Any]:
        self.bench.renew(now=True)
        return {}

    def _wish(self, asked: dict[str, Any]) -> dict[str, Any]:
        self.bench.wish(int(asked["key"]), str(asked["quantity"]))
        return {}

    def _steady(self, asked: dict[str, Any]) -> dict[str, Any]:
        key, quantity, touch = int(asked["key"]), str(asked["quantity"]), asked.get("touch")
        return self.bench.steady(key, quantity, touch, first=bool(asked.get("first", True)))

    def stop(self) -> None:
        """Answer no more, and read nothing more."""
        super().stop()
        self.bench.stop()


def pretend_at(place: WirePlace, data: dict[str, Any]) -> str:
    """Say a command to what speaks our JSON lines and says of itself that it is simulated; '' where it carried it out.

    Raises
    ------
    ReadingError
        It is a real one, cannot be reached, or does not answer in time.

    """
    wire = open_wire(place)
    try:
        lines, end = WireLines(wire, longest=LONGEST_OF_OURS), time.monotonic() + LISTENS_S
        if not is_simulated(lines.line(LISTENS_S)):
            raise ReadingError("it is a real one", "instrument", "do it by hand")
        wire.send(json.dumps(data).encode() + b"\n")
        while True:
            said = said_of_itself(lines.line(max(end - time.monotonic(), 0.0)))
            if "ok" in said or "error" in said:
                return str(said.get("error", ""))[:200]
    finally:
        wire.close()


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
