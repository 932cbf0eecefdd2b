"""What a diode reading means: its grade, how far out it is, and the resistance behind it.

The grade comes from the reference's band; what reaches the belief are `weights`, the likelihood of the reading under
each grade, so that a reading just outside its band says less than one far out.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.base.distributions import t_density
from chargepath.electrical.junction import Junction, leak_of, series_of
from chargepath.electrical.references import Reference, twin_of
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
    """The verdict on one line.

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
    reading_mv : float
        What was read [mV]; ``inf`` for overrange.
    reference : Reference or None
        What it was held against; None where the line only has to conduct, or nothing is known of it.
    conducts : bool
        True where the line only had to conduct.

    """

    grade: str
    remark: str
    score: float
    weights: Mapping[str, float]
    ohms: float | None
    reading_mv: float
    reference: Reference | None
    conducts: bool = False

    @property
    def weak(self) -> bool:
        """True where no known-good reading stands behind it."""
        return not self.conducts and (self.reference is None or self.reference.weak)

    @property
    def mark(self) -> str:
        """State mark: good, off, open or short."""
        if self.grade == "in_band":
            return "off" if self.remark else "good"
        return {"low": "off", "open": "open", "short": "short"}[self.grade]


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

    def verdict(grade: str, remark: str = "", ohms: float | None = None) -> LineVerdict:
        return LineVerdict(
            grade=grade,
            remark=remark,
            score=score,
            weights=weights,
            ohms=ohms,
            reading_mv=reading_mv,
            reference=reference,
        )

    if math.isinf(reading_mv):
        return verdict("in_band" if reference.expects_open or not can_open else "open")
    if reading_mv < short_below_mv:
        return verdict("short", "", reading_mv / test_ma)
    if reference.expects_open:
        return verdict("low", "extra", reading_mv / test_ma)
    if low <= reading_mv <= high:
        return verdict("in_band")
    middle = reference.median_mv
    junction = Junction.through(middle / 1000, test_ma / 1000)
    if reading_mv < low:
        return verdict("low", "", leak_of(junction, reading_mv / 1000, test_ma / 1000))
    opened = can_open and reading_mv > middle * (OPEN_RATIO_WEAK if reference.weak else OPEN_RATIO)
    return verdict("open" if opened else "in_band", "high", series_of(junction, reading_mv / 1000, test_ma / 1000))


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
        return LineVerdict(
            grade="in_band",
            remark="",
            score=0.0,
            weights=weights,
            ohms=None,
            reading_mv=reading_mv,
            reference=None,
            conducts=True,
        )
    missed = SLIP**times
    weights = {"in_band": missed, "open": 1 - missed, "low": 0.0, "short": 0.0}
    if math.isinf(reading_mv):
        return LineVerdict(
            grade="open",
            remark="",
            score=math.inf,
            weights=weights,
            ohms=None,
            reading_mv=reading_mv,
            reference=None,
            conducts=True,
        )
    return LineVerdict(
        grade="open",
        remark="high",
        score=math.inf,
        weights=weights,
        ohms=reading_mv / test_ma,
        reading_mv=reading_mv,
        reference=None,
        conducts=True,
    )


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
