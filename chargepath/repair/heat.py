"""How hot and how long: a target under hot air, on a plate or under an iron, from the setting to the joint and back.

A network of six lumps (`network`), heated by a jet (`jet`), a plate or a tip. The port sits at the board's edge, so
heat spreads into half a disc. Figures of the board: 2.4 J/(cm³ K) for laminate with copper; still air takes 8 W/(m² K),
radiation beside it. A plate reaches a board with parts on its underside across 1 mm of air: 31 W/(m² K) at 100 °C and
14 of radiation; the underside then looks at the plate and not at the room. A tip is a cone of copper, 300 W/(m K) with
its plating, 8 mm long and 5 mm wide at its base; solder wets its face, at least 1.5 mm along it, and carries 12
kW/(m² K). All of these from memory; a station's own fit (`station`) corrects what its air and its sensor do.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.errors import ReadingError
from chargepath.knowledge.heat import Alloy, HeatTables, Target, Touch
from chargepath.repair.jet import Jet
from chargepath.repair.lumps import BOARD, CELL, CORE, JOINT, LUMPS, NEIGHBOUR, SOURCES, ZONE

BOARD_J_MM3, PLATE_W_M2K, STILL_W_M2K = 2.4e-3, 45.0, 8.0
TIP_W_M2K, SHANK_W_MK, SHANK_M, SHANK_BASE_M = 1.2e4, 300.0, 0.008, 0.005
WETS_M, WETS_MOST_M2 = 0.0015, 9e-6
CELL_J_K, CELL_MM2, CELL_W_K = 9.0, 120.0, 0.02
SPREADS, SHIELDED, UNDER_LID = 0.5, 0.2, 0.5
STEP_S, KEPT_S, COOLS_S, LONGEST_S, EUTECTIC_K = 0.1, 0.5, 60.0, 240.0, 1.0
TOOLS = ("above", "below", "iron", "plate")
RAMP_S = 2.0
# How long an iron rests on one joint at most: longer lifts the pad (common practice) [s].
IRON_S = 8.0


@dataclass(frozen=True)
class Setting:
    """What is set on the tool, and how the tool is held.

    Attributes
    ----------
    tool : str
        'above', 'below' (hot air), 'iron', or 'plate' where nothing else heats.
    set_c : float
        Shown by the station [°C].
    flow_l_min, nozzle_mm, distance_mm : float
        Of the hot air.
    tip_mm : float
        Width of the tip.
    touch : Touch or None
        What the tip touches; None for an anchor of the part.
    plate_c, soak_s : float
        A plate under the board, 0 for none, and how long it soaks before the air begins; alone it heats for `most_s`.
    shielded, in_frame : bool
        Foil over what is not meant to be heated; board left in its frame with the cell beside it.
    room_c, past_melt_s, most_s : float
        Room; seconds of heat after all is liquid; at most so long [s].

    """

    tool: str = "above"
    set_c: float = 380.0
    flow_l_min: float = 50.0
    nozzle_mm: float = 8.0
    distance_mm: float = 12.0
    tip_mm: float = 3.0
    touch: Touch | None = None
    plate_c: float = 0.0
    soak_s: float = 120.0
    shielded: bool = True
    in_frame: bool = False
    room_c: float = 22.0
    past_melt_s: float = 3.0
    most_s: float = 60.0


RANGES: Mapping[str, tuple[float, float, str]] = {
    "set_c": (100, 550, "°C"),
    "flow_l_min": (5, 200, "l/min"),
    "nozzle_mm": (2, 25, "mm"),
    "distance_mm": (2, 100, "mm"),
    "tip_mm": (0.4, 12, "mm"),
    "plate_c": (0, 250, "°C"),
    "soak_s": (0, 900, "s"),
    "room_c": (-10, 45, "°C"),
    "past_melt_s": (0, 60, "s"),
    "most_s": (5, LONGEST_S, "s"),
}


@dataclass(frozen=True)
class AirStation:
    """How a station differs from one that does what it shows.

    `gain` is the share of the set excess over the room that reaches the nozzle, `flow` the true flow over the shown
    one, `takes` how well this shop's parts take the heat next to the tables'.
    """

    gain: float = 0.95
    flow: float = 1.0
    takes: float = 1.0


@dataclass(frozen=True)
class Margin:
    """The hottest that one part got, against the most that it bears [°C]."""

    id: str
    label: str
    peak_c: float
    limit_c: float
    says: str

    @property
    def left_k(self) -> float:
        """Degrees left up to the limit [K]; negative where the part got hotter than it bears."""
        return self.limit_c - self.peak_c

    @property
    def holds(self) -> bool:
        """Whether the part stayed within its limit."""
        return self.left_k >= 0


@dataclass(frozen=True)
class Run:
    """The course of heating a target.

    Attributes
    ----------
    times : array (n,)
        From the begin of the soak [s].
    temps : array (n, 6)
        Joint, zone, core, board, neighbour, cell's edge [°C].
    liquid : array (n,)
        Share of the joint that is liquid.
    begins_s, melted_s : float or None
        When the joint begins to melt and when all is liquid, from when the heat began [s]; None where it does not.
    heat_s : float
        How long the heat was on [s].
    above_s : float
        How long the joint was above its liquidus [s].
    ramp_k_s, cool_k_s : float
        Steepest rise and fall of the zone over two seconds [K/s].
    margins : tuple of Margin
        The failing ones first.
    energy : tuple of float
        Heat from jet, plate, iron, to the room, stored [J].
    outside : tuple of str
        In what the setting lies outside the correlation's limits.

    """

    times: Array
    temps: Array
    liquid: Array
    begins_s: float | None
    melted_s: float | None
    soak_s: float
    heat_s: float
    above_s: float
    ramp_k_s: float
    cool_k_s: float
    margins: tuple[Margin, ...]
    energy: tuple[float, ...]
    outside: tuple[str, ...]

    @property
    def holds(self) -> bool:
        """Whether every part stayed within its limit."""
        return all(margin.holds for margin in self.margins)

    @property
    def peak_c(self) -> float:
        """Hottest that the joint got [°C]."""
        return float(self.temps[:, JOINT].max())


def time_to_melt(target: Target, setting: Setting, alloy: Alloy, station: AirStation) -> tuple[float | None, float]:
    """Seconds of heat until the joint is all liquid, None where it is not within `most_s`; and its peak [s, °C]."""
    network = build(target, checked(setting), alloy, station)
    heat = network.capacity * setting.room_c
    if setting.plate_c > 0 and setting.tool != "plate":
        _, heat, _, _ = _phase(
            network, heat, network.sources(setting, heated=False), setting.soak_s, -1.0, setting.room_c
        )
    kept, *_ = _phase(network, heat, network.sources(setting, heated=True), setting.most_s, 0.0, setting.room_c)
    times: Array = KEPT_S * np.arange(len(kept), dtype=np.float64)
    return first_over(times, kept[:, LUMPS], 1.0 - 1e-9), float(kept[:, JOINT].max())


def checked(setting: Setting) -> Setting:
    """A setting within its limits.

    Raises
    ------
    ReadingError
        Naming the first figure that is outside.

    """
    if setting.tool not in TOOLS:
        raise ReadingError(f"'{setting.tool}' is no tool here", "tool", ", ".join(TOOLS))
    if setting.tool == "plate" and not setting.plate_c:
        raise ReadingError("a plate of 0 °C heats nothing", "plate_c", "how hot the plate is")
    for name, (low, high, unit) in RANGES.items():
        value = getattr(setting, name)
        if not low <= value <= high:
            raise ReadingError(f"{value:g} {unit} is not possible", name, f"{low:g} to {high:g} {unit}")
    return setting


@dataclass(frozen=True)
class Network:
    """The lumps of one target under one setting, as `network.integrate` takes them."""

    capacity: Array
    between: Array
    jet_w_k: Array
    jet_c: Array
    plate_w_k: Array
    iron_w_k: Array
    room_w_k: Array
    radiates_mm2: Array
    latent_j: float
    solidus_c: float
    liquidus_c: float
    outside: tuple[str, ...] = field(default=())

    def sources(self, setting: Setting, *, heated: bool) -> tuple[Array, Array]:
        """Conductances and temperatures of jet, plate and iron, (3, 6) each; a plate under air or iron stays on."""
        w_k, c = np.zeros((SOURCES, LUMPS)), np.zeros((SOURCES, LUMPS))
        if setting.plate_c > 0 and (heated or setting.tool != "plate"):
            w_k[1], c[1] = self.plate_w_k, setting.plate_c
        if heated and setting.tool == "iron":
            w_k[2], c[2] = self.iron_w_k, setting.set_c
        elif heated and setting.tool != "plate":
            w_k[0], c[0] = self.jet_w_k, self.jet_c
        return w_k, c


def reach_mm(target: Target) -> float:
    """Radius of half a disc as large as the board [mm]."""
    return math.sqrt(target.board_mm2 / (math.pi * SPREADS))


def build(target: Target, setting: Setting, alloy: Alloy, station: AirStation) -> Network:
    """Build the network of lumps of a target under a setting."""
    iron = setting.tool == "iron"
    touch = setting.touch or Touch(
        id="anchor", label="", j_k=target.anchor_j_k, w_k=target.anchor_w_k, mm3=target.joint_mm3 / 4, basis=""
    )
    zone_mm2 = math.pi * target.zone_mm**2 * SPREADS
    rest_mm2 = max(target.board_mm2 - zone_mm2, 1.0)
    capacity = np.array(
        [
            touch.j_k if iron else target.joint_j_k,
            zone_mm2 * target.board_mm * BOARD_J_MM3 + target.metal_j_k,
            target.core_j_k,
            rest_mm2 * target.board_mm * BOARD_J_MM3,
            target.neighbour_j_k,
            CELL_J_K,
        ]
    )
    between = np.zeros((LUMPS, LUMPS))
    _tie(between, JOINT, ZONE, touch.w_k if iron else target.joint_w_k)
    _tie(between, ZONE, CORE, target.core_w_k)
    middle = math.sqrt(target.zone_mm * reach_mm(target))
    spread = 2 * math.pi * SPREADS * target.board_w_mk * target.board_mm / 1000 / math.log(middle / target.zone_mm)
    _tie(between, ZONE, BOARD, spread)
    # A neighbour stands on board that is as warm as its distance makes it: between the zone and the rest.
    nearness = min(max(1 - (target.neighbour_mm - target.zone_mm) / (middle - target.zone_mm + 6), 0.0), 1.0)
    stands = target.neighbour_mm2 * 1e-6 * 900
    _tie(between, NEIGHBOUR, ZONE, stands * nearness)
    _tie(between, NEIGHBOUR, BOARD, stands * (1 - nearness))
    if setting.in_frame:
        _tie(between, CELL, BOARD, CELL_W_K)
    nothing: tuple[str, ...] = ()
    blows = setting.tool in ("above", "below")
    jet_w_k, jet_c, outside = _jet(target, setting, station) if blows else (np.zeros(LUMPS), np.zeros(LUMPS), nothing)
    plate = np.array([0, zone_mm2, 0, rest_mm2, 0, 0]) * 1e-6 * PLATE_W_M2K
    tip_m = setting.tip_mm / 1000
    wetted = min(max(math.pi / 4 * tip_m**2, tip_m * WETS_M), WETS_MOST_M2)
    cone_m2 = math.pi / 4 * tip_m * max(tip_m, SHANK_BASE_M)  # A cone conducts as a rod of its two widths' product.
    held = 1 / (SHANK_M / (SHANK_W_MK * cone_m2) + 1 / (TIP_W_M2K * wetted))
    open_faces = np.array([0, zone_mm2 + target.shell_mm2, target.core_mm2, 2 * rest_mm2, target.neighbour_mm2, 0])
    if setting.plate_c > 0:  # The underside looks at the plate, not at the room.
        open_faces[[ZONE, BOARD]] = target.shell_mm2, rest_mm2
    room = open_faces * 1e-6 * STILL_W_M2K
    room[CELL] = CELL_MM2 * 10 * 1e-6 * STILL_W_M2K
    solidus, liquidus = alloy.solidus_c, max(alloy.liquidus_c, alloy.solidus_c + EUTECTIC_K)
    volume = touch.mm3 if iron else target.joint_mm3
    latent = volume / 1000 * alloy.g_cm3 * alloy.j_g
    iron_w_k = np.array([held, 0, 0, 0, 0, 0])
    return Network(
        capacity=capacity,
        between=between,
        jet_w_k=jet_w_k,
        jet_c=jet_c,
        plate_w_k=plate,
        iron_w_k=iron_w_k,
        room_w_k=room,
        radiates_mm2=open_faces,
        latent_j=latent,
        solidus_c=solidus,
        liquidus_c=liquidus,
        outside=outside,
    )


def _tie(between: Array, one: int, other: int, w_k: float) -> None:
    between[one, other] = between[other, one] = w_k


def _jet(target: Target, setting: Setting, station: AirStation) -> tuple[Array, Array, tuple[str, ...]]:
    """What the air gives to each lump [W/K], how warm it is there [°C], and what is outside the correlation."""
    exit_c = setting.room_c + station.gain * (setting.set_c - setting.room_c)
    jet = Jet(exit_c, setting.flow_l_min * station.flow, setting.nozzle_mm, setting.distance_mm, setting.room_c)
    zone, reach = target.zone_mm, reach_mm(target)
    above = setting.tool == "above"
    zone_mm2 = math.pi * zone**2 * SPREADS
    w_k, c = np.zeros(LUMPS), np.full(LUMPS, setting.room_c)
    w_k[ZONE] = jet.disc(zone) * (zone_mm2 + (target.shell_mm2 if above else 0.0)) * 1e-6 * station.takes
    c[ZONE] = jet.reaches_c(zone / 2)
    along, c[BOARD] = jet.ring_w_k(zone, reach)
    w_k[BOARD] = along * (target.board_mm2 - zone_mm2) * 1e-6
    cover = SHIELDED if setting.shielded else 1.0
    if above:
        w_k[CORE] = jet.disc(zone) * target.core_mm2 * 1e-6 * station.takes
        c[CORE] = jet.reaches_c(zone / 2)
        near = jet.ring(max(target.neighbour_mm - 3, 0.0), target.neighbour_mm + 3)
        w_k[NEIGHBOUR] = near * target.neighbour_mm2 * 1e-6 * UNDER_LID * cover
        c[NEIGHBOUR] = jet.reaches_c(target.neighbour_mm)
    if setting.in_frame:
        w_k[CELL] = jet.ring(target.cell_mm - 3, target.cell_mm + 3) * CELL_MM2 * 1e-6 * cover
        c[CELL] = jet.reaches_c(target.cell_mm)
    # `room_w_k` cools every open face by still air. The jet replaces the still air on a face that it strikes, so that
    # cooling must not count there: it is taken out of the jet's conductance, and the jet's temperature makes up for it.
    struck = np.zeros(LUMPS)
    struck[[ZONE, BOARD]] = target.shell_mm2 if above else zone_mm2, target.board_mm2 - zone_mm2
    struck[CORE] = target.core_mm2 if above else 0.0
    still = np.minimum(struck * 1e-6 * STILL_W_M2K, 0.9 * w_k)
    rest = np.where(w_k > 0, w_k - still, 1.0)
    return w_k - still, np.where(w_k > 0, (w_k * c - still * setting.room_c) / rest, c), jet.outside


def run(target: Target, setting: Setting, alloy: Alloy, tables: HeatTables, station: AirStation | None = None) -> Run:
    """Simulate a target under a setting.

    Parameters
    ----------
    target : Target
    setting : Setting
    alloy : Alloy
        What the joint is made of now.
    tables : HeatTables
    station : Station, optional
        As fitted; a usual one without.

    Raises
    ------
    ReadingError
        A figure is outside what is possible.

    """
    return _simulate(target, checked(setting), alloy, station or AirStation(), tables)


def _phase(
    network: Network, heat: Array, sources: tuple[Array, Array], seconds: float, stop: float, room_c: float
) -> tuple[Array, Array, Array, float]:
    from chargepath.repair.network import integrate

    w_k, c = sources
    kept, heat, moved, done = integrate(
        heat, network.capacity, network.between, w_k, c, network.room_w_k, network.radiates_mm2, room_c,
        network.latent_j, network.solidus_c, network.liquidus_c, STEP_S, max(round(seconds / STEP_S), 1),
        round(KEPT_S / STEP_S), stop,
    )  # fmt: skip
    return kept, heat, moved, done * STEP_S


def _simulate(target: Target, setting: Setting, alloy: Alloy, station: AirStation, tables: HeatTables) -> Run:
    network = build(target, setting, alloy, station)
    heat = network.capacity * setting.room_c
    rows: list[Array] = []
    times: list[Array] = []
    moved = np.zeros(5)
    began, at = 0.0, 0.0
    soak = setting.soak_s if setting.plate_c > 0 and setting.tool != "plate" else 0.0
    phases = [
        (soak, False, -1.0),
        (setting.most_s, True, setting.past_melt_s),
        (COOLS_S, False, -1.0),
    ]
    heat_s = 0.0
    for seconds, heated, stop in phases:
        if seconds <= 0:
            continue
        sources = network.sources(setting, heated=heated)
        kept, heat, energy, took = _phase(network, heat, sources, seconds, stop, setting.room_c)
        if heated:
            began, heat_s = at, took
        steps = np.minimum(np.arange(len(kept)) * KEPT_S, took)
        rows.append(kept if not rows else kept[1:])
        times.append(at + (steps if len(times) == 0 else steps[1:]))
        moved += energy
        at += took
    table, seconds_at = np.vstack(rows), np.concatenate(times)
    temps, liquid = table[:, :LUMPS], table[:, LUMPS]
    begins, melted = first_over(seconds_at, liquid, 1e-6), first_over(seconds_at, liquid, 1.0 - 1e-9)
    return Run(
        times=seconds_at,
        temps=temps,
        liquid=liquid,
        begins_s=None if begins is None else max(begins - began, 0.0),
        melted_s=None if melted is None else max(melted - began, 0.0),
        soak_s=soak,
        heat_s=heat_s,
        above_s=_above(seconds_at, temps[:, JOINT], network.liquidus_c),
        ramp_k_s=_steepest(seconds_at, temps[:, ZONE]),
        cool_k_s=_steepest(seconds_at, -temps[:, ZONE]),
        margins=_margins(target, setting, temps, tables),
        energy=tuple(float(part) for part in moved),
        outside=network.outside,
    )


def first_over(times: Array, values: Array, level: float) -> float | None:
    """When values first reach a level, straight between two samples."""
    over = np.flatnonzero(values >= level)
    if not over.size:
        return None
    at = int(over[0])
    if at == 0 or values[at] == values[at - 1]:
        return float(times[at])
    share = (level - values[at - 1]) / (values[at] - values[at - 1])
    return float(times[at - 1] + share * (times[at] - times[at - 1]))


def _above(times: Array, values: Array, level: float) -> float:
    return float(np.diff(times)[(values[1:] > level) & (values[:-1] >= level - 1e-9)].sum())


def _steepest(times: Array, values: Array) -> float:
    back = max(round(RAMP_S / KEPT_S), 1)
    if len(values) <= back:
        return 0.0
    spans = times[back:] - times[:-back]
    return max(float(((values[back:] - values[:-back]) / np.where(spans > 0, spans, np.inf)).max()), 0.0)


def _margins(target: Target, setting: Setting, temps: Array, tables: HeatTables) -> tuple[Margin, ...]:
    """The margin to every limit, failed ones first, then the narrowest."""
    rows = [
        ("core", CORE, target.core_c),
        ("board", ZONE, tables.limits["board"].c),
        ("neighbour", NEIGHBOUR, tables.limits["neighbour"].c),
    ]
    if setting.in_frame:
        rows.append(("cell", CELL, tables.limits["cell"].c))
    found = []
    for name, lump, limit_c in rows:
        limit = tables.limits[name]
        found.append(Margin(name, limit.label, float(temps[:, lump].max()), limit_c, limit.says))
    return tuple(sorted(found, key=lambda margin: margin.left_k))
