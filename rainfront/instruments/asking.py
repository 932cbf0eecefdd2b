"""How a web worker has instruments read: it asks the process that reads them, and never an instrument."""

from __future__ import annotations

from typing import Any

from django.conf import settings

from benchwatch import client
from chargepath.base.errors import ReadingError
from rainfront.instruments import actions
from rainfront.instruments.live import ANSWERS_S, CONNECT_S
from rainfront.instruments.models import Meter, Record
from rainfront.instruments.readers import SOCKET
from rainfront.instruments.steady import WAIT_S
from rainfront.people.networks import refuse_address

# Longer than the reader's own deadlines, so that it is the reader who says what was wrong [s].
ASKS_S, TAKES_S = CONNECT_S + ANSWERS_S + 1.0, CONNECT_S + WAIT_S + 2.0


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
