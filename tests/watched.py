"""A bench for tests of the watch: a simulated supply and the watch, each in processes of their own."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import TestCase

from benchwatch import client
from benchwatch.desk import watch_fields
from chargepath.knowledge.loader import shipped
from chargepath.repair.cell import Cell, Feed
from chargepath.repair.watch import Watch
from tests.ports import free_port
from tests.runner import ROOT

# Whatever a machine is busy with, a process answers within this [s].
PATIENCE_S = 60.0
# One try of it takes no longer: a question that was lost is asked again [s].
TRY_S = 10.0
SUPPLY = """
import asyncio, sys
from chargepath.standin.bench_supply import StandinSupply, StandinThermocouple
from rainfront.instruments.serving import serve, serve_answers
supply = StandinSupply()
port, thermo = (int(word) for word in sys.argv[1:])
async def every():
    await asyncio.gather(serve_answers(supply, port), serve(StandinThermocouple(supply), thermo, 10.0))
asyncio.run(every())
"""


def until(found: Callable[[], Any], within: float = PATIENCE_S, what: str = "it is so") -> Any:
    """Wait until something is so; what it gave then."""
    end = time.monotonic() + within
    while True:
        said = found()
        if said:
            return said
        if time.monotonic() > end:
            raise AssertionError(f"not within {within:g} s: {what}")
        time.sleep(0.02)


class WatchedBench:
    """A supply with a cell on it, and the watch over it.

    Attributes
    ----------
    folder : Path
        Of the watch.
    at : dict
        The supply's address as the watch is told it.

    """

    def __init__(self, test: type[TestCase] | TestCase) -> None:
        clean = test.addClassCleanup if isinstance(test, type) else test.addCleanup
        folder = tempfile.TemporaryDirectory(prefix="w")
        clean(folder.cleanup)
        self.folder = Path(folder.name)
        self.at: dict[str, Any] = {"host": "127.0.0.1"}
        self._supply = self._watch = None
        clean(self.close)
        self.start_supply()

    def close(self) -> None:
        """End all processes."""
        self.kill_watch()
        if self._supply is not None:
            self._supply.kill()
            self._supply.wait()

    def start_supply(self) -> None:
        """Serve the simulated supply and its thermocouple; at other ports where somebody took one meanwhile."""

        def answers() -> bool:
            if self._supply is None or self._supply.poll() is not None:
                self.at |= {"port": free_port(), "thermo_port": free_port()}
                words = [sys.executable, "-c", SUPPLY, str(self.at["port"]), str(self.at["thermo_port"])]
                self._supply = subprocess.Popen(words, cwd=ROOT, stderr=subprocess.DEVNULL)
            return bool(self.truth())

        until(answers, what="the supply answers")

    def line_gone(self, *, gone: bool) -> None:
        """Stop the supply's process, or let it go on: nothing answers meanwhile, and what was on stays on."""
        self._supply.send_signal(signal.SIGSTOP if gone else signal.SIGCONT)

    def tell(self, *lines: str, answered: bool = False) -> str:
        """Speak to the supply as a person who stands before it."""
        with socket.create_connection(("127.0.0.1", self.at["port"]), timeout=TRY_S) as made:
            made.sendall("".join(f"{line}\n" for line in (*lines, "SIM:TRUTH?")).encode())
            found = b""
            while not found.endswith(b"\n"):
                more = made.recv(4096)
                if not more:
                    raise ConnectionError("the supply hung up")
                found += more
        return found.decode()

    def truth(self) -> dict[str, Any]:
        """Whether the output is on, what is set, and how often OFF was said; empty while there is no supply."""
        try:
            return json.loads(self.tell())
        except OSError:
            return {}

    def start_watch(self) -> dict[str, Any]:
        """Start the watch; how it stands."""
        words = [sys.executable, "-m", "benchwatch", "--folder", str(self.folder)]
        self._watch = subprocess.Popen(words, cwd=ROOT, stderr=subprocess.DEVNULL, start_new_session=True)
        return self.answering()

    def answering(self, but: int = 0) -> dict[str, Any]:
        """How the watch stands, once a keeper other than `but` answers."""

        def state() -> dict[str, Any]:
            with contextlib.suppress(client.WatchAwayError):
                found = client.ask(self.folder, "state", within=TRY_S)
                return found if found["pid"] != but else {}
            return {}

        return until(state, what="the watch answers")

    def kill_watch(self, how: int = signal.SIGKILL) -> None:
        """End the guardian and the keeper at once."""
        if self._watch is not None:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(self._watch.pid, how)
            self._watch.wait()
            self._watch = None

    def end_watch(self) -> None:
        """Tell the guardian to end, as the service does, and wait until it has."""
        self._watch.terminate()
        self._watch.wait(PATIENCE_S)
        self._watch = None

    def mended(self) -> None:
        """A supply that behaves and a watch that feeds nothing, whatever the last test left."""
        self.tell("SIM:MISB none")
        if self._watch is None or self._watch.poll() is not None:
            self.start_watch()
        state = self.answering()
        if state["run"] is not None:
            self.ask("stop", run=state["run"]["id"])
        until(lambda: self.ask("off")["doubt"] is None)

    def strike(self, how: str, keeper: int) -> None:
        """Kill or freeze a part of the watch, end it as the service does, or cut the line.

        What the service would start again is started.
        """
        if how == "keeper":
            os.kill(keeper, signal.SIGKILL)
        elif how == "freeze":
            os.kill(keeper, signal.SIGSTOP)
        elif how == "line":
            self.line_gone(gone=True)
            time.sleep(5)
            self.line_gone(gone=False)
        else:
            if how == "guardian":
                os.kill(self.guardian, signal.SIGKILL)
                self._watch.wait()
            elif how == "both":
                self.kill_watch()
            else:
                self.end_watch()
            self.start_watch()
            self.answering(but=keeper)

    @property
    def guardian(self) -> int:
        """The process that is started by the service."""
        return self._watch.pid

    def ask(self, act: str, **fields: Any) -> dict[str, Any]:
        """Ask the watch."""
        return client.ask(self.folder, act, within=PATIENCE_S, **fields)

    def feed(self, run: int = 1, volts: float = 3.7, amps: float = 1.0, *, unattended: bool = False) -> dict[str, Any]:
        """Put a cell on the supply and have the watch feed it."""
        self.tell("SIM:MISB none", f"SIM:CELL {volts},3000")
        known = shipped()
        cell = Cell(known.cells.kinds["v420"], 3000.0, volts)
        watch = Watch.begin(cell, Feed(4.2, amps), known)
        return self.ask("start", at=self.at, run=run, watch=watch_fields(watch), unattended=unattended)
