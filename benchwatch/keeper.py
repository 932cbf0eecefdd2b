"""The keeper: the process that holds the only connection to the supply.

One thread speaks to the supply (`Keeper.run`), others answer the web application (`benchwatch.desk`); the main thread
waits for the order to end (`benchwatch.keep`). Whatever ends a run, the output is switched off first, and the keeper
goes on switching it off until the supply reads back off.
"""

from __future__ import annotations

import contextlib
import logging
import math
import queue
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from benchwatch.known import Known
from benchwatch.line import Address, Held, Line, LineError
from benchwatch.state import Doubt, Errand, Outcome, Reading, RefusedError, Row, Run
from benchwatch.thermocouple import Thermocouple
from chargepath.repair.watch import DONE, Sample, Watch

LOG = logging.getLogger("benchwatch")
EVERY_S = 0.5
# So long without a sign of life of any web worker, and a run that is not left alone on purpose ends [s].
SILENT_S = 10.0
# How often the output is switched off anew while it is not confirmed off: each second, later each fifth [s].
TRY_S, TRY_LATER_S, SOON = 1.0, 5.0, 60
# The supply's own timer, and how often it is wound up again [s].
TIMER_S, WIND_S = 60.0, 15.0
# Somebody who looks at the supply's page is shown fresh readings for so long after the last look [s].
LOOKS_S, MOST_ROWS, MOST_ENDED, LEAVES_S = 5.0, 20_000, 20, 6.0


class Keeper:
    """Holds the supply.

    Parameters
    ----------
    folder : Path
        Where its notes are.
    sign : callable
        Told True before each question while the output may be on, False while it is off.

    """

    def __init__(self, folder: Path, sign: Callable[[bool], None] = lambda *_: None) -> None:
        self.folder, self._sign = folder, sign
        self.lock = threading.RLock()
        self.errands: queue.Queue[Errand] = queue.Queue(maxsize=2)
        self._wake, self._ending = threading.Event(), ""
        self.run_now: Run | None = None
        self.doubt: Doubt | None = None
        self._last_run: Run | None = None
        self.reading: Reading | None = None
        self.trouble = ""
        self._wanted: Address | None = None
        self._looked = -math.inf
        # Whether the output may be on: from before it is switched on until it has read back off.
        self._hot = False
        self._line: Line | None = None
        self._thermocouple: Thermocouple | None = None
        self.known = Known.read(folder)
        self.ended = [Outcome(**row) for row in self.known.ended]
        self.at: Address | None = self.known.supplies[0] if self.known.supplies else None
        if self.known.feeding is not None and self.at is not None:
            killed = Outcome(run=self.known.feeding, state="broken", says="the watch was killed and started anew")
            self.doubt = Doubt(at=self.at, since=time.time(), outcome=killed)
            self._note_end(killed)
            self._hot = True

    # What the desk asks for; from other threads.

    def look(self, at: Address) -> None:
        """Keep the reading fresh for a while: somebody looks at it."""
        with self.lock:
            # Only the supply's thread changes which supply is spoken to: it may be switching one on right now.
            if self.run_now is None and self.doubt is None and at != self.at:
                self.reading, self.trouble = None, ""
            self._wanted, self._looked = at, time.monotonic()
        self._wake.set()

    def errand(self, act: Callable[[], dict[str, Any]], within: float) -> dict[str, Any]:
        """Have the supply's thread do something; its answer. Two may wait, the next one hears that it is busy."""
        made = Errand(act=act)
        try:
            self.errands.put_nowait(made)
        except queue.Full:
            raise RefusedError("the supply is busy with two others; ask again") from None
        self._wake.set()
        if not made.done.wait(within):
            made.given_up = True
            raise RefusedError("the supply takes too long to answer; ask again")
        if "error" in made.answer:
            raise RefusedError(str(made.answer["error"]))
        return made.answer

    def stop(self, run: int, state: str, says: str) -> None:
        """End a run; the output goes off before anything else happens."""
        with self.lock:
            if self.run_now is not None and self.run_now.id == run and self.run_now.stop is None:
                self.run_now.stop = Outcome(run=run, state=state, says=says)
        self._wake.set()

    def try_now(self) -> None:
        """Have the supply's thread say OFF again at once, where an output is not confirmed off."""
        with self.lock:
            if self.doubt is not None:
                self.doubt.next_try = 0.0
        self._wake.set()

    def alive(self, run: int) -> None:
        """Take a web worker's sign of life: it has just seen that no danger forbids this run."""
        with self.lock:
            if self.run_now is not None and self.run_now.id == run:
                self.run_now.alive = time.monotonic()

    def allow_more(self, run: int) -> None:
        """Give leave to raise the current, once, after somebody has looked whether a danger stands."""
        with self.lock:
            if self.run_now is not None and self.run_now.id == run:
                self.run_now.raise_allowed = True
        self._wake.set()

    def take_rows(self, run: int, start: int) -> tuple[int, Sequence[Row]]:
        """Readings of a run from number `start` on; those before it are stored and may be forgotten."""
        with self.lock:
            now = next((row for row in (self.run_now, self._last_run) if row is not None and row.id == run), None)
            if now is None:
                return start, ()
            drop = min(max(start - now.first, 0), len(now.rows))
            del now.rows[:drop]
            now.first += drop
            return now.first, tuple(now.rows[:2000])

    def forget(self, run: int) -> None:
        """Drop an outcome that is stored."""
        with self.lock:
            self.ended = [row for row in self.ended if row.run != run]

    # What the supply's thread does.

    def begin(self, at: Address, run: int, watch: Watch, *, unattended: bool) -> dict[str, Any]:
        """Switch the output off, check that it is this cell, set the supply's own limits, switch on; an errand.

        Raises
        ------
        RefusedError
            The supply feeds a cell, may still be on, shows another cell, or does not do as it is told.

        """
        if self._ending:
            raise RefusedError("the watch is ending; ask again once it is back")
        if self.run_now is not None:
            raise RefusedError("the supply feeds a cell already; stop that one first")
        if self.doubt is not None:
            raise RefusedError(f"the supply at {self.doubt.at} is not confirmed off; switch it off by hand first")
        self._turn_to(at)
        try:
            line, held, pace = self._prepare(watch)
        except LineError as error:
            self._hang_up()
            raise RefusedError(f"the supply at {at} {error}; look at it") from error
        try:
            self._note(replace(self.known.at(at), feeding=run))
        except OSError as error:
            raise RefusedError(
                "the disk is full: what the supply feeds could not be noted, so it was not switched on"
            ) from error
        now = time.monotonic()
        self._thermocouple = Thermocouple(at)
        made = Run(id=run, watch=watch, held=held, unattended=unattended, began=now, alive=now, pace=pace, wound=now)
        self._hot = True
        try:
            line.on()
        except LineError as error:
            self._end(made, Outcome(run=run, state="broken", says=f"the supply at {at} {error}"))
            raise RefusedError(f"the supply at {at} {error}; look at it") from error
        with self.lock:
            self.run_now = made
        LOG.info("run %s: output on%s", run, ", left alone on purpose" if unattended else "")
        return {}

    def _prepare(self, watch: Watch) -> tuple[Line, Held, float]:
        """Switch the output off, check that the cell reads as it was typed, and set the supply's own limits."""
        line = self._called()
        if not line.off():
            raise LineError("does not switch off")
        wrong = watch.differs(line.measured()[0])
        if wrong:
            raise RefusedError(f"{wrong}; measure it again, then put in what it reads")
        return line, line.limit(watch.feed.volts, watch.feed.amps, TIMER_S), line.pace()

    def pretend(self, at: Address, lines: Sequence[str]) -> dict[str, Any]:
        """Tell a simulated supply what a person would do with it; an errand.

        Raises
        ------
        RefusedError
            It is a real one, or refuses a line.

        """
        with self._spoken_to(at, in_doubt=True) as line:
            line.who()
            if not line.simulated:
                raise RefusedError(f"the supply at {at} is a real one; do it by hand")
            for text in lines:
                refused = line.tell(text)
                if refused:
                    raise RefusedError(f"the supply at {at} refuses {text}: {refused}")
        return {}

    def devices(self, at: Address) -> dict[str, Any]:
        """What a simulated supply has on its bench, as it says it; '' from a real one; an errand."""
        with self._spoken_to(at) as line:
            line.who()
            return {"devices": line.ask("SIM:DEVICES?") if line.simulated else ""}

    def reads_on(self, at: Address) -> dict[str, Any]:
        """Whether the output reads back on; an errand."""
        with self._spoken_to(at) as line:
            return {"on": line.is_on()}

    def measure(self, at: Address) -> dict[str, Any]:
        """Volts and amps now, of a supply that feeds no cell; an errand."""
        with self._spoken_to(at) as line:
            volts, amps = line.measured()
            return {"volts": volts, "amps": amps}

    @contextlib.contextmanager
    def _spoken_to(self, at: Address, *, in_doubt: bool = False) -> Any:
        """The line to a supply; what goes wrong on it is a refusal."""
        busy = self.run_now is not None or self.doubt is not None
        if (self.doubt is not None and not in_doubt) or (busy and at != self.at):
            raise RefusedError("the supply feeds a cell now; its page shows what it reads")
        self._turn_to(at)
        try:
            yield self._called()
        except LineError as error:
            if self.run_now is None:
                self._hang_up()
            raise RefusedError(f"the supply at {at} {error}") from error

    def run(self) -> None:
        """Speak to the supply until the end is ordered and the output is off."""
        while True:
            self._wake.clear()
            self._feed_sign()
            if self.doubt is not None:
                if time.monotonic() >= self.doubt.next_try:
                    self._try_off(self.doubt)
                self._errands()
            elif self.run_now is not None:
                self._round(self.run_now)
            elif self._ending:
                self._hang_up()
                return
            else:
                self._idle()
            wait = self._pause()
            if self._ending and self.doubt is not None and self.doubt.tries >= LEAVES_S / TRY_S:
                LOG.error("supply %s is not confirmed off at the end of the watch", self.doubt.at)
                return
            self._wake.wait(wait)

    def end(self, says: str) -> None:
        """Order the end: a run that goes on is ended, and the thread returns once the output is off."""
        self._ending = says
        with self.lock:
            if self.run_now is not None and self.run_now.stop is None:
                self.run_now.stop = Outcome(run=self.run_now.id, state="broken", says=says)
        self._wake.set()

    def _pause(self) -> float:
        """How long the next turn may wait [s]."""
        if self.doubt is not None:
            # Never longer: the guardian takes a keeper that gives no sign for frozen.
            return min(max(self.doubt.next_try - time.monotonic(), 0.0), TRY_S)
        if self._ending or not self.errands.empty():
            return 0.0
        return EVERY_S

    def _turn_to(self, at: Address) -> None:
        """Speak to this supply from now on; only while no cell is fed."""
        if at != self.at:
            self._hang_up()
            self.at, self.reading = at, None

    def _called(self) -> Line:
        assert self.at is not None
        if self._line is None:
            self._line = Line(at=self.at, fed=self._feed_sign)
        return self._line

    def _feed_sign(self) -> None:
        self._sign(self._hot)

    def _hang_up(self) -> None:
        if self._line is not None:
            self._line.close()
            self._line = None

    def _note(self, known: Known) -> None:
        known.write(self.folder)
        self.known = known

    def _errands(self) -> None:
        """Do what somebody waits for."""
        with contextlib.suppress(queue.Empty):
            errand, before = self.errands.get_nowait(), self.run_now
            try:
                errand.answer = {} if errand.given_up else errand.act()
            except (RefusedError, LineError) as error:
                errand.answer = {"error": str(error)}
            finally:
                errand.done.set()
            if errand.given_up and before is None and self.run_now is not None:
                self.stop(self.run_now.id, "broken", "whoever began it was told that it had not begun")

    def _idle(self) -> None:
        """Nothing is fed: do errands, and read the supply while somebody looks."""
        self._errands()
        if self.run_now is not None:
            return
        if self._wanted is None or time.monotonic() - self._looked > LOOKS_S:
            if self.errands.empty():
                self._hang_up()
            return
        self._turn_to(self._wanted)
        try:
            line = self._called()
            pace = line.pace()
            volts, amps = line.measured()
            self._read(volts, amps, line.simulated, pace)
        except LineError as error:
            self._hang_up()
            self.reading, self.trouble = None, str(error)

    def _read(self, volts: float, amps: float, simulated: bool, pace: float) -> None:
        self.trouble = ""
        self.reading = Reading(volts=volts, amps=amps, seen=time.monotonic(), simulated=simulated, pace=pace)

    def _round(self, run: Run) -> None:
        """One reading of a cell that is fed, and whether it may go on."""
        outcome = run.stop or self._forsaken(run)
        if outcome is None:
            try:
                outcome = self._look(run)
            except LineError as error:
                self.trouble = str(error)
                outcome = Outcome(run=run.id, state="broken", says=f"the supply {error}")
        outcome = run.stop or outcome
        if outcome is not None:
            moved = run.seen.moved_mah
            says = f"{outcome.says}, {moved:.0f} mAh went in" if outcome.state == "stopped" else outcome.says
            self._end(run, replace(outcome, says=says, moved_mah=moved))
        else:
            self._errands()

    def _forsaken(self, run: Run) -> Outcome | None:
        if run.unattended or time.monotonic() - run.alive <= SILENT_S:
            return None
        says = f"the program gave no sign of life for {SILENT_S:.0f} s"
        return Outcome(run=run.id, state="broken", says=says)

    def _look(self, run: Run) -> Outcome | None:
        """Read the supply and the thermocouple; why it ends, None while it goes on."""
        line = self._called()
        volts, amps = line.measured()
        temp = self._thermocouple.temp_c if self._thermocouple else None
        sample = Sample((time.monotonic() - run.began) * run.pace, volts, amps, temp)
        seen, verdict = run.watch.look(run.seen, sample)
        self._read(volts, amps, line.simulated, run.pace)
        with self.lock:
            run.seen = seen
            run.rows.append((sample.seconds, volts, amps, temp))
            if len(run.rows) > MOST_ROWS:
                # No web worker took readings for hours: the oldest are dropped, which the watch itself does not need.
                del run.rows[: MOST_ROWS // 10]
                run.first += MOST_ROWS // 10
        if verdict is not None:
            return Outcome(run=run.id, state="done" if verdict.kind == DONE else "cut", says=verdict.says)
        higher = run.watch.raised(seen)
        if higher is not None and run.raise_allowed:
            run.held = line.limit(higher.feed.volts, higher.feed.amps, TIMER_S)
            run.watch, run.raise_allowed, run.wound = higher, False, time.monotonic()
        elif run.held.timer_s is not None and time.monotonic() - run.wound > WIND_S:
            run.wound = time.monotonic()
            if line.tell(f"OUTP:TIM {TIMER_S:.3f}"):
                raise LineError("does not wind its timer up")
        return None

    def _end(self, run: Run, outcome: Outcome) -> None:
        """Switch off, at once over the line that is there; what does not read back off stays in doubt."""
        assert self.at is not None
        doubt = Doubt(at=self.at, since=time.time(), outcome=outcome)
        with self.lock:
            self.doubt = doubt
            self.run_now = None
            self._last_run = run
            self._note_end(outcome)
        LOG.warning("run %s: %s, %s", run.id, outcome.state, outcome.says)
        self._try_off(doubt)
        if self._thermocouple is not None:
            self._thermocouple.close()
            self._thermocouple = None

    def _note_end(self, outcome: Outcome) -> None:
        self.ended = [*(row for row in self.ended if row.run != outcome.run), outcome][-MOST_ENDED:]

    def _try_off(self, doubt: Doubt) -> None:
        """Say OFF, over a fresh line where the old one is lost, and read it back."""
        for _ in range(2):
            try:
                if self._called().off():
                    self._confirmed(doubt)
                    return
                doubt.says = "it was told to go off and reads back on"
                break
            except LineError as error:
                doubt.says = f"it {error}"
                self._hang_up()
        doubt.next_try = time.monotonic() + (TRY_S if doubt.tries < SOON else TRY_LATER_S)
        doubt.tries += 1
        if doubt.tries == 1:
            LOG.error("supply %s is not confirmed off: %s", doubt.at, doubt.says)

    def _confirmed(self, doubt: Doubt) -> None:
        """The output reads back off: it is noted, and whoever asks hears it."""
        with self.lock:
            self.doubt = None
            self.reading = None
            if doubt.outcome is not None:
                self._note_end(replace(doubt.outcome, off=True))
            self._hot = False
        LOG.info("supply %s reads back off", doubt.at)
        # A note that cannot be stored stays as it was: the next start then says OFF once too often.
        with contextlib.suppress(OSError):
            self._note(replace(self.known, feeding=None, ended=tuple(asdict(row) for row in self.ended)))
