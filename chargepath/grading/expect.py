"""What a device should draw: the one expectation for typed values, records, routines and the proof."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import figure, show
from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge
from chargepath.knowledge.sources import Source

PLAIN = "brick_5v2a"
# From which volts on a reading stands for a charger that has agreed on more than 5 V: half way between what one supply
# and the next may give.
AGREED = ((7.0, "fixed_9v"), (11.8, "fixed_15v"), (17.4, "fixed_20v"))


@dataclass(frozen=True)
class Conditions:
    """Under what conditions a current was read.

    Attributes
    ----------
    kind : str
        Kind of device.
    source : str
        Id of the source, from sources.toml.
    volts : float or None
        What was read [V]; looked at where the source is an adjustable one.
    limit_a : float or None
        The most that the charger gives [A], where somebody knows better than its kind says.
    percent : float or None
        Battery percentage [%].
    known_good : float or None
        The model's own known-good plateau at low charge [A], where the shop has one.
    screen_on : bool
    cell_temp_c : float or None
    fast : bool
        Whether it is known to charge fast: it may take more amperes at 5 V than others of its kind.

    """

    kind: str
    source: str = PLAIN
    volts: float | None = None
    limit_a: float | None = None
    percent: float | None = None
    known_good: float | None = None
    screen_on: bool = False
    cell_temp_c: float | None = None
    fast: bool = False


@dataclass(frozen=True)
class Band:
    """The current to expect [A], the band around it, and what it rests on, one reason a line.

    Over `most` [A] a device takes more than it should: something in it draws beside the charge.
    """

    amps: float
    low: float
    high: float
    most: float
    basis: tuple[str, ...]


def source_at(volts: float) -> str:
    """The source that a reading of its volts [V] stands for, where nobody named one."""
    return next((source for least, source in reversed(AGREED) if volts >= least), PLAIN)


def taper(known: Knowledge, percent: float | None) -> float:
    """Share of its plateau that a filling cell still takes.

    Constant up to `taper_from_percent`, then falling linearly to `taper_end_share` of it at 100 % (common practice).

    Examples
    --------
    Half way from 75 % to full: 1 - 0.5 · 0.94.

    >>> from chargepath.knowledge.loader import shipped
    >>> [round(taper(shipped(), percent), 3) for percent in (20.0, 87.5, 100.0)]
    [1.0, 0.53, 0.06]

    """
    limits = known.checks["charger_current"].reading
    if percent is None or percent <= limits["taper_from_percent"]:
        return 1.0
    done = (percent - limits["taper_from_percent"]) / (100 - limits["taper_from_percent"])
    return 1 - done * (1 - limits["taper_end_share"])


def precharged(known: Knowledge, percent: float | None, amps: float) -> bool:
    """Whether a current [A] is the small first one that a deeply flat cell is rightly given."""
    numbers, limits = known.grading, known.checks["charger_current"].reading
    flat = percent is not None and percent < numbers["precharge_below_percent"]
    return flat and numbers["precharge_a"] <= amps < limits["trickle_below_a"]


def expected_band(known: Knowledge, conditions: Conditions) -> Band:
    """The band that a healthy device's plateau lies in.

    Constant current while the cell is low, then a taper; never more than the source has to give, and more of it where
    the source has agreed on more volts. The shop's own known-good plateau replaces common practice and narrows the
    band. A screen that is on may add its own draw. A deeply flat cell is first charged with a fraction; a cold or hot
    cell takes less, one that is freezing or too hot nothing; one that is all but full need not draw.

    Raises
    ------
    ReadingError
        Unknown source, or a percentage that cannot be.

    """
    source = known.sources.get(conditions.source)
    if source is None:
        raise ReadingError(f"'{conditions.source}' is no source", "source", f"one of {', '.join(known.sources)}")
    percent, numbers = conditions.percent, known.grading
    volts, gives, charger = _offer(source, conditions)
    limits = known.checks["charger_current"].reading
    if percent is not None and not 0 <= percent <= 100:
        raise ReadingError(f"{percent:g} % is not possible", "battery percent", "allowed: 0 to 100 %")
    left = taper(known, percent)
    if conditions.known_good:
        full, low, high = conditions.known_good, numbers["known_good_low"], numbers["known_good_high"]
        basis = [f"the shop's known-good plateau for this model, {show(conditions.known_good, 'A')}"]
    else:
        watts = limits[f"{conditions.kind}_watts"] * source.boost
        full, low, high = watts / volts, numbers["band_low"], numbers["band_high"]
        basis = [f"common practice for a {conditions.kind}, about {figure(watts * left, 1)} W from {volts:.3g} V"]
    wanted = full * left
    if left < 1:
        basis.append(f"{percent:.0f} %: the taper leaves {left:.0%} of it")
    amps = min(wanted, gives)
    if wanted > gives:
        basis.append(f"{charger} gives {show(gives, 'A')} at most")
    bottom, top = amps * low, min(wanted * high, gives * 1.08)
    if percent is not None and percent < numbers["precharge_below_percent"]:
        bottom = min(bottom, numbers["precharge_a"])
        basis.append(f"deeply flat: it begins with {show(numbers['precharge_a'], 'A')} or so")
    if percent is not None and percent >= limits["full_from_percent"]:
        bottom = 0.0
        basis.append(f"{percent:.0f} %: all but full, it need not draw")
    if conditions.screen_on:
        top = min(top + numbers["screen_on_extra_watts"] / volts, gives * 1.08)
        basis.append("screen on: its own draw comes on top")
    most = full * high * numbers["most_over_high"]
    if conditions.fast or volts > known.sources[PLAIN].high_volts:
        most = max(most, numbers["most_agreed_a"])
    if conditions.screen_on:
        most += numbers["screen_on_extra_watts"] / volts
    bottom, amps = _by_temperature(known, conditions.cell_temp_c, bottom, amps, basis)
    return Band(amps=amps, low=bottom, high=max(top, amps), most=most, basis=tuple(basis))


def _offer(source: Source, conditions: Conditions) -> tuple[float, float, str]:
    """Volts [V] and the most amperes [A] that the charger gives, and what it is called."""
    volts = source.volts
    if source.adjustable and conditions.volts is not None:
        volts = min(max(conditions.volts, source.low_volts), source.high_volts)
    if conditions.limit_a is None:
        return volts, source.amps, f"{source.label} ({source.basis})"
    return volts, conditions.limit_a, "the charger"


def conditions_of_reading(
    device: Device, volts: float, percent: float | None, limit_a: float | None = None
) -> Conditions:
    """Conditions of a current that was read at so many volts [V], where nobody named the kind of source.

    `limit_a` is the most that the charger gives [A], where that was said.
    """
    return Conditions(
        kind=device.kind,
        source=source_at(volts),
        limit_a=limit_a,
        percent=percent,
        known_good=device.known_good_a,
        fast=device.charges_fast,
    )


def _by_temperature(
    known: Knowledge, celsius: float | None, bottom: float, amps: float, basis: list[str]
) -> tuple[float, float]:
    """The least and the usual current [A] of a cell at this temperature [°C]; says so in `basis`."""
    numbers = known.grading
    if celsius is None or numbers["cold_below_c"] <= celsius <= numbers["hot_above_c"]:
        return bottom, amps
    if numbers["no_charge_below_c"] <= celsius <= numbers["no_charge_above_c"]:
        basis.append(f"cell at {celsius:.0f} °C: it may take far less")
        return bottom * numbers["cold_hot_share"], amps
    basis.append(f"cell at {celsius:.0f} °C: no charge is expected at all")
    return 0.0, 0.0
