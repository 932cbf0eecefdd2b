"""What the heat desk shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from chargepath.base.quantities import figure, shortest
from chargepath.base.sentences import inside
from chargepath.knowledge import Knowledge
from chargepath.knowledge.heat import Alloy, Opening, Target
from chargepath.repair.heat import RANGES, Run, Setting
from chargepath.repair.lumps import CELL, CORE, JOINT, NEIGHBOUR, ZONE
from chargepath.repair.opening import Soak
from chargepath.repair.station import Fit
from chargepath.repair.stepheat import StepHeat
from chargepath.repair.ways import LOW_SHARE, MeltWay
from rainfront.heat.desk import EASY_C, WIRE_MM, Heated
from rainfront.heat.models import Melted
from rainfront.web.scenes.heat_chart import HeatChart, draw

WAYS = {
    "as_is": ("Hot air alone", "hot air"),
    "plate": ("With the plate", "the plate"),
    "low_melt": ("With low-melt in it", "low-melt alloy"),
    "iron": ("By iron", "the iron"),
}
CURVES = (("joint", JOINT), ("core", CORE), ("board", ZONE), ("neighbour", NEIGHBOUR), ("cell", CELL))
NAMES = {"joint": "Joint", "core": "Plastic tongue", "board": "Board there", "neighbour": "Neighbour", "cell": "Cell"}
NARROW_K = 10
# From so much lead on it is named as the reason of the last film [% of the mass].
LEADED = 5


@dataclass(frozen=True)
class Says:
    """One sentence of the verdict; `kind` is 'bad', 'near' or 'good'."""

    kind: str
    text: str


@dataclass(frozen=True)
class MeltWayRow:
    """One way, its lowest setting, and whether it does."""

    label: str
    at: str
    seconds: str
    says: str
    does: bool
    query: str


@dataclass(frozen=True)
class HeatFigure:
    """One figure in words."""

    label: str
    value: str
    note: str = ""


@dataclass(frozen=True)
class Desk:
    """The whole page of one setting."""

    title: str
    says: Sequence[Says]
    chart: HeatChart
    limits: Sequence[tuple[str, str, str, str, bool]]
    ways: Sequence[MeltWayRow]
    profile: Sequence[HeatFigure]
    solder: Sequence[HeatFigure]
    station: str
    outside: str


def desk_of(found: Heated, known: Knowledge, query: Any) -> Desk:
    """What a setting comes to, in words and drawn; `query` is the desk's address, for the links to the other ways."""
    return Desk(
        title=_title(found.run),
        says=_says(found),
        chart=_chart(found.run, found.target, found.joint),
        limits=[
            (row.label, f"{row.peak_c:.0f}", f"{shortest(row.limit_c)}", f"{row.left_k:+.0f}", row.holds)
            for row in found.run.margins
        ],
        ways=[_way(way, found.low_share, query) for way in found.ways],
        profile=_profile(found.run, found.setting, known),
        solder=_solder(found),
        station=_station_words(found.fit, found.spread),
        outside=", ".join(found.run.outside),
    )


def _title(found: Run) -> str:
    if found.melted_s is None:
        return "Does not melt"
    return f"Melts after {found.melted_s:.0f} s" if found.melted_s >= 1 else "Melts within a second"


def _says(heated: Heated) -> list[Says]:
    found, setting, joint = heated.run, heated.setting, heated.joint
    failed = [margin for margin in found.margins if not margin.holds]
    out = [
        Says("bad", f"{row.label} peaks at {row.peak_c:.0f} °C; its limit is {shortest(row.limit_c)}: {row.says}.")
        for row in failed
    ]
    if found.melted_s is None:
        out.append(
            Says(
                "bad",
                f"In {shortest(setting.most_s)} s the joint gets to {found.peak_c:.0f} °C; "
                f"all of it is liquid at {shortest(joint.liquidus_c)}.",
            )
        )
    near = min(found.margins, key=lambda row: row.left_k)
    if found.melted_s is not None and not failed:
        kind = "near" if near.left_k < NARROW_K else "good"
        out.append(
            Says(
                kind,
                f"Heat off after {found.heat_s:.0f} s. Everything stays under its limit; "
                f"nearest is the {inside(near.label)} with {near.left_k:.0f} °C left.",
            )
        )
    return [*out, *_needs(setting, heated.ways, found)]


def _needs(setting: Setting, others: Sequence[MeltWay], found: Run) -> list[Says]:
    """What to do where it does not do as it is set."""
    if found.melted_s is not None and found.holds:
        return []
    by_id = {way.id: way for way in others}
    if setting.tool != "iron" and by_id["as_is"].does and not setting.plate_c:
        return [Says("near", f"{by_id['as_is'].setting.set_c:.0f} °C is enough and does no harm.")]
    first = next((way for way in others if way.id != "as_is" and way.does), None)
    if first is None:
        return [Says("bad", "None of the four ways does it in this time: allow more time, or cover and cool more.")]
    return [Says("near", f"It needs {WAYS[first.id][1]}: {first.setting.set_c:.0f} °C then.")]


def _way(way: MeltWay, low_share: float, query: Any) -> MeltWayRow:
    failed = next((margin for margin in way.run.margins if not margin.holds), None)
    if not way.melts:
        says = f"does not melt in {shortest(way.setting.most_s)} s"
    elif failed:
        says = f"{inside(failed.label)} {failed.peak_c:.0f} °C, limit {shortest(failed.limit_c)}"
    else:
        says = "holds"
    link = query.copy()
    link["set_c"], link["plate_c"] = f"{way.setting.set_c:g}", f"{way.setting.plate_c:g}"
    link["tool"] = way.setting.tool
    if way.id == "low_melt":
        link["low_melt"] = f"{100 * max(LOW_SHARE, low_share):g}"
    at = f"from {way.setting.set_c:.0f} °C" if way.melts else ""
    plate = f", plate {way.setting.plate_c:.0f} °C" if way.id == "plate" else ""
    seconds = f"{way.run.melted_s:.0f} s" if way.run.melted_s is not None else ""
    return MeltWayRow(
        label=WAYS[way.id][0] + plate, at=at, seconds=seconds, says=says, does=way.does, query=link.urlencode()
    )


def _chart(found: Run, target: Target, joint: Alloy) -> HeatChart:
    limits = {margin.id: margin.limit_c for margin in found.margins}
    rows = [
        (kind, NAMES[kind], [float(value) for value in found.temps[:, lump]], limits.get(kind))
        for kind, lump in CURVES
        if kind != "cell" or "cell" in limits
    ]
    melting = (joint.solidus_c, joint.liquidus_c, _melting_words(joint))
    heated = (found.soak_s, found.soak_s + found.heat_s)
    title = f"Temperatures of {inside(target.label)} over {found.times[-1]:.0f} s: joint up to {found.peak_c:.0f} °C"
    return draw([float(t) for t in found.times], rows, melting, heated, title)


def _melting_words(joint: Alloy) -> str:
    if joint.liquidus_c - joint.solidus_c < 1:
        return f"melts at {joint.solidus_c:.0f}"
    return f"melts from {joint.solidus_c:.0f} to {joint.liquidus_c:.0f}"


def _profile(found: Run, setting: Setting, known: Knowledge) -> list[HeatFigure]:
    """How steeply it rises and falls: a plate against a reflow oven's profile, air and iron against hand work."""
    limits, oven = known.heat.profile, setting.tool == "plate"
    allows = "a reflow profile allows" if oven else "usual by hand up to"
    steeper = "come nearer slowly, or warm it on a plate first" if setting.plate_c <= 0 else "come nearer slowly"
    rows = (
        ("Rises", found.ramp_k_s, limits["ramp_k_s" if oven else "hand_ramp_k_s"], "°C/s", allows, steeper),
        ("Falls", found.cool_k_s, limits["cool_k_s" if oven else "hand_cool_k_s"], "°C/s", allows, "go away slowly"),
        ("Above liquidus", found.above_s, limits["above_liquidus_s"], "s", "a reflow profile allows", "use less heat"),
    )
    return [
        HeatFigure(
            label, f"{value:.0f} {unit}" if value >= 10 else f"{figure(value, 1)} {unit}",
            f"{words} {shortest(most)}" + (f": {mends}" if value > most else ""),
        )
        for label, value, most, unit, words, mends in rows
    ]  # fmt: skip


def _solder(found: Heated) -> list[HeatFigure]:
    joint, low, volume = found.joint, found.low_melt, f"{shortest(found.target.joint_mm3)} mm³"
    rows = [HeatFigure("Melts", _melting_words(joint).removeprefix("melts ") + " °C", joint.label)]
    length = f"{low.wire_mm:.0f} mm"
    if low.made is None or low.strength is None or low.plain is None:
        note = f"of low-melt wire, {shortest(WIRE_MM)} mm, worked into {volume} of joints"
        return [*rows, HeatFigure(f"To melt by {shortest(EASY_C)} °C", length, note)] if low.grams else rows
    rows += [
        HeatFigure(
            "Low-melt wire", length,
            f"of {shortest(WIRE_MM)} mm for {volume} in the joints, {low.grams * 1000:.0f} mg",
        ),
        HeatFigure(
            "Bears", f"{low.strength.shear_mpa:.0f} MPa",
            f"warm at 85 °C {low.strength.warm_mpa:.0f} where the joint had {low.plain.warm_mpa:.0f}; "
            f"survives {low.strength.drops:.0%} of the drops: take it all off before the last solder goes on",
        ),
    ]  # fmt: skip
    if low.made.last_c < low.made.solidus_c - 1 or low.made.rough:
        film = "lead and bismuth together leave a film that is liquid to there"
        why = film if low.made.of.get("pb", 0) > LEADED else "it cools too fast to become even"
        rows.append(HeatFigure("Last of it freezes", f"{low.made.last_c:.0f} °C", why))
    return rows


def _station_words(fit: Fit | None, spread: tuple[float, float, float] | None) -> str:
    if fit is None:
        return "As a usual station does it: 95 % of what is set reaches the nozzle. Log a few melts, and it is yours."
    words = f"Fitted to {fit.melts} melt{'s' if fit.melts != 1 else ''} of this station"
    if spread:
        words += f": it melts after {spread[0]:.0f} s, between {spread[1]:.0f} and {spread[2]:.0f} in 19 of 20"
    if fit.drift is not None:
        words += (
            f". It drifts: the last melts took {abs(fit.drift):.0%} {'longer' if fit.drift > 0 else 'less'} than before"
        )
    return words + "."


def _drift_words(drift: float) -> str:
    return f"{abs(drift):.0%} {'longer' if drift > 0 else 'less'}"


@dataclass(frozen=True)
class Plate:
    """A device on the plate."""

    title: str
    says: Sequence[Says]
    chart: HeatChart


def plate_of(row: Opening, plate_c: float, minutes: float, found: Soak) -> Plate:
    """How warm its cell gets on the plate."""
    cell, says = found.cell, []
    if not cell.holds:
        says.append(
            Says("bad", f"The cell reaches {cell.peak_c:.0f} °C; its limit is {shortest(cell.limit_c)}: {cell.says}.")
        )
    if found.gives_s is None:
        says.append(Says("bad", f"The glue does not get to the {shortest(row.glue_c)} °C at which it gives way."))
    else:
        when = f"{figure(found.gives_s / 60, 1)} min" if found.gives_s >= 60 else f"{found.gives_s:.0f} s"
        says.append(Says("good", f"The glue gives way after {when}; the cell is at {found.cell_then_c:.0f} °C then."))
    if cell.holds:
        kind = "near" if cell.left_k < NARROW_K else "good"
        says.append(
            Says(kind, f"After {shortest(minutes)} min the cell is at {cell.peak_c:.0f} °C, {cell.left_k:.0f} °C left.")
        )
    chart = draw(
        [float(t) for t in found.times],
        [
            ("joint", "Glue", [float(v) for v in found.temps[:, 0]], None),
            ("board", "Frame", [float(v) for v in found.temps[:, 1]], None),
            ("cell", "Cell", [float(v) for v in found.temps[:, 2]], cell.limit_c),
        ],
        (row.glue_c, row.glue_c, f"glue gives way at {shortest(row.glue_c)}"),
        None,
        f"{row.label} on a plate of {plate_c:.0f} °C for {shortest(minutes)} min: cell up to {cell.peak_c:.0f} °C",
        unit_s=60.0,
    )
    title = "Gives way" if found.gives_s is not None else "Does not give way"
    return Plate(title, says, chart)


@dataclass(frozen=True)
class MeltRow:
    """One melt of a station, with what its fit makes of it."""

    row: Melted
    what: str
    solder: str
    fitted: str
    struck: bool


@dataclass(frozen=True)
class StationPage:
    """A station: what was fitted, and its melts."""

    figures: Sequence[HeatFigure]
    drift: str
    rows: Sequence[MeltRow]


def station_of(
    rows: Sequence[Melted], told: Mapping[int, Sequence[float]], fit: Fit | None, known: Knowledge
) -> StationPage:
    """What a station's page shows; `rows` with those struck out, `told` what its fit makes of each, by key."""
    figures, drift = [], ""
    if fit is not None:
        low, high = fit.range_of("gain")
        least, most = fit.range_of("flow")
        figures = [
            HeatFigure(
                "Reaches the nozzle",
                f"{fit.station.gain:.0%}",
                f"of what is set over the room; {low:.0%} to {high:.0%}",
            ),
            HeatFigure(
                "True flow",
                f"{figure(fit.station.flow, 2)} ×",
                f"what it shows; {figure(least, 2)} to {figure(most, 2)}",
            ),
            HeatFigure("Scatter of one melt", f"{fit.noise:.0%}", f"over {fit.melts} melts"),
        ]
        if fit.drift is not None:
            drift = f"The last melts took {_drift_words(fit.drift)} than those before: "
            drift += "a worn heater, a clogged filter, another nozzle?"
    known_heat = known.heat
    out = []
    for row in reversed(rows):
        says = told.get(row.pk)
        target, alloy = known_heat.targets.get(row.target), known_heat.alloys.get(row.alloy)
        out.append(
            MeltRow(
                row, target.label if target else row.target, alloy.label if alloy else row.alloy,
                f"{says[0]:.0f} ({says[1]:.0f} to {says[2]:.0f})" if says else "", row.struck_at is not None,
            )
        )  # fmt: skip
    return StationPage(figures, drift, out)


def desk_query(heat: StepHeat) -> dict[str, str]:
    """What a step heats, as the desk's address takes it."""
    setting = heat.setting
    out = {"target": heat.target.id, "alloy": heat.alloy.id, "tool": setting.tool}
    out |= {name: f"{getattr(setting, name):g}" for name in RANGES}
    if setting.touch:
        out["touch"] = setting.touch.id
    if heat.low_share:
        out["low_melt"] = f"{100 * heat.low_share:g}"
    if setting.in_frame:
        out["in_frame"] = "on"
    return out
