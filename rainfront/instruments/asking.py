"""How a web worker has instruments read: it asks the process that reads them, and never an instrument."""

from __future__ import annotations

import contextlib
import json
from dataclasses import dataclass
from typing import Any

from django.conf import settings

from benchtalk.instrument import is_simulated, said_of_itself
from benchtalk.looking import LOOKS_FOR_S, Announced
from benchwatch import client
from chargepath.base.errors import ReadingError
from rainfront.instruments import actions
from rainfront.instruments.bench import FIRST_S, WAIT_S
from rainfront.instruments.models import BenchInstrument, Record
from rainfront.instruments.profiles import is_power_meter, profile_called
from rainfront.instruments.readers import LISTENS_S, SOCKET
from rainfront.people.networks import refuse_address

# Serial meters that speak by themselves mostly do so at this rate.
LISTENING_BAUD = 115_200
# Longer than the reader's own deadlines, so that it is the reader who says what was wrong [s].
ASKS_S, TAKES_S = FIRST_S + LISTENS_S + 1.0, FIRST_S + WAIT_S + 2.0


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


def asked_for(instrument: BenchInstrument) -> frozenset[str]:
    """What an instrument measures when it is asked for it; nothing for one that speaks by itself."""
    profile = profile_called(instrument.profile)
    return frozenset(profile.measured) if profile.acquire.way == "ask" else frozenset()


def asked_meter(quantity: str) -> BenchInstrument | None:
    """The first instrument that measures a quantity when it is asked, the probe in the hand; None where none does."""
    return next((one for one in BenchInstrument.objects.read() if quantity in asked_for(one)), None)


def power_meters() -> list[BenchInstrument]:
    """The instruments that are read and say volts and amps by themselves: records are taken from them."""
    return [one for one in BenchInstrument.objects.read() if is_power_meter(profile_called(one.profile))]


def power_meter(key: str = "") -> BenchInstrument | None:
    """The power meter of a key, else the first; None where there is none."""
    found = power_meters()
    return next((one for one in found if str(one.pk) == key), found[0] if found else None)


def read_into(record: Record, meter: BenchInstrument | None) -> None:
    """Have a power meter read into a record that has just been started; one that cannot be read is taken back.

    Raises
    ------
    ReadingError
        There is no meter, it does not answer, or nobody reads the instruments.

    """
    if meter is None:
        actions.take_back(record)
        raise ReadingError(
            "no meter that says volts and amps is read here", "meter", "one on the page Instruments, or type it"
        )
    try:
        found = ask("record", key=meter.pk, record=record.pk)
        actions.note_instrument(record, _source(meter, str(found["identity"])))
    except ReadingError:
        actions.take_back(record)
        raise


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


def announced_at(address: str) -> list[Announced]:
    """What announces itself on the interface that has this address of the server.

    Raises
    ------
    ReadingError
        There is no such interface, or nobody reads the instruments.

    """
    return [Announced(**row) for row in ask("find", within=ASKS_S + LOOKS_FOR_S, address=address)["found"]]


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
    return Taken(float(found["value"]), _source(instrument, str(found["identity"])))


def _source(instrument: BenchInstrument, identity: str) -> str:
    """What a reading came from: the instrument, its profile, and what it says of itself."""
    hello = said_of_itself(identity)
    said = str(hello.get("hello", "")) if hello else identity
    said = "simulated" if hello and is_simulated(identity) else said[:80]
    profile = profile_called(instrument.profile)
    words = [str(instrument), profile.name, f"revision {profile.revision}", said]
    return ", ".join(word for word in dict.fromkeys(words) if word)[:200]


def told_to(meter: BenchInstrument | None, data: dict[str, Any]) -> str:
    """Tell a simulated power meter something; what was wrong with it, '' where it was passed on.

    Raises
    ------
    ReadingError
        Nobody reads the instruments.

    """
    said = greeting(meter)
    if meter is None or not said:
        return "there is no simulated meter here"
    if "device" in data and data["device"] not in said.get("devices", {}):
        return "unknown device"
    ask("tell", key=meter.pk, line=json.dumps(data))
    return ""


def greeting(meter: BenchInstrument | None) -> dict[str, Any]:
    """What a simulated meter says of itself: the devices that can be put on it, and how the plug can be leant.

    Empty from a real one, and where nobody reads it.
    """
    if meter is None:
        return {}
    try:
        identity = str(bench_now().get(meter.pk, {}).get("identity", ""))
    except ReadingError:
        return {}
    return said_of_itself(identity) if is_simulated(identity) else {}
