"""The bench supply, by way of the watch: the watch alone holds its connection, and the pages ask the watch."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.conf import settings

from benchwatch import client
from chargepath.base.errors import ReadingError
from rainfront.instruments.asking import ask
from rainfront.instruments.models import Supply
from rainfront.people.networks import refuse_address

# The watch answers what it knows at once; an errand to the supply takes a few questions of two seconds each [s].
ANSWERS_S, ERRAND_S = 1.0, 9.0
FRESH_S = 3.0


def ask_watch(act: str, *, within: float = ANSWERS_S, **fields: Any) -> dict[str, Any]:
    """Ask the watch over the supply.

    Raises
    ------
    ReadingError
        It does not answer, or refuses.

    """
    try:
        found = client.ask(settings.WATCH_FOLDER, act, within=within, **fields)
    except client.WatchAwayError as error:
        raise ReadingError(
            "the watch over the supply does not answer", "watch", "start it: the service rainfront-watch"
        ) from error
    if "error" in found:
        says, _, right = str(found["error"]).partition("; ")
        raise ReadingError(says, "supply", right or "look at it, switch it off by hand")
    return found


def address_of(at: Supply) -> dict[str, Any]:
    """A supply's address as the watch takes it; refused where the owner allows no instrument.

    Raises
    ------
    ReadingError
        It stands where no instrument may be.

    """
    refuse_address(at.host)
    return {"host": at.host, "port": at.port, "thermo_port": at.thermo_port}


@dataclass(frozen=True)
class Shown:
    """What the supply showed last: volts, amps, whether it is a simulated one and how fast its time runs."""

    volts: float
    amps: float
    simulated: bool
    pace: float


def shown(at: Supply) -> Shown | None:
    """What the supply showed last; None where its first reading is under way.

    The watch answers at once with what it knows, and keeps reading for a few seconds: asking is showing interest.

    Raises
    ------
    ReadingError
        The watch or the supply does not answer, or the supply feeds a cell.

    """
    state = ask_watch("look", at=address_of(at))
    if state["run"] is not None:
        raise ReadingError("the supply feeds a cell now", "supply", "its page shows what it reads")
    if state["doubt"] is not None:
        raise ReadingError(
            f"the supply at {state['doubt']['supply']} is not confirmed off", "supply", "switch it off by hand"
        )
    if state["trouble"]:
        raise ReadingError(f"the supply at {at} {state['trouble']}", "supply", "switch it on, or set its address")
    read = state["reading"]
    if read is None or read["age_s"] > FRESH_S:
        return None
    return Shown(read["volts"], read["amps"], read["simulated"], read["pace"])


def measured(at: Supply) -> tuple[float, float]:
    """Volts and amps, read now.

    Raises
    ------
    ReadingError
        The watch or the supply does not answer, two others ask it already, or it feeds a cell.

    """
    found = ask_watch("measure", within=ERRAND_S, at=address_of(at))
    return found["volts"], found["amps"]


def pretend(at: Supply, lines: Sequence[str]) -> None:
    """Tell a simulated supply what a person would do with it.

    Raises
    ------
    ReadingError
        It is a real one, refuses a line, or cannot be asked.

    """
    ask_watch("pretend", within=ERRAND_S, at=address_of(at), lines=list(lines))


def simulated_devices(at: Supply) -> dict[str, str]:
    """Devices that can be put on a simulated bench, each with the words for its way; none where the supply is real."""
    try:
        found = json.loads(ask_watch("devices", within=ERRAND_S, at=address_of(at))["devices"] or "{}")
    except (ReadingError, ValueError):
        return {}
    return {str(name): str(way) for name, way in found.items()} if isinstance(found, dict) else {}


def tell_thermocouple(at: Supply, act: str) -> None:
    """Have a simulated thermocouple come off the cell or stick to it.

    Raises
    ------
    ReadingError
        There is none, or it is a real one.

    """
    if not at.thermo_port:
        raise ReadingError("there is no thermocouple", "thermocouple", "put its port in")
    found = ask("pretend", host=at.host, port=at.thermo_port, data={"do": act})
    wrong = found["problem"]
    if wrong:
        raise ReadingError(f"the thermocouple refuses that: {wrong}", "thermocouple", "look at it")
