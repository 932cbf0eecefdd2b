"""A bench supply on the battery terminals, and finding a shorted rail by the heat of an injected current."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import figure, show
from chargepath.knowledge.book import Knowledge

# A known-good current moves the leak's limit no lower than this [A]. The key has done nothing where the current stays
# under so many times what flowed before it, and so much more [A] (common practice).
LEAST_LEAK_A = 0.001
UNMOVED, UNMOVED_A = 2.0, 0.005


@dataclass(frozen=True)
class SupplyVerdict:
    """What the supply's current says, before and after the power key.

    Attributes
    ----------
    grade : str
        Grade of the check `supply_idle`; '' where only the time after the key was measured.
    start : {'', 'dead', 'stuck', 'over', 'starts'}
        What the current says once the key is held; '' where it was not measured.
    before_a, after_a : float or None
        What flowed [A].
    leaks_a, heavy_a : float
        From where on a board leaks, and draws heavily [A].
    good_a : float or None
        The model's known-good current that moved the first limit [A].

    """

    grade: str
    start: str
    before_a: float | None
    after_a: float | None
    leaks_a: float
    heavy_a: float
    good_a: float | None


def idle_limits(known: Knowledge, good_a: float | None = None) -> tuple[float, float]:
    """Amps from which a board leaks and draws heavily before the power key.

    A model's own known-good current moves the first limit: three times it, never under a milliamp.

    Examples
    --------
    Three times a good board's 2 mA.

    >>> from chargepath.knowledge.loader import shipped
    >>> idle_limits(shipped(), 0.002)
    (0.006, 0.3)

    """
    reading = known.checks["supply_idle"].reading
    leaks, heavy = reading["leaks_from_a"], reading["heavy_from_a"]
    if good_a is None:
        return leaks, heavy
    return min(max(good_a * known.supply["good_factor"], LEAST_LEAK_A), heavy), heavy


def judge_supply(
    known: Knowledge, before_a: float | None, after_a: float | None, good_a: float | None = None
) -> SupplyVerdict:
    """Judge the current from a bench supply.

    Parameters
    ----------
    known : Knowledge
    before_a, after_a : float or None
        Amps before the power key and while it is held [A].
    good_a : float or None
        The model's known-good current before the key [A].

    Raises
    ------
    ReadingError
        Neither was measured, or a value cannot be.

    """
    for name, value in (("before", before_a), ("after", after_a)):
        if value is not None and not 0 <= value <= 10:
            raise ReadingError(f"{value:g} A is not possible", name, "allowed: 0 to 10 A")
    if before_a is None and after_a is None:
        raise ReadingError("no current was given", "supply", "read the supply before or after the power key")
    leaks, heavy = idle_limits(known, good_a)
    grade = start = ""
    if before_a is not None:
        grade = "heavy" if before_a >= heavy else "leaks" if before_a >= leaks else "quiet"
    if after_a is not None:
        start = _start(known.supply, before_a, after_a)
    return SupplyVerdict(
        grade=grade, start=start, before_a=before_a, after_a=after_a, leaks_a=leaks, heavy_a=heavy, good_a=good_a
    )


def _start(limits: Mapping[str, float], before_a: float | None, after_a: float) -> str:
    unmoved = before_a is None or after_a < UNMOVED * before_a + UNMOVED_A
    if after_a < limits["dead_below_a"] and unmoved:
        return "dead"
    if after_a < limits["stuck_below_a"]:
        return "stuck"
    return "over" if after_a >= limits["over_from_a"] else "starts"


def _shown(amps: float) -> str:
    return f"{figure(amps * 1000, 1)}\u00a0mA" if amps < 0.01 else show(amps, "A")


@dataclass(frozen=True)
class DrawStep:
    """The standing draw once one more thing is unplugged.

    Attributes
    ----------
    part : str
        Sign of the check `draw_unplugged`.
    amps : float
        What still flows [A].
    took_a : float
        How much less than before [A].
    guilty : bool
        Whether it is the one that took the draw away.

    """

    part: str
    amps: float
    took_a: float
    guilty: bool


# Share of the draw beyond what a good board takes that has to go with a part before it is to blame (common practice).
TAKES_IT = 0.5


def check_standing(known: Knowledge, plugged_a: float, good_a: float | None = None, *without_a: float) -> None:
    """Refuse values that no bench supply shows, and a draw that a good board has [A].

    Raises
    ------
    ReadingError
        Naming what would be right.

    """
    for value in (plugged_a, *without_a):
        if not 0 <= value <= 10:
            raise ReadingError(f"{value:g} A is not possible", "amps", "allowed: 0 to 10 A")
    leaks, _ = idle_limits(known, good_a)
    if plugged_a < leaks:
        raise ReadingError(
            f"{_shown(plugged_a)} with everything plugged in is no leakage current",
            "plugged",
            f"{_shown(leaks)} or more",
        )


def judge_draws(
    known: Knowledge, plugged_a: float, without: Mapping[str, float], good_a: float | None = None
) -> tuple[DrawStep, ...]:
    """Find what takes a standing draw, one thing unplugged after the other.

    Parameters
    ----------
    known : Knowledge
    plugged_a : float
        The draw with everything plugged in, before the power key [A].
    without : mapping of sign to float
        What still flows once that is unplugged too, in the order in which it was done [A].
    good_a : float or None
        The model's known-good current before the key [A].

    Raises
    ------
    ReadingError
        Nothing leaks, nothing was unplugged, or a value cannot be.

    Examples
    --------
    Of 180 mA 160 mA go with the display.

    >>> from chargepath.knowledge.loader import shipped
    >>> rows = judge_draws(shipped(), 0.18, {"sub_board": 0.178, "display": 0.018})
    >>> [(row.part, round(row.took_a, 3), row.guilty) for row in rows]
    [('sub_board', 0.002, False), ('display', 0.16, True)]

    """
    check_standing(known, plugged_a, good_a, *without.values())
    leaks, _ = idle_limits(known, good_a)
    if not without:
        raise ReadingError("nothing was unplugged", "draws", "what flows without the display, say")
    before, took = plugged_a, {}
    for part, amps in without.items():
        took[part] = before - amps
        before = amps
    worst = max(took, key=lambda part: took[part])
    blamed = worst if took[worst] >= TAKES_IT * (plugged_a - min(leaks, plugged_a / 2)) else ""
    return tuple(DrawStep(part, amps, took[part], part == blamed) for part, amps in without.items())


@dataclass(frozen=True)
class Injection:
    """How to set a supply to find a short.

    Attributes
    ----------
    volts, amps : float
        Voltage and current limit to set [V], [A].
    watts : float
        What the short then takes [W].
    method : {'hand', 'picture', 'none'}
        How it can be found with that much.
    aim_w, short_ohms, lead_ohms : float
        The power that is aimed at [W], the short's resistance as it is reckoned with and the leads' [ohm].
    wanted_v, wanted_a : float
        What that power alone would want [V], [A].
    flows_a : float
        What flows by the setting [A].
    rail_v, most_a : float
        What is not exceeded: the rail's volts [V], the supply's current [A].

    """

    volts: float
    amps: float
    watts: float
    method: str
    aim_w: float
    short_ohms: float
    lead_ohms: float
    wanted_v: float
    wanted_a: float
    flows_a: float
    rail_v: float
    most_a: float


def plan_injection(
    known: Knowledge, ohms: float, rail_volts: float, most_amps: float = 3.0, lead_ohms: float | None = None
) -> Injection:
    """Work out a supply's settings that put enough power into a shorted rail and never exceed it.

    The setting stays at or under the rail's rated volts even with nothing connected: if the short burns away, that is
    what the chips on the rail see.

    Parameters
    ----------
    known : Knowledge
    ohms : float
        Measured resistance of the rail to ground [ohm].
    rail_volts : float
        What the rail is rated for [V].
    most_amps : float
        What the supply can give [A].
    lead_ohms : float, optional
        Both leads together [ohm].

    Raises
    ------
    ReadingError
        Values that cannot be.

    Examples
    --------
    1 W in 1 ohm is 1 V and 1 A; 50 mohm of leads drop 50 mV more. A rail of 0.8 V is never driven higher.

    >>> from chargepath.knowledge.loader import shipped
    >>> made = plan_injection(shipped(), 1.0, 4.0)
    >>> made.volts, made.amps, round(made.watts, 3)
    (1.05, 1.0, 1.0)
    >>> low = plan_injection(shipped(), 1.0, 0.8)
    >>> low.volts, round(low.watts, 3)  # (0.8 V / 1.05 ohm)² · 1 ohm
    (0.8, 0.58)

    """
    numbers: Mapping[str, float] = known.supply
    leads = numbers["lead_ohms"] if lead_ohms is None else lead_ohms
    for name, value, low, high, unit in (
        ("resistance", ohms, 0.0, 1e5, "ohm"),
        ("rail", rail_volts, 0.3, 20.0, "V"),
        ("supply", most_amps, 0.05, 30.0, "A"),
        ("leads", leads, 0.0, 5.0, "ohm"),
    ):
        if not low <= value <= high or math.isnan(value):
            raise ReadingError(f"{value:g} {unit} is not possible", name, f"allowed: {low:g} to {high:g} {unit}")
    short = max(ohms, 0.005)
    wanted_v = math.sqrt(numbers["aim_w"] * short)
    amps = min(wanted_v / short, most_amps)
    volts = min(amps * (short + leads), rail_volts)
    volts = max(math.floor(volts * 100) / 100, 0.01)
    amps = min(amps, volts / (short + leads))
    watts = amps**2 * short
    method = "none"
    if watts >= numbers["find_by_picture_w"]:
        method = "hand" if watts >= numbers["find_by_hand_w"] else "picture"
    return Injection(
        volts=volts,
        amps=math.ceil(amps * 100) / 100,
        watts=watts,
        method=method,
        aim_w=numbers["aim_w"],
        short_ohms=short,
        lead_ohms=leads,
        wanted_v=wanted_v,
        wanted_a=wanted_v / short,
        flows_a=amps,
        rail_v=rail_volts,
        most_a=most_amps,
    )
