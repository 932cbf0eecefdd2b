"""The desk: where the keeper answers the web application, a line of JSON for a line of JSON.

Nothing here waits for the supply but an errand, and of those two wait at most.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from benchwatch.answering import Answering
from benchwatch.client import SOCKET
from benchwatch.keeper import Keeper
from benchwatch.line import Address
from benchwatch.state import RefusedError
from chargepath.knowledge.cells import CellKind
from chargepath.repair.cell import Cell, Feed
from chargepath.repair.watch import Watch

# An errand asks the supply some ten questions at most; a stop waits for the first answer to its OFF [s].
ERRAND_S, OFF_S = 8.0, 3.0


def watch_of(raw: dict[str, Any]) -> Watch:
    """A watch as `watch_fields` wrote it."""
    cell = raw["cell"]
    return Watch(
        cell=Cell(**{**cell, "kind": CellKind(**cell["kind"]), "looks": frozenset(cell["looks"])}),
        feed=Feed(**raw["feed"]),
        rates={str(name): float(value) for name, value in raw["rates"].items()},
        expected_s=float(raw["expected_s"]),
        room_mah=float(raw["room_mah"]),
    )


def watch_fields(watch: Watch) -> dict[str, Any]:
    """A watch as plain numbers, text, lists and dicts."""
    return {
        "cell": {**asdict(watch.cell), "looks": sorted(watch.cell.looks)},
        "feed": asdict(watch.feed),
        "rates": dict(watch.rates),
        "expected_s": watch.expected_s,
        "room_mah": watch.room_mah,
    }


class Desk(Answering):
    """Answers at the socket in a folder."""

    def __init__(self, keeper: Keeper, folder: Path) -> None:
        super().__init__(folder / SOCKET, self.answer)
        self._keeper = keeper
        self._acts: dict[str, Callable[[dict[str, Any]], dict[str, Any]]] = {
            "state": lambda *_: {},
            "look": self._look,
            "start": self._start,
            "stop": self._stop,
            "off": self._off,
            "alive": self._alive,
            "more": self._more,
            "rows": self._rows,
            "forget": self._forget,
            "measure": lambda asked: self._errand(self._keeper.measure, asked),
            "reads_on": lambda asked: self._errand(self._keeper.reads_on, asked),
            "devices": lambda asked: self._errand(self._keeper.devices, asked),
            "pretend": self._pretend,
        }

    def answer(self, asked: dict[str, Any]) -> dict[str, Any]:
        """Carry out what a web worker asks for; returns its result together with the watch's whole state."""
        act = self._acts.get(str(asked.get("act", "")))
        if act is None:
            return {"error": f"no such act; one of {', '.join(self._acts)}"}
        try:
            found = act(asked)
        except RefusedError as error:
            found = {"error": str(error)}
        except (KeyError, TypeError, ValueError) as error:
            found = {"error": f"{asked.get('act')} lacks something or holds nonsense: {error!r}"}
        return {**self.state(), **found}

    def state(self) -> dict[str, Any]:
        """How everything stands."""
        keeper = self._keeper
        with keeper.lock:
            run, doubt, reading, now = keeper.run_now, keeper.doubt, keeper.reading, time.monotonic()
            return {
                "pid": os.getpid(),
                "supply": str(keeper.at or ""),
                "trouble": keeper.trouble,
                "reading": None
                if reading is None
                else {
                    "volts": reading.volts,
                    "amps": reading.amps,
                    "age_s": now - reading.seen,
                    "simulated": reading.simulated,
                    "pace": reading.pace,
                },
                "run": None
                if run is None
                else {
                    "id": run.id,
                    "seconds": (now - run.began) * run.pace,
                    "moved_mah": run.seen.moved_mah,
                    "held": asdict(run.held),
                    "unattended": run.unattended,
                    "wants_more": run.wants_more,
                    "ending": run.stop is not None,
                },
                "doubt": None
                if doubt is None
                else {"supply": str(doubt.at), "since": doubt.since, "tries": doubt.tries, "says": doubt.says},
                "ended": [asdict(row) for row in keeper.ended],
            }

    def _at(self, asked: dict[str, Any]) -> Address:
        raw = asked["at"]
        thermo = raw.get("thermo_port")
        return Address(host=str(raw["host"]), port=int(raw["port"]), thermo_port=None if not thermo else int(thermo))

    def _errand(self, act: Callable[[Address], dict[str, Any]], asked: dict[str, Any]) -> dict[str, Any]:
        at = self._at(asked)
        return self._keeper.errand(lambda: act(at), ERRAND_S)

    def _look(self, asked: dict[str, Any]) -> dict[str, Any]:
        self._keeper.look(self._at(asked))
        return {}

    def _start(self, asked: dict[str, Any]) -> dict[str, Any]:
        at, run, watch = self._at(asked), int(asked["run"]), watch_of(asked["watch"])
        unattended = bool(asked.get("unattended"))
        return self._keeper.errand(lambda: self._keeper.begin(at, run, watch, unattended=unattended), ERRAND_S)

    def _stop(self, asked: dict[str, Any]) -> dict[str, Any]:
        run = int(asked["run"])
        self._keeper.stop(run, str(asked.get("state", "stopped")), str(asked.get("says", "stopped by hand"))[:300])

        def tried() -> bool:
            now, doubt = self._keeper.run_now, self._keeper.doubt
            return (now is None or now.id != run) and (doubt is None or doubt.tries > 0)

        return self._settled(tried)

    def _off(self, asked: dict[str, Any]) -> dict[str, Any]:
        doubt = self._keeper.doubt
        if doubt is None:
            return {}
        tries = doubt.tries
        self._keeper.try_now()
        return self._settled(lambda: self._keeper.doubt is None or self._keeper.doubt.tries > tries)

    def _settled(self, is_so: Callable[[], bool]) -> dict[str, Any]:
        end = time.monotonic() + OFF_S
        while not is_so() and time.monotonic() < end:
            time.sleep(0.02)
        return {}

    def _alive(self, asked: dict[str, Any]) -> dict[str, Any]:
        self._keeper.alive(int(asked["run"]))
        return {}

    def _more(self, asked: dict[str, Any]) -> dict[str, Any]:
        self._keeper.allow_more(int(asked["run"]))
        return {}

    def _rows(self, asked: dict[str, Any]) -> dict[str, Any]:
        first, rows = self._keeper.take_rows(int(asked["run"]), int(asked["start"]))
        return {"first": first, "rows": rows}

    def _forget(self, asked: dict[str, Any]) -> dict[str, Any]:
        self._keeper.forget(int(asked["run"]))
        return {}

    def _pretend(self, asked: dict[str, Any]) -> dict[str, Any]:
        at, lines = self._at(asked), [str(line)[:80] for line in asked["lines"]][:20]
        return self._keeper.errand(lambda: self._keeper.pretend(at, lines), ERRAND_S)
