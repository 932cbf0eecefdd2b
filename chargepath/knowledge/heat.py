"""What the heat desk reckons with: what is heated, what it may get, alloys and their diagrams (heat.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated

from chargepath.knowledge.reader import InFile, Made, Reader, Table

Points = tuple[tuple[float, ...], ...]


@dataclass(frozen=True)
class Limit:
    """The most that something may get [°C], and what happens beyond."""

    id: str
    label: str
    c: Annotated[float, InFile(high=500)]
    says: str
    basis: str


@dataclass(frozen=True)
class Target:
    """What is heated: sizes of the board and the part [mm, mm², mm³], heat capacities [J/K], conductances [W/K].

    `board_w_mk` is the board's conductivity along itself [W/(m K)], `zone_mm` the radius of what is heated,
    `neighbour_mm` and `cell_mm` how far those are. `core_c` is what this part's plastic bears [°C]. The target is a
    job's where its carrier, a trait or the route is named.
    """

    id: str
    label: str
    about: str
    board_mm: Annotated[float, InFile(high=1e5)]
    board_w_mk: Annotated[float, InFile(high=1e5)]
    board_mm2: Annotated[float, InFile(high=1e5)]
    zone_mm: Annotated[float, InFile(high=1e5)]
    shell_mm2: Annotated[float, InFile(high=1e5)]
    metal_j_k: Annotated[float, InFile(high=1e5)]
    core_j_k: Annotated[float, InFile(high=1e5)]
    core_mm2: Annotated[float, InFile(high=1e5)]
    core_w_k: Annotated[float, InFile(high=1e5)]
    core_c: Annotated[float, InFile(high=1e5)]
    joint_mm3: Annotated[float, InFile(high=1e5)]
    joint_j_k: Annotated[float, InFile(high=1e5)]
    joint_w_k: Annotated[float, InFile(high=1e5)]
    anchor_j_k: Annotated[float, InFile(high=1e5)]
    anchor_w_k: Annotated[float, InFile(high=1e5)]
    neighbour_mm: Annotated[float, InFile(high=1e5)]
    neighbour_j_k: Annotated[float, InFile(high=1e5)]
    neighbour_mm2: Annotated[float, InFile(high=1e5)]
    cell_mm: Annotated[float, InFile(high=1e5)]
    alloy: str
    basis: str
    carrier: tuple[str, ...] = ()
    route: tuple[str, ...] = ()
    trait: str = ""


@dataclass(frozen=True)
class Alloy:
    """A solder: what it holds besides tin [% by weight], where it melts [°C], latent heat [J/g], density [g/cm³]."""

    id: str
    label: str
    of: Mapping[str, float]
    solidus_c: Annotated[float, InFile(low=40, high=400)]
    liquidus_c: Annotated[float, InFile(low=40, high=400)]
    j_g: Annotated[float, InFile(low=1, high=500)]
    g_cm3: Annotated[float, InFile(low=1, high=20)]
    basis: str


@dataclass(frozen=True, kw_only=True)
class Touch:
    """A joint that the tip of an iron melts and that is not an anchor of the part, as a single pin.

    Attributes
    ----------
    id, label, basis : str
    j_k : float
        Heat capacity of the joint and of what is warmed with it [J/K].
    w_k : float
        What ties it to the board around it [W/K].
    mm3 : float
        Solder that has to melt [mm³].

    """

    id: str
    label: str
    j_k: Annotated[float, InFile(low=1e-4, high=100)]
    w_k: Annotated[float, InFile(low=1e-4, high=100)]
    mm3: Annotated[float, InFile(low=1e-4, high=100)]
    basis: str


@dataclass(frozen=True, kw_only=True)
class Solder:
    """What a joint is made of by a step of the work: an alloy, and the share of low-melt that is mixed in, 0 to 1."""

    id: str
    alloy: str
    low_share: Annotated[float, InFile(high=0.9, absent=0.0)]


@dataclass(frozen=True)
class Opening:
    """What lies on the plate to be opened: cover and glue, frame, cell: areas [mm²], heat capacities [J/K], what ties
    them [W/K], and the temperature at which the glue gives way [°C].
    """

    id: str
    label: str
    cover_mm2: Annotated[float, InFile(low=1e-3, high=1e5)]
    cover_j_k: Annotated[float, InFile(low=1e-3, high=1e5)]
    glue_c: Annotated[float, InFile(low=1e-3, high=1e5)]
    frame_j_k: Annotated[float, InFile(low=1e-3, high=1e5)]
    cover_frame_w_k: Annotated[float, InFile(low=1e-3, high=1e5)]
    cell_j_k: Annotated[float, InFile(low=1e-3, high=1e5)]
    cover_cell_w_k: Annotated[float, InFile(low=1e-3, high=1e5)]
    frame_cell_w_k: Annotated[float, InFile(low=1e-3, high=1e5)]
    basis: str


@dataclass(frozen=True)
class HeatTables:
    """Everything of heat.toml.

    `profile` and `mix` are single figures by name; `binary` is the liquidus of tin with one other metal [% by weight,
    °C]; `strength` rows are bismuth [%], shear near room temperature and at 85 °C [MPa], share of drops survived.
    """

    limits: Mapping[str, Limit]
    targets: Mapping[str, Target]
    alloys: Mapping[str, Alloy]
    profile: Mapping[str, float]
    binary: Mapping[str, Points]
    mix: Mapping[str, float]
    strength: Points
    openings: Mapping[str, Opening]
    touches: Mapping[str, Touch]
    solders: Mapping[str, Solder]


LIMIT_IDS = ("core", "board", "neighbour", "cell")
PROFILE, MIX = ("ramp_k_s", "cool_k_s", "above_liquidus_s", "hand_ramp_k_s", "hand_cool_k_s"), (
    "tin_holds_bi", "tin_bi_c", "tin_holds_pb", "tin_pb_c", "tin_lead_bi_c",
)  # fmt: skip


def _points(read: Reader, table: Table, where: str, width: int) -> Points:
    """Rows of numbers, the first of each growing."""
    found = table.get("points")
    if isinstance(found, list) and len(found) > 1 and all(isinstance(row, list) and len(row) == width for row in found):
        rows = [[value for value in row if isinstance(value, int | float)] for row in found]
        firsts = [row[0] for row in rows if len(row) == width]
        if len(firsts) == len(rows) and firsts == sorted(set(firsts)):
            return tuple(tuple(map(float, row)) for row in rows)
    read.say(f"{where}.points", f"must be rows of {width} numbers, the first of each growing")
    return ((0.0,) * width, (100.0,) * width)


def _alloy(read: Reader, name: str, raw: Table) -> Alloy:
    where = f"heat.toml [alloy.{name}]"
    found = read.row(Alloy, raw, where, id=name)
    if found.solidus_c > found.liquidus_c:
        read.say(where, "the solidus may not lie over the liquidus")
    return found


def read_heat(read: Reader) -> HeatTables:
    """Read heat.toml."""
    raw = read.load("heat")
    named = ("limit", "target", "alloy", "binary", "opening", "touch", "solder")
    read.only(raw, "heat.toml", ("basis", "profile", "mix", "strength", *named))
    tables = {key: read.table(raw, key, "heat.toml") for key in named}
    profile, mix = read.table(raw, "profile", "heat.toml"), read.table(raw, "mix", "heat.toml")
    for table, where in ((profile, "heat.toml [profile]"), (mix, "heat.toml [mix]")):
        read.basis(table, where)

    def rows(kind: type[Made], key: str) -> dict[str, Made]:
        return {name: read.row(kind, row, f"heat.toml [{key}.{name}]", id=name) for name, row in tables[key].items()}

    return HeatTables(
        limits=rows(Limit, "limit"),
        targets=rows(Target, "target"),
        alloys={name: _alloy(read, name, row) for name, row in tables["alloy"].items()},
        profile={key: read.number(profile, key, "heat.toml [profile]", low=0.1) for key in PROFILE},
        binary={name: _points(read, row, f"heat.toml [binary.{name}]", 2) for name, row in tables["binary"].items()},
        mix={key: read.number(mix, key, "heat.toml [mix]", low=0.1) for key in MIX},
        strength=_points(read, read.table(raw, "strength", "heat.toml"), "heat.toml [strength]", 4),
        openings=rows(Opening, "opening"),
        touches=rows(Touch, "touch"),
        solders=rows(Solder, "solder"),
    )
