"""Instruments whose every value says when it was said, and what a reader makes of them while they misbehave."""

from __future__ import annotations

import threading
import time
from collections import deque
from dataclasses import dataclass
from pathlib import Path

from benchtalk.running import Running
from benchtalk.standing_in import StandingIn
from benchtalk.wire import SERIAL, TCP
from chargepath.instrument.profile import InstrumentProfile, read_profile

NAME = "rainfront,known,simulated,1"
ASKED = f"""
name = "asked"
about = "a meter for tests"
identify = "*IDN?"
like = "{NAME}"
setup = []
[connection]
ways = ["tcp", "serial"]
[acquire]
way = "ask"
rate_hz = 10
deadline_s = 1.0
step = "*IDN?"
[quantity.volts]
unit = "V"
ask = "V?"
line = "{{volts}}"
low = -1
high = 60
[quantity.amps]
unit = "A"
ask = "A?"
line = "{{amps}}"
low = -1
high = 20
"""
STREAMED = """
name = "streamed"
about = "a meter for tests"
[connection]
ways = ["tcp", "serial"]
[acquire]
way = "stream"
rate_hz = 10
silent_s = 1.5
[quantity.volts]
unit = "V"
line = "V: {volts}V A: {amps}A"
low = -1
high = 60
[quantity.amps]
unit = "A"
line = "V: {volts}V A: {amps}A"
low = -1
high = 20
"""
VOLTS, AMPS = 5.0, 0.5
# A value as old as this when it is taken is another one's [s].
FRESH_S = 1.2


def said_now() -> float:
    """A share of a hundred seconds that has gone by, to a hundredth of a second."""
    return round(time.monotonic() % 100, 2) / 10_000


class Known:
    """Volts and amps, each with the time at which it was said in its last places."""

    def __init__(self, rate_hz: float) -> None:
        self.rate_hz = rate_hz

    def line(self) -> str:
        now = said_now()
        return f"V: {VOLTS + now:.6f}V A: {AMPS + now:.6f}A"

    def answer(self, line: str) -> str | None:
        return {"*IDN?": NAME, "V?": f"{VOLTS + said_now():.6f}", "A?": f"{AMPS + said_now():.6f}"}.get(line.strip())


class Lag:
    """How long threads of this process wait for their turn: a busy machine makes values old by no reader's fault."""

    TICK_S, KEPT = 0.02, 250

    def __init__(self) -> None:
        self._late, self._last = deque[float](maxlen=self.KEPT), time.monotonic()
        threading.Thread(target=self._tick, daemon=True).start()

    def _tick(self) -> None:
        while True:
            time.sleep(self.TICK_S)
            now = time.monotonic()
            self._late.append(now - self._last - self.TICK_S)
            self._last = now

    def worst_s(self) -> float:
        """The longest wait of the last seconds, that of this moment included [s]."""
        return max([*self._late, time.monotonic() - self._last - self.TICK_S], default=0.0)


def is_false(quantity: str, value: float, lag_s: float = 0.0) -> bool:
    """Whether a value is not what the instrument measured just now, where threads wait so long for their turn."""
    share = value - {"volts": VOLTS, "amps": AMPS}[quantity]
    if not 0 <= share < 0.0101:
        return True
    age = (time.monotonic() % 100 - share * 10_000) % 100
    return FRESH_S + 3 * lag_s < age < 99.9


@dataclass
class Seen:
    """What a reader made of one instrument."""

    false: int
    taken: int
    shown_s: float
    again_s: float
    gap_s: float
    kind: str


LAG = Lag()


class Rig:
    """One instrument that misbehaves on request, and its reader."""

    def __init__(self, way: str, acquire: str, folder: Path, number: int = 0) -> None:
        stream = acquire == "stream"
        path = folder / f"line{number}" if way == SERIAL else None
        self.standing = StandingIn(Known(10.0 if stream else 0.0), way, path).start()
        self.false, self.times = 0, list[float]()
        self.running = Running(profile_of(acquire), self.standing.place, self._heard)
        self._asks = 0
        self.running.start()

    def _heard(self, reading) -> None:
        self.times.append(time.monotonic())
        # Volts and amps in turn, so that shifted answers would show.
        self._asks += 1
        self.running.wish(("volts", "amps")[self._asks % 2])
        self.false += is_false(reading.quantity, reading.value, LAG.worst_s())

    def until(self, found, within: float) -> float:
        """How long until something is so [s]; ``inf`` where it is not within so long."""
        begun = time.monotonic()
        while not found():
            if time.monotonic() - begun > within:
                return float("inf")
            time.sleep(0.01)
        return time.monotonic() - begun

    def reads(self, since: float) -> bool:
        return bool(self.times) and self.times[-1] > since and self.running.told()["state"] == "reading"

    def misbehave(self, how: str, seconds: float, patience: float) -> Seen:
        """Misbehave for so long, and until it is shown, then behave again.

        A stream that says everything twice says nothing wrong: nothing is shown.
        """
        harmless = how == "double" and self.running.profile.acquire.way == "stream"
        self.until(lambda: len(self.times) > 5, patience)
        begun = time.monotonic()
        self.standing.how = how
        shown = self.until(lambda: self.running.told()["state"] == "trouble", seconds if harmless else patience)
        kind = self.running.told()["kind"]
        time.sleep(max(begun + seconds - time.monotonic(), 0))
        self.standing.how = ""
        ended = time.monotonic()
        again = self.until(lambda: self.reads(ended), patience)
        time.sleep(0.3)
        gaps = [b - a for a, b in zip(self.times, self.times[1:], strict=False)]
        return Seen(self.false, len(self.times), shown, again, max(gaps, default=0.0), kind)

    def close(self) -> float:
        """Stop reading; how long that took [s]."""
        begun = time.monotonic()
        self.running.stop()
        took = time.monotonic() - begun
        self.standing.stop()
        return took


def profile_of(acquire: str) -> InstrumentProfile:
    return read_profile(STREAMED if acquire == "stream" else ASKED, acquire)


WAYS = ((TCP, "ask"), (TCP, "stream"), (SERIAL, "ask"), (SERIAL, "stream"))
