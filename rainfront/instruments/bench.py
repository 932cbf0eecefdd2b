"""The instruments of the bench that are kept read, in the one process that reads instruments."""

from __future__ import annotations

import json
import math
import threading
import time
from dataclasses import replace
from typing import Any

from benchtalk.running import Running
from benchtalk.trouble import Trouble, TroubleKind
from benchtalk.wire import SERIAL, WirePlace
from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.electrical.steady import Steady
from chargepath.instrument.profile import InstrumentProfile
from rainfront.instruments.models import BenchInstrument
from rainfront.instruments.profiles import profile_called
from rainfront.people.networks import refuse_address

# The list of instruments is looked at again after so long where nobody has said that it changed [s]; a reading that
# stands still is waited for so long [s]; an instrument is given so long to answer for the first time [s].
LOOKS_S, WAIT_S, FIRST_S, LOOKS_UP_S = 5.0, 8.0, 3.0, 0.05
# What stands still is judged in units in which two of them are little: millivolts, ohms. A probe in the air shows no
# overload in volts, but next to nothing.
STEADY: dict[str, float] = {"diode": 1.0, "volts": 1000.0, "ohms": 1.0, "continuity": 1.0}
IN_THE_AIR_V = 0.02


class BenchReading:
    """Keeps the instruments that are used read, each on a thread of its own."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._running: dict[int, tuple[tuple[InstrumentProfile, WirePlace], Running]] = {}
        self._looked = -math.inf
        self._refused: dict[int, Trouble] = {}

    def renew(self, *, now: bool = False) -> None:
        """Read what is on the bench: what is new begins, what is gone or changed ends."""
        with self._lock:
            if not now and time.monotonic() - self._looked < LOOKS_S:
                return
            self._looked = time.monotonic()
            wanted, self._refused = {}, {}
            for row in BenchInstrument.objects.filter(used=True):
                try:
                    wanted[row.pk] = wanted_of(row)
                except ChargepathError as error:
                    self._refused[row.pk] = Trouble(TroubleKind.REFUSED, error.what)
            for pk in [pk for pk, (what, _) in self._running.items() if wanted.get(pk) != what]:
                self._running.pop(pk)[1].stop()
            for pk, what in wanted.items():
                if pk not in self._running:
                    self._running[pk] = what, Running(*what)
                    self._running[pk][1].start()

    def told(self) -> dict[str, Any]:
        """How each stands, by its key as text."""
        self.renew()
        with self._lock:
            running = {pk: one for pk, (_, one) in self._running.items()}
            refused = {
                str(pk): {"state": "trouble", "kind": trouble.kind, "what": trouble.what, "right": trouble.right}
                for pk, trouble in self._refused.items()
            }
        return refused | {str(pk): one.told() for pk, one in running.items()}

    def running(self, key: int) -> Running:
        """The instrument of a key, as it is kept read.

        Raises
        ------
        ReadingError
            It is not read.

        """
        self.renew()
        with self._lock:
            found = self._running.get(key)
        if found is None:
            raise ReadingError("nobody reads that instrument", "instrument", "switch it to being read on its page")
        return found[1]

    def answering(self, key: int) -> Running:
        """The same once it answers; one that was just put on the bench is waited for.

        Raises
        ------
        ReadingError
            It is not read, or in trouble.

        """
        running, until = self.running(key), time.monotonic() + FIRST_S
        while (told := running.told())["state"] != "reading" and time.monotonic() < until:
            time.sleep(LOOKS_UP_S)
        if told["state"] != "reading":
            raise ReadingError(told["what"] or "it does not answer yet", "instrument", told["right"])
        return running

    def wish(self, key: int, quantity: str) -> None:
        """Have an instrument asked for this quantity for a while; nothing where it is not read."""
        with self._lock:
            found = self._running.get(key)
        if found is not None:
            found[1].wish(quantity)

    def steady(self, key: int, quantity: str, touch: dict[str, str] | None, *, first: bool) -> dict[str, Any]:
        """Wait for a reading of one quantity that stands still.

        Parameters
        ----------
        key : int
        quantity : str
            One of `STEADY`.
        touch : dict, optional
            What a simulated instrument is to put its probe on; a real one is told nothing.
        first : bool
            False where the probe has to be lifted off the line before.

        Raises
        ------
        ReadingError
            It is not read, in trouble, measures something else, or nothing stands still in time.

        """
        running = self.running(key)
        if quantity not in running.profile.measured or quantity not in STEADY:
            raise ReadingError(f"it does not measure {quantity}", "instrument", "another one, or type the reading")
        if touch is not None:
            running.tell(touch_line(running.profile, touch))
        begun, last = time.monotonic(), math.nan
        steady = Steady(lifted=first or touch is not None)
        with running.hearing() as heard:
            while (left := begun + WAIT_S - time.monotonic()) > 0:
                running.wish(quantity)
                told = running.told()
                if told["state"] == "trouble" and time.monotonic() - begun > FIRST_S:
                    raise ReadingError(told["what"], "instrument", told["right"])
                line = heard(min(left, 0.25))
                reading = next((row for row in line if row.quantity == quantity and row.at >= begun), None)
                if reading is None:
                    continue
                last = reading.value * STEADY[quantity]
                air = quantity == "volts" and abs(reading.value) < IN_THE_AIR_V
                value = steady.feed(reading.at, math.inf if air else last)
                if value is not None:
                    said = running.told()["identity"]
                    return {"value": value / STEADY[quantity], "identity": said, "age": reading.age()}
        if math.isinf(last):
            raise ReadingError(
                "the meter shows overrange", "meter", "press o if the line is open: a probe in the air looks the same"
            )
        raise ReadingError(
            f"nothing stood still for {WAIT_S:.0f} s", "meter", "hold the probe still, or type the reading"
        )

    def stop(self) -> None:
        """Read nothing more."""
        with self._lock:
            for _, running in self._running.values():
                running.stop()
            self._running.clear()


def wanted_of(row: BenchInstrument) -> tuple[InstrumentProfile, WirePlace]:
    """The profile of an instrument and where it answers.

    Raises
    ------
    ReadingError
        Its address is outside the networks that the owner allows.

    """
    profile, place = profile_called(row.profile), row.place
    if place.way != SERIAL:
        refuse_address(place.host)
    return profile, replace(place, baud=place.baud or int(profile.reach.baud))


def touch_line(profile: InstrumentProfile, touch: dict[str, str]) -> str:
    """How a simulated instrument is told to put its probe somewhere."""
    if profile.acquire.way == "stream":
        return json.dumps({"touch": touch})
    return f"SIM:TOUCH {touch['map']},{touch['place']},{touch['pin']}"
