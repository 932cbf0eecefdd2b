"""The process that reads the instruments (`manage.py instruments`): one thread an instrument, never in a web worker.

A web worker asks it over a socket on this machine and gets an answer within one deadline. At most two questions to
instruments are under way at a time, so that one that drips, floods or says nothing holds up nobody but itself; a third
hears at once that they are busy.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from benchtalk.wire import TCP, WirePlace
from benchwatch.answering import Answering
from chargepath.base.errors import ReadingError
from rainfront.instruments import live
from rainfront.instruments.bench import BenchReading
from rainfront.instruments.profiles import JSON_LINES, profile_called, sampler

SOCKET = "readers"
AT_ONCE, GREETING_S = 2, 30.0


class Readers(Answering):
    """Answers at its socket in a folder: starts records, passes commands on, takes readings that stand still."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder / SOCKET, self.answer)
        self._asking = threading.BoundedSemaphore(AT_ONCE)
        self._greetings: dict[tuple[str, int], tuple[float, dict[str, Any]]] = {}
        self._acts: dict[str, Callable[[dict[str, Any]], dict[str, Any]]] = {
            "state": lambda *_: {},
            "record": self._record,
            "command": self._command,
            "greeting": self._greeting,
            "listen": self._hear,
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
        """Begin to read a meter into a record; the record exists already and ends where the meter cannot be reached."""
        host, port, record = str(asked["host"]), int(asked["port"]), int(asked["record"])
        made = self._one_of_two(lambda: live.connect(host, port))

        def hello(said: dict[str, Any]) -> None:
            self._greetings[host, port] = time.monotonic(), said

        live.start_reader(record, made, hello, sampler(profile_called(str(asked.get("profile", JSON_LINES)))))
        return {}

    def _command(self, asked: dict[str, Any]) -> dict[str, Any]:
        host, port, what = str(asked["host"]), int(asked["port"]), str(asked["what"])
        simulated = bool(asked.get("simulated"))
        said = self._one_of_two(lambda: live.command_to(host, port, what, dict(asked["data"]), simulated=simulated))
        return {"problem": said}

    def _greeting(self, asked: dict[str, Any]) -> dict[str, Any]:
        """What a meter said when it was last spoken to; it is asked where that was long ago."""
        at = str(asked["host"]), int(asked["port"])
        seen, said = self._greetings.get(at, (-GREETING_S, {}))
        if time.monotonic() - seen > GREETING_S:
            said = self._one_of_two(lambda: live.greeting_of(*at))
            self._greetings[at] = time.monotonic(), said
        return {"said": said}

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
        return {"lines": self._one_of_two(lambda: live.listen(place))}

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
