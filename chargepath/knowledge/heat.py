"""What the heat desk reckons with: what is heated, what it may get, alloys and their diagrams (heat.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields

from chargepath.knowledge.reader import Reader, Table

Points = tuple[tuple[float, ...], ...]


@dataclass(frozen=True)
class Limit:
    """The most that something may get [°C], and what happens beyond."""

    id: str
    label: str
    c: float
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
    board_mm: float
    board_w_mk: float
    board_mm2: float
    zone_mm: float
    shell_mm2: float
    metal_j_k: float
    core_j_k: float
    core_mm2: float
    core_w_k: float
    core_c: float
    joint_mm3: float
    joint_j_k: float
    joint_w_k: float
    anchor_j_k: float
    anchor_w_k: float
    neighbour_mm: float
    neighbour_j_k: float
    neighbour_mm2: float
    cell_mm: float
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
    solidus_c: float
    liquidus_c: float
    j_g: float
    g_cm3: float
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
    j_k: float
    w_k: float
    mm3: float
    basis: str


@dataclass(frozen=True, kw_only=True)
class Solder:
    """What a joint is made of by a step of the work: an alloy, and the share of low-melt that is mixed in, 0 to 1."""

    id: str
    alloy: str
    low_share: float


@dataclass(frozen=True)
class Opening:
    """What lies on the plate to be opened: cover and glue, frame, cell: areas [mm²], heat capacities [J/K], what ties
    them [W/K], and the temperature at which the glue gives way [°C].
    """

    id: str
    label: str
    cover_mm2: float
    cover_j_k: float
    glue_c: float
    frame_j_k: float
    cover_frame_w_k: float
    cell_j_k: float
    cover_cell_w_k: float
    frame_cell_w_k: float
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
_WORDS = ("id", "label", "about", "alloy", "basis", "carrier", "route", "trait")
TARGET_NUMBERS = tuple(row.name for row in fields(Target) if row.name not in _WORDS)
OPENING_NUMBERS = tuple(row.name for row in fields(Opening) if row.name not in _WORDS)


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


def _limit(read: Reader, name: str, raw: Table) -> Limit:
    where = f"heat.toml [limit.{name}]"
    read.only(raw, where, ("label", "c", "says", "basis"))
    says, basis = read.text(raw, "says", where), read.basis(raw, where)
    return Limit(name, read.text(raw, "label", where), read.number(raw, "c", where, high=500), says, basis)


def _target(read: Reader, name: str, raw: Table) -> Target:
    where = f"heat.toml [target.{name}]"
    read.only(raw, where, (*_WORDS[1:], *TARGET_NUMBERS))
    return Target(
        id=name,
        label=read.text(raw, "label", where),
        about=read.text(raw, "about", where),
        alloy=read.text(raw, "alloy", where),
        basis=read.basis(raw, where),
        carrier=read.texts(raw, "carrier", where),
        route=read.texts(raw, "route", where),
        trait=read.text(raw, "trait", where, ""),
        **{key: read.number(raw, key, where, high=1e5) for key in TARGET_NUMBERS},
    )


def _opening(read: Reader, name: str, raw: Table) -> Opening:
    where = f"heat.toml [opening.{name}]"
    read.only(raw, where, ("label", "basis", *OPENING_NUMBERS))
    numbers = {key: read.number(raw, key, where, low=1e-3, high=1e5) for key in OPENING_NUMBERS}
    return Opening(id=name, label=read.text(raw, "label", where), basis=read.basis(raw, where), **numbers)


def _touch(read: Reader, name: str, raw: Table) -> Touch:
    where = f"heat.toml [touch.{name}]"
    read.only(raw, where, ("label", "j_k", "w_k", "mm3", "basis"))
    numbers = {key: read.number(raw, key, where, low=1e-4, high=100) for key in ("j_k", "w_k", "mm3")}
    return Touch(id=name, label=read.text(raw, "label", where), basis=read.basis(raw, where), **numbers)


def _solder(read: Reader, name: str, raw: Table) -> Solder:
    where = f"heat.toml [solder.{name}]"
    read.only(raw, where, ("alloy", "low_share"))
    share = read.number(raw, "low_share", where, high=0.9, default=0.0)
    return Solder(id=name, alloy=read.text(raw, "alloy", where), low_share=share)


def _alloy(read: Reader, name: str, raw: Table) -> Alloy:
    where = f"heat.toml [alloy.{name}]"
    read.only(raw, where, ("label", "of", "solidus_c", "liquidus_c", "j_g", "g_cm3", "basis"))
    solidus, liquidus, j_g, g_cm3 = (
        read.number(raw, key, where, low=low, high=high)
        for key, low, high in (("solidus_c", 40, 400), ("liquidus_c", 40, 400), ("j_g", 1, 500), ("g_cm3", 1, 20))
    )
    if solidus > liquidus:
        read.say(where, "the solidus may not lie over the liquidus")
    of = read.numbers(read.table(raw, "of", where), f"{where}.of")
    return Alloy(
        id=name,
        label=read.text(raw, "label", where),
        of=of,
        solidus_c=solidus,
        liquidus_c=liquidus,
        j_g=j_g,
        g_cm3=g_cm3,
        basis=read.basis(raw, where),
    )


def read_heat(read: Reader) -> HeatTables:
    """Read heat.toml."""
    raw = read.load("heat")
    named = ("limit", "target", "alloy", "binary", "opening", "touch", "solder")
    read.only(raw, "heat.toml", ("basis", "profile", "mix", "strength", *named))
    tables = {key: read.table(raw, key, "heat.toml") for key in named}
    profile, mix = read.table(raw, "profile", "heat.toml"), read.table(raw, "mix", "heat.toml")
    for table, where in ((profile, "heat.toml [profile]"), (mix, "heat.toml [mix]")):
        read.basis(table, where)
    return HeatTables(
        limits={name: _limit(read, name, row) for name, row in tables["limit"].items()},
        targets={name: _target(read, name, row) for name, row in tables["target"].items()},
        alloys={name: _alloy(read, name, row) for name, row in tables["alloy"].items()},
        profile={key: read.number(profile, key, "heat.toml [profile]", low=0.1) for key in PROFILE},
        binary={name: _points(read, row, f"heat.toml [binary.{name}]", 2) for name, row in tables["binary"].items()},
        mix={key: read.number(mix, key, "heat.toml [mix]", low=0.1) for key in MIX},
        strength=_points(read, read.table(raw, "strength", "heat.toml"), "heat.toml [strength]", 4),
        openings={name: _opening(read, name, row) for name, row in tables["opening"].items()},
        touches={name: _touch(read, name, row) for name, row in tables["touch"].items()},
        solders={name: _solder(read, name, row) for name, row in tables["solder"].items()},
    )
