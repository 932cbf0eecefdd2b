"""How a web worker has instruments read: it asks the process that reads them, and never an instrument."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from typing import Any

from django.conf import settings

from benchwatch import client
from chargepath.base.errors import ReadingError
from rainfront.instruments import actions
from rainfront.instruments.bench import FIRST_S, WAIT_S
from rainfront.instruments.live import ANSWERS_S, CONNECT_S
from rainfront.instruments.models import BenchInstrument, Meter, Record
from rainfront.instruments.profiles import profile_called
from rainfront.instruments.readers import SOCKET
from rainfront.people.networks import refuse_address

# Longer than the reader's own deadlines, so that it is the reader who says what was wrong [s].
# Serial meters that speak by themselves mostly do so at this rate.
LISTENING_BAUD = 115_200
ASKS_S, TAKES_S = CONNECT_S + ANSWERS_S + 1.0, FIRST_S + WAIT_S + 2.0


def ask(act: str, *, within: float = ASKS_S, **fields: Any) -> dict[str, Any]:
    """Ask the process that reads the instruments.

    Raises
    ------
    ReadingError
        It does not answer, two others ask already, or the instrument cannot be read.

    """
    if "host" in fields:
        refuse_address(fields["host"])
    try:
        found = client.ask(settings.WATCH_FOLDER, act, socket_name=SOCKET, within=within, **fields)
    except client.WatchAwayError as error:
        raise ReadingError(
            "nobody reads the instruments now", "instrument", "start the service rainfront-instruments"
        ) from error
    if "error" in found:
        raise ReadingError(str(found["error"]), str(found.get("where", "")), str(found.get("right", "")))
    return found


def read_into(record: Record, meter: Meter) -> None:
    """Have a meter read into a record that has just been started; one that cannot be read is taken back.

    Raises
    ------
    ReadingError
        The meter cannot be reached, or nobody reads the instruments.

    """
    try:
        ask("record", host=meter.host, port=meter.port, record=record.pk, profile=meter.profile)
    except ReadingError:
        actions.take_back(record)
        raise


def heard(meter: Meter) -> list[str]:
    """Raw lines that a meter sends by itself.

    Raises
    ------
    ReadingError
        The meter cannot be reached, or says nothing.

    """
    return [str(line) for line in ask("listen", host=meter.host, port=meter.port)["lines"]]


def heard_from(instrument: BenchInstrument) -> list[str]:
    """Raw lines that an instrument of the bench sends by itself.

    Raises
    ------
    ReadingError
        It cannot be reached, or says nothing.

    """
    place: dict[str, Any] = {"way": instrument.way, "path": instrument.line, "baud": instrument.baud or LISTENING_BAUD}
    if instrument.way == BenchInstrument.Way.BRIDGE:
        place |= {"secret": instrument.secret, "pin": instrument.pin}
    if instrument.way != BenchInstrument.Way.SERIAL:
        place |= {"host": instrument.host, "port": instrument.port}
    return [str(line) for line in ask("listen", **place)["lines"]]


def wish(instrument: BenchInstrument, quantity: str) -> None:
    """Have an instrument asked for a quantity for a while.

    Raises
    ------
    ReadingError
        Nobody reads the instruments.

    """
    ask("wish", key=instrument.pk, quantity=quantity)


def bench_now() -> dict[int, dict[str, Any]]:
    """How the instruments of the bench stand, by key: see `benchtalk.running.Running.told`.

    Raises
    ------
    ReadingError
        Nobody reads the instruments.

    """
    return {int(key): told for key, told in ask("bench")["bench"].items()}


def renew_bench() -> None:
    """Say that the list of instruments has changed; where nobody reads them, whoever begins to will see it."""
    with contextlib.suppress(ReadingError):
        ask("renew")


@dataclass(frozen=True)
class Taken:
    """A reading that an instrument gave.

    Attributes
    ----------
    value : float
        In the unit that pages use.
    source : str
        The instrument, its profile, and what it says of itself.

    """

    value: float
    source: str


def steady_from(
    instrument: BenchInstrument, quantity: str, touch: dict[str, str] | None = None, *, first: bool = True
) -> Taken:
    """Wait for a reading of an instrument that stands still.

    Parameters
    ----------
    touch : dict, optional
        What a simulated instrument is to put its probe on.
    first : bool
        False where the probe has to be lifted before.

    Raises
    ------
    ReadingError
        It is in trouble, measures something else, or nothing stands still in time.

    """
    found = ask("steady", within=TAKES_S, key=instrument.pk, quantity=quantity, touch=touch, first=first)
    said = str(found["identity"])[:80]
    words = [str(instrument), profile_called(instrument.profile).name, said if "{" not in said else "simulated"]
    return Taken(float(found["value"]), ", ".join(word for word in words if word)[:200])


def command(meter: Meter, data: dict[str, Any]) -> str:
    """Send one command to a meter; what it answered that was wrong, '' where it carried it out.

    Raises
    ------
    ReadingError
        The meter cannot be asked.

    """
    return str(ask("command", host=meter.host, port=meter.port, what="meter", data=data)["problem"])


def greeting(meter: Meter) -> dict[str, Any]:
    """What a simulated meter says of itself: the devices that can be put on it, and how the plug can be leant.

    Empty from a real one, and where it cannot be asked.
    """
    try:
        said: dict[str, Any] = ask("greeting", host=meter.host, port=meter.port)["said"]
    except ReadingError:
        return {}
    return said if said.get("simulated") else {}
