"""What a diode reading means: its grade, how far out it is, and the resistance behind it.

The grade comes from the reference's band; what reaches the belief are `weights`, the likelihood of the reading under
each grade, so that a reading just outside its band says less than one far out.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.base.quantities import show
from chargepath.electrical.junction import Junction, leak_of, series_of
from chargepath.electrical.references import Reference, t_density, twin_of
from chargepath.knowledge.path import LINE_GRADES

TEST_MA = 1.0
SHORT_BELOW_MV = 50.0
# Above this share of its reference a line counts as open although the meter still shows a number (common practice).
OPEN_RATIO, OPEN_RATIO_WEAK = 1.35, 1.8
# Likelihood model (common practice): a short reads a few tens of millivolts; a leak anything below the reference; an
# open line overrange nine times of ten, else something high; what is called low or open lies outside the band, so
# both fade out towards the reference; two in a hundred good readings are slips.
SHORT_MEAN_MV, OPEN_OVERRANGE, SLIP = 25.0, 0.9, 0.02
OVERRANGE_ON = {"in_band": 0.003, "low": 0.001, "short": 0.0005}
CONTINUITY_MV = 20.0
OPEN_TAIL, WRONG_SIDE = 0.1, 0.002


@dataclass(frozen=True)
class LineVerdict:
    """One line read.

    Attributes
    ----------
    grade : str
        One of `LINE_GRADES`.
    remark : str
        'high' where it reads above its band without being open; 'extra' where good boards read open and this one does
        not.
    score : float
        Robust score (see `Reference.score`).
    weights : mapping of grade to float
        Likelihood of the reading under each grade, adding up to 1.
    ohms : float or None
        Resistance to ground (low, short) or in series (high) that explains it [ohm].
    says : str
        All of it in words.
    weak : bool
        True where no known-good reading stands behind it.

    """

    grade: str
    remark: str
    score: float
    weights: Mapping[str, float]
    ohms: float | None
    says: str
    weak: bool

    @property
    def mark(self) -> str:
        """State mark: good, off, open or short."""
        if self.grade == "in_band":
            return "off" if self.remark else "good"
        return {"low": "off", "open": "open", "short": "short"}[self.grade]

    @property
    def label(self) -> str:
        """The grade in a word, its remark before it."""
        words = {"in_band": "in band", "open": "open", "low": "low", "short": "shorted"}
        if self.remark == "high":
            return "high, not open" if self.grade == "in_band" else "open, reads high"
        return "reads although good boards do not" if self.remark == "extra" else words[self.grade]


def show_ohms(ohms: float) -> str:
    """A resistance as it is spoken: two figures, ohm, kiloohm or megaohm."""
    if math.isinf(ohms):
        return "no leak"
    if ohms < 1:
        return "under 1 ohm"
    for limit, factor, unit in ((1e3, 1.0, "ohm"), (1e6, 1e3, "kohm"), (math.inf, 1e6, "Mohm")):
        if ohms < limit * 0.9995:
            return f"{float(f'{ohms / factor:.2g}'):g}\u00a0{unit}"
    return "no leak"


def weigh(reading_mv: float, reference: Reference, times: int = 1) -> dict[str, float]:
    """Likelihood of a reading under each grade, adding up to 1.

    Parameters
    ----------
    reading_mv : float
        Reading [mV]; ``inf`` for overrange.
    reference : Reference
    times : int
        How often the line was read like this: a probe that did not touch explains one odd reading, hardly two.

    """
    slip = SLIP**times
    if reference.expects_open:
        found = {"in_band": 0.9, "open": 0.9, "low": 0.05, "short": 0.005}
        if math.isfinite(reading_mv):
            short = math.exp(-reading_mv / SHORT_MEAN_MV)
            found = {"in_band": 0.1, "open": 0.1, "low": 1.0 - short, "short": short * 4}
    elif math.isinf(reading_mv):
        found = {grade: chance**times for grade, chance in OVERRANGE_ON.items()} | {"open": OPEN_OVERRANGE}
    else:
        middle = reference.median_mv
        z = (reading_mv - middle) / reference.scale_mv
        out = min((z * reference.scale_mv / reference.half_band_mv) ** 2, 1.0)
        above = math.exp(-max(reading_mv - middle, 0.0) / middle)
        short = math.exp(-reading_mv / SHORT_MEAN_MV)
        found = {
            "in_band": (1 - slip) * t_density(z, reference.freedom) / reference.scale_mv + slip / middle * above,
            "open": OPEN_TAIL / middle * out * (above if z > 0 else WRONG_SIDE),
            "low": (1 - short) / middle * out * (1.0 if z < 0 else WRONG_SIDE),
            "short": short / SHORT_MEAN_MV,
        }
    whole = sum(found.values())
    return {grade: found[grade] / whole for grade in LINE_GRADES}


def read_line(
    reading_mv: float,
    reference: Reference,
    *,
    test_ma: float = TEST_MA,
    short_below_mv: float = SHORT_BELOW_MV,
    can_open: bool = True,
    times: int = 1,
) -> LineVerdict:
    """Grade one diode reading.

    Parameters
    ----------
    reading_mv : float
        Reading [mV]; ``inf`` for overrange.
    reference : Reference
        What the line should read.
    test_ma : float
        The meter's test current [mA].
    short_below_mv : float
        A line under this is shorted, whatever its reference [mV].
    can_open : bool
        False for a rail that fills a capacitor: overrange is a healthy answer there.
    times : int
        How often it was read like this.

    """
    weights, score = weigh(reading_mv, reference, times), reference.score(reading_mv)
    low, high = reference.band_mv
    if not can_open:
        folded = weights["in_band"] + weights["open"]
        weights = {**weights, "in_band": folded, "open": 0.0}
    against = _against(reference)
    if math.isinf(reading_mv):
        good = reference.expects_open or not can_open
        says = "overrange, as on good boards" if good else f"overrange: nothing conducts; {against}"
        return LineVerdict("in_band" if good else "open", "", score, weights, None, says, reference.weak)
    shown = show(reading_mv, "mV")
    if reading_mv < short_below_mv:
        ohms = reading_mv / test_ma
        joined = "; " if reference.expects_open else " against "
        says = f"{shown}{joined}{against}: {about(ohms)} to ground"
        return LineVerdict("short", "", score, weights, ohms, says, reference.weak)
    if reference.expects_open:
        ohms = reading_mv / test_ma
        return LineVerdict("low", "extra", score, weights, ohms, f"{shown}; {against}", reference.weak)
    middle, share = reference.median_mv, f"{reading_mv / reference.median_mv:.0%} of {against}"
    if low <= reading_mv <= high:
        return LineVerdict("in_band", "", score, weights, None, f"{shown}, {share}", reference.weak)
    junction = Junction.through(middle / 1000, test_ma / 1000)
    if reading_mv < low:
        ohms = leak_of(junction, reading_mv / 1000, test_ma / 1000)
        says = f"{shown}, {share}: {about(ohms)} to ground"
        return LineVerdict("low", "", score, weights, ohms, says, reference.weak)
    ohms = series_of(junction, reading_mv / 1000, test_ma / 1000)
    opened = can_open and reading_mv > middle * (OPEN_RATIO_WEAK if reference.weak else OPEN_RATIO)
    says = f"{shown}, {share}: {about(ohms)} in series"
    return LineVerdict("open" if opened else "in_band", "high", score, weights, ohms, says, reference.weak)


def about(ohms: float) -> str:
    """In words: about 41 ohm, or under 1 ohm."""
    text = show_ohms(ohms)
    return text if text.startswith(("under", "no")) else f"about {text}"


def _against(reference: Reference) -> str:
    if reference.expects_open:
        return "good boards read open here"
    middle = show(reference.median_mv, "mV")
    if reference.origin == "usual":
        return "the usual band, no reference"
    if reference.origin == "twin":
        return f"its twin's {middle}, no reference"
    if reference.origin == "given":
        return f"reference {middle}"
    boards = f"{reference.count} good board" + ("s" if reference.count != 1 else "")
    shifted = ", other meter, corrected" if reference.origin == "shifted" else ""
    return f"{middle} ({boards}{shifted})"


def read_continuity(reading_mv: float, *, test_ma: float = TEST_MA, times: int = 1) -> LineVerdict:
    """A contact on ground, or both ends of one part: next to nothing when it is whole, open else.

    Up to 20 mV is a good joint or part with the leads in it (common practice).

    Parameters
    ----------
    reading_mv : float
        Reading in diode mode [mV]; ``inf`` for overrange.
    test_ma : float
        Test current of the meter [mA].
    times : int
        How often it was read like this.

    """
    if reading_mv <= CONTINUITY_MV:
        weights = {"in_band": 0.99, "open": 0.01, "low": 0.0, "short": 0.0}
        return LineVerdict("in_band", "", 0.0, weights, None, f"{show(reading_mv, 'mV')}: it conducts", False)
    missed = SLIP**times
    weights = {"in_band": missed, "open": 1 - missed, "low": 0.0, "short": 0.0}
    if math.isinf(reading_mv):
        return LineVerdict("open", "", math.inf, weights, None, "overrange: it does not conduct", False)
    ohms = reading_mv / test_ma
    return LineVerdict("open", "high", math.inf, weights, ohms, f"{show(reading_mv, 'mV')}: {about(ohms)} in it", False)


def worse(first: LineVerdict, second: LineVerdict) -> LineVerdict:
    """The verdict that speaks more against a good line."""
    return second if second.weights["in_band"] < first.weights["in_band"] else first


def without_reference(
    reading_mv: float, usual_reference: Reference, twin_mv: float | None, *, test_ma: float = TEST_MA
) -> LineVerdict:
    """Grade a line nobody has a reference for: the wide usual band, and its twin where that one was read.

    The twin only speaks where it reads like a good line itself; two dead twins agree with each other.

    Parameters
    ----------
    reading_mv : float
        Reading in diode mode [mV]; ``inf`` for overrange.
    usual_reference : Reference
        The usual band of such lines.
    twin_mv : float or None
        What the twin reads [mV], None where it was not read.
    test_ma : float
        Test current of the meter [mA].

    """
    wide = read_line(reading_mv, usual_reference, test_ma=test_ma)
    if twin_mv is None:
        return wide
    if read_line(twin_mv, usual_reference, test_ma=test_ma).grade != "in_band":
        return wide
    return worse(wide, read_line(reading_mv, twin_of(twin_mv), test_ma=test_ma))


def recovered(before_mv: float, after_mv: float, reference: Reference) -> bool:
    """Whether a line that read low came most of the way back.

    A lifted chip takes its own junction along: the line may end well above its reference, or open, and still have
    recovered. Half the way is the line between both (common practice).

    Parameters
    ----------
    before_mv, after_mv : float
        Readings before and after the chip was lifted [mV]; ``inf`` for overrange.
    reference : Reference or None
        What a good line reads [mV].

    """
    if math.isinf(after_mv):
        return True
    goal = reference.median_mv if math.isfinite(reference.median_mv) else max(after_mv, 500.0)
    return after_mv - before_mv > 0.5 * max(goal - before_mv, 1.0)
