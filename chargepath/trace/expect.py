"""What a device should draw: the expected band and what it rests on."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import show
from chargepath.grading.readings import expected_watts
from chargepath.knowledge import Knowledge


@dataclass(frozen=True)
class Conditions:
    """Under what conditions a record was taken.

    Attributes
    ----------
    kind : str
        Kind of device.
    source : str
        Id of the source, from sources.toml.
    percent : float or None
        Battery percentage [%].
    known_good : float or None
        The model's own known-good plateau at low charge [A], where the shop has one.
    screen_on : bool
    cell_temp_c : float or None

    """

    kind: str
    source: str = "brick_5v2a"
    percent: float | None = None
    known_good: float | None = None
    screen_on: bool = False
    cell_temp_c: float | None = None


@dataclass(frozen=True)
class Band:
    """The current to expect [A], the band around it, and what it rests on, one reason a line."""

    amps: float
    low: float
    high: float
    basis: tuple[str, ...]


def expected_band(known: Knowledge, conditions: Conditions) -> Band:
    """The band that a healthy device's plateau lies in.

    Constant current while the cell is low, then a taper; never more than the source has to give. The shop's own
    known-good plateau replaces common practice and narrows the band. A screen that is on may add its own draw; a cold
    or hot cell may take far less.

    Raises
    ------
    ReadingError
        Unknown source, or a percentage that cannot be.

    """
    source = known.sources.get(conditions.source)
    if source is None:
        raise ReadingError(f"'{conditions.source}' is no source", "source", f"one of {', '.join(known.sources)}")
    if conditions.percent is not None and not 0 <= conditions.percent <= 100:
        raise ReadingError(f"{conditions.percent:g} % is not possible", "battery percent", "allowed: 0 to 100 %")
    numbers = known.grading
    taper = expected_watts(known, conditions.kind, conditions.percent) / expected_watts(known, conditions.kind, None)
    if conditions.known_good:
        wanted, low, high = conditions.known_good * taper, numbers["known_good_low"], numbers["known_good_high"]
        basis = [f"the shop's known-good plateau for this model, {show(conditions.known_good, 'A')}"]
    else:
        watts = expected_watts(known, conditions.kind, conditions.percent)
        wanted, low, high = watts / source.volts, numbers["band_low"], numbers["band_high"]
        basis = [f"common practice for a {conditions.kind}, about {watts:.1f} W"]
    if taper < 1:
        basis.append(f"{conditions.percent:.0f} %: the taper leaves {taper:.0%} of it")
    amps = min(wanted, source.amps)
    if wanted > source.amps:
        basis.append(f"{source.label} gives {show(source.amps, 'A')} at most ({source.basis})")
    bottom, top = amps * low, min(wanted * high, source.amps * 1.08)
    if conditions.screen_on:
        top = min(top + numbers["screen_on_extra_watts"] / source.volts, source.amps * 1.08)
        basis.append("screen on: its own draw comes on top")
    temperature = conditions.cell_temp_c
    if temperature is not None and not numbers["cold_below_c"] <= temperature <= numbers["hot_above_c"]:
        bottom *= numbers["cold_hot_share"]
        basis.append(f"cell at {temperature:.0f} °C: it may take far less")
    return Band(amps, bottom, max(top, amps), tuple(basis))
