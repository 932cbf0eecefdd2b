"""A technician with a meter on simulated boards: good ones for the references, then a whole sheet of a faulty one."""

from __future__ import annotations

from collections.abc import Callable

from chargepath.electrical.lines import read_continuity, read_line
from chargepath.electrical.references import Reference, summarise
from chargepath.grading.locate import Observation, ladder_weights
from chargepath.knowledge import Knowledge
from chargepath.knowledge.pinmaps import CONTINUITY, Net, PinMap
from chargepath.standin.board import RING, SENSE, Board, BoardModel, StandinDiodeMeter
from chargepath.standin.device import StandinDevice

GOOD_BOARDS = 6
Probe = tuple[str, str, Net]


def probes(known: Knowledge, pins: PinMap) -> list[Probe]:
    """Every place, pin and net of a whole sheet, the two halves of an unplugged link left out."""
    rows: list[Probe] = [("contact", pin, pins.net(pin)) for pin in pins.pins]
    for place in ("pads", "carrier_out", "board_in"):
        rows += [(place, "", net) for net in pins.nets.values() if net.group != "ground"]
    ring, battery = known.points["charge_ring"], known.points["battery_connector"]
    rows += [("inside", name, ring.nets[name]) for name in RING]
    rows += [("inside", name, battery.nets[name]) for name in SENSE]
    return rows


def halves(pins: PinMap) -> list[Probe]:
    """The two halves of the link, measured where something reads low."""
    nets = [net for net in pins.nets.values() if net.group != "ground"]
    return [(place, "", net) for place in ("alone_carrier", "alone_board") for net in nets]


def references_of(
    model: BoardModel, meter: StandinDiodeMeter, rows: list[Probe], first_seed: int = 90_000
) -> dict[tuple[str, str, str], Reference]:
    """References from good boards of the model, by place, pin and net."""
    boards = [Board(model, StandinDevice.broken(seed=first_seed + k)) for k in range(GOOD_BOARDS)]
    return {
        (place, pin, net.id): summarise([board.diode(place, pin, net.id, meter) for board in boards])
        for place, pin, net in rows
        if net.group not in CONTINUITY
    }


def observe(
    rows: list[Probe],
    read: Callable[[str, str, str], float],
    references: dict[tuple[str, str, str], Reference],
    test_ma: float,
) -> list[Observation]:
    """Readings as evidence for `locate`; what is odd is read twice.

    Parameters
    ----------
    rows : sequence of places, pins and nets
    read : callable
        Reading at a place [mV].
    references : mapping to Reference
        [mV]
    test_ma : float
        Test current of the meter [mA].

    """
    out = []
    for place, pin, net in rows:
        reading = read(place, pin, net.id)
        if net.group in CONTINUITY:
            verdict = read_continuity(reading, test_ma=test_ma, times=2)
        else:
            verdict = read_line(reading, references[place, pin, net.id], test_ma=test_ma, times=2)
        weights = verdict.weights
        name = "power" if net.group == "power" else net.id
        key = f"inside.{net.id}" if place == "inside" else place
        out.append(Observation(name, key, pin if place == "contact" else "", net.group, weights))
    return out


def whole_sheet(
    known: Knowledge, board: Board, meter: StandinDiodeMeter, references: dict[tuple[str, str, str], Reference]
) -> list[Observation]:
    """Everything a thorough technician probes on one board: lines, the halves where a line is low, volts where none is.

    `references` are those of `references_of` for the board's model, over `probes` and `halves`.
    """
    rows = probes(known, board.model.pins)

    def read(place: str, pin: str, net: str) -> float:
        return board.diode(place, pin, net, meter)

    seen = observe(rows, read, references, meter.test_ma)
    low = [row for row in seen if row.weights.get("low", 0) + row.weights.get("short", 0) > 0.5]
    if low:
        seen += observe(halves(board.model.pins), read, references, meter.test_ma)
    if not any(row.net == "power" for row in low):
        volts, _ = board.ladder()
        seen += ladder_weights(known, volts)
    return seen
