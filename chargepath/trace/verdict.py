"""Grade a charger-current record, with reasons in numbers."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.quantities import figure, show
from chargepath.case.entries import CheckEvent
from chargepath.grading.expect import Band, Conditions, expected_band, precharged
from chargepath.grading.readings import Grading
from chargepath.knowledge import Knowledge
from chargepath.trace.grid import make_grid, measure_quantum
from chargepath.trace.model import Trace
from chargepath.trace.phases import Phase, cut_phases

DRAWING = ("idle", "steady", "taper", "rise", "over_limit")
FIT_RANGE_A = 0.2
COVER = 2.0


@dataclass(frozen=True)
class SourceFit:
    """Straight line of volts against amps: source plus cable resistance [ohm] and open volts [V], each with its
    uncertainty
    (two standard errors, with what noise in the current takes off the slope).
    """

    ohms: float
    ohms_error: float
    open_volts: float
    open_error: float


@dataclass(frozen=True)
class TraceFigures:
    """Summary figures of a record.

    Attributes
    ----------
    plateau, spread : float
        Settled current and its spread [A]; 0 where nothing settled.
    volts : float
        Median volts of the plateau [V], NaN where not recorded.
    dropouts : int
    dropouts_per_minute, longest_dropout : float
        Per minute of drawing; seconds.
    loop_period : float
        Seconds, 0 where it does not start over.
    charge_mah, energy_wh, power_w : float
        Delivered, and the average power over the recorded time; energy and power are NaN without volts.
    plus, minus : float
        Median volts of the data lines [V], NaN where not recorded.
    fit : SourceFit or None
        None where the current moved too little to tell.

    """

    plateau: float
    spread: float
    volts: float
    dropouts: int
    dropouts_per_minute: float
    longest_dropout: float
    loop_period: float
    charge_mah: float
    energy_wh: float
    power_w: float
    plus: float
    minus: float
    fit: SourceFit | None


@dataclass(frozen=True)
class TraceVerdict:
    """Phases, figures, the expected band, and the grades for `charger_current` and `plug_wiggle`."""

    phases: tuple[Phase, ...]
    figures: TraceFigures
    band: Band
    current: Grading
    wiggle: Grading


def fit_source(trace: Trace) -> SourceFit | None:
    """Fit volts against amps; None without volts or where the current covers less than 0.2 A.

    Least squares on the working grid. The uncertainty is two standard errors plus the attenuation that noise in the
    current causes (slope times noise variance over current variance).
    """
    seen = np.isfinite(trace.volts)
    if seen.sum() < 10:
        return None
    seconds, amps, volts = trace.seconds[seen], trace.amps[seen], trace.volts[seen]
    grid = make_grid(seconds, amps, measure_quantum(amps))
    x = grid.amps
    y = make_grid(seconds, volts, 0.0).amps
    if np.quantile(x, 0.98) - np.quantile(x, 0.02) < FIT_RANGE_A:
        return None
    n, spread = x.size, float(np.var(x))
    slope = float(np.mean((x - x.mean()) * (y - y.mean()))) / spread
    cross = float(y.mean() - slope * x.mean())
    rest = float(np.sum((y - cross - slope * x) ** 2)) / max(n - 2, 1)
    error = np.sqrt(rest / (n * spread))
    bias = abs(slope) * grid.noise**2 / spread
    cross_error = np.sqrt(rest * (1 / n + x.mean() ** 2 / (n * spread)))
    return SourceFit(-slope, float(COVER * error + bias), cross, float(COVER * cross_error + bias * abs(x.mean())))


def _middle(line: Array | None) -> float:
    return float("nan") if line is None or not np.isfinite(line).any() else float(np.nanmedian(line))


def measure(trace: Trace, phases: list[Phase], settled_seconds: float) -> TraceFigures:
    """Work out the summary figures of a record.

    Parameters
    ----------
    trace : Trace
    phases : list of Phase
    settled_seconds : float
        How long a draw must last to count as settled [s].

    """
    charge = energy = recorded = 0.0
    for piece in trace.pieces():
        seconds, amps, volts = trace.seconds[piece], trace.amps[piece], trace.volts[piece]
        charge += float(np.trapezoid(amps, seconds))
        energy += float(np.trapezoid(amps * volts, seconds))
        recorded += float(seconds[-1] - seconds[0])
    drawing = [phase for phase in phases if phase.kind in DRAWING]
    settled = [phase for phase in drawing if phase.seconds >= settled_seconds]
    plateau = settled[-1] if settled else max(drawing, key=lambda phase: phase.seconds, default=None)
    drops = [phase for phase in phases if phase.kind == "dropout"]
    minutes = sum(phase.seconds for phase in [*drawing, *drops]) / 60
    loops = [phase for phase in phases if phase.kind == "loop"]
    return TraceFigures(
        plateau=plateau.amps if plateau else 0.0,
        spread=plateau.spread if plateau else 0.0,
        volts=plateau.volts if plateau else float("nan"),
        dropouts=len(drops),
        dropouts_per_minute=len(drops) / minutes if minutes else 0.0,
        longest_dropout=max((phase.seconds for phase in drops), default=0.0),
        loop_period=float(np.median([phase.period for phase in loops])) if loops else 0.0,
        charge_mah=charge / 3.6,
        energy_wh=energy / 3600,
        power_w=energy / recorded if recorded else 0.0,
        plus=_middle(trace.plus),
        minus=_middle(trace.minus),
        fit=fit_source(trace),
    )


def grade_trace(
    known: Knowledge, phases: list[Phase], figures: TraceFigures, band: Band, percent: float | None
) -> Grading:
    """Grade `charger_current` from a record.

    Parameters
    ----------
    known : Knowledge
    phases : sequence of Phase
    figures : Figures
    band : Band
        What it should draw [A].
    percent : float or None
        State of the battery [%], None where it is not known.

    """
    numbers, limits = known.grading, known.checks["charger_current"].reading
    loop = sum(phase.seconds for phase in phases if phase.kind == "loop")
    last_loop = max((phase.stop for phase in phases if phase.kind == "loop"), default=0.0)
    drawing = sum(phase.seconds for phase in phases if phase.kind in DRAWING)
    settled = any(
        phase.kind in DRAWING and phase.start >= last_loop - 1e-9 and phase.seconds >= numbers["settled_seconds"]
        for phase in phases
    )
    against = f"expected {show(band.low, 'A')} to {show(band.high, 'A')}"
    if loop and not settled and loop >= numbers["cycling_share"] * (loop + drawing):
        return Grading("cycling", f"starts over every {figure(figures.loop_period, 1)} s, {loop:.0f} s of it")
    text = f"{show(figures.plateau, 'A')} ± {show(max(figures.spread, 0.001), 'A')}, {against}"
    if loop and settled:
        text += f"; started over for {loop:.0f} s before it settled"
    if figures.dropouts:
        text += f"; drops out {figures.dropouts} time{'s' if figures.dropouts > 1 else ''}"
    if precharged(known, percent, figures.plateau):
        return Grading("trickle", f"{text}: right for a deeply flat cell, which begins with little")
    if figures.plateau > band.most:
        return Grading("high", f"{text}; over {show(band.most, 'A')} something draws beside it")
    if figures.plateau >= band.low and (figures.plateau > limits["none_below_a"] or not band.amps):
        return Grading("normal", text)
    if figures.plateau < limits["none_below_a"]:
        full = percent is not None and percent >= limits["full_from_percent"]
        return Grading(
            "normal" if full else "none", f"full, it need not draw; {text}" if full else f"nothing flows; {against}"
        )
    return Grading("trickle" if figures.plateau < limits["trickle_below_a"] else "reduced", text)


def grade_wiggle(figures: TraceFigures) -> Grading:
    """Grade `plug_wiggle` from a record taken while the plug was moved."""
    if not figures.dropouts:
        return Grading("steady", f"no dropout; {show(figures.plateau, 'A')} ± {show(max(figures.spread, 0.001), 'A')}")
    return Grading(
        "drops",
        f"{figures.dropouts} dropout{'s' if figures.dropouts > 1 else ''}, "
        f"{figure(figures.dropouts_per_minute, 1)} a minute, longest {figure(figures.longest_dropout, 1)} s",
    )


def judge_trace(known: Knowledge, trace: Trace, conditions: Conditions) -> TraceVerdict:
    """Cut a record into phases, work out its figures, and grade it.

    Raises
    ------
    ReadingError
        The conditions name an unknown source or an impossible percentage.

    """
    expected_band(known, conditions)
    phases = cut_phases(trace, known.sources[conditions.source].amps)
    figures = measure(trace, phases, known.grading["settled_seconds"])
    if np.isfinite(figures.volts):
        conditions = replace(conditions, volts=figures.volts)
    band = expected_band(known, conditions)
    current = grade_trace(known, phases, figures, band, conditions.percent)
    return TraceVerdict(tuple(phases), figures, band, current, grade_wiggle(figures))


def current_event(verdict: TraceVerdict, percent: float | None, variant: str = "") -> CheckEvent:
    """The observation of `charger_current` that a record stands for, with its grade.

    A trace may well give `cycling`.

    Parameters
    ----------
    verdict : Verdict
    percent : float or None
        State of the battery [%].
    variant : str
        'own' for the customer's charger, '' for the shop's.

    """
    loop = [phase.amps for phase in verdict.phases if phase.kind == "loop"]
    amps = max(loop) if verdict.current.grade == "cycling" and loop else verdict.figures.plateau
    values = {"amps": round(max(amps, 0.0), 3)}
    if np.isfinite(verdict.figures.volts):
        values["volts"] = round(verdict.figures.volts, 3)
    if percent is not None:
        values["battery_percent"] = percent
    return CheckEvent("charger_current", variant, verdict.current.grade, values=values)
