"""Read the knowledge files and check them as a whole.

Every problem is collected, not only the first, and names file, table and key.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cache
from pathlib import Path

from chargepath.connectors import GROUPS
from chargepath.errors import KnowledgeError
from chargepath.knowledge.changes import Change
from chargepath.knowledge.definitions import (
    Access,
    Caution,
    Check,
    Costs,
    Fault,
    Knowledge,
    ModelNumbers,
    ProofLimits,
    Route,
    Routine,
    RoutineStep,
    School,
    Source,
    Station,
    Step,
    Value,
)
from chargepath.knowledge.paths import read_connectors, read_ladder, read_places, read_points, read_suspicions
from chargepath.knowledge.reader import Reader, Table

DATA = Path(__file__).parent / "data"
# What a number that stands alone may be, where 0 or a million would make no sense.
LIMITS = {
    "slip": (1e-6, 0.2), "sharpness": (0.5, 3.0), "nothing_wrong": (0.001, 0.9), "pairs": (0.001, 0.9), "triples": (0.0, 0.5),
    "history_low": (0.01, 1.0), "history_high": (1.0, 1000.0), "explained_below": (0.0, 0.5), "works_when_clean": (0.5, 1.0),
    "comeback_share": (0.0, 1.0), "comeback_rate": (0.001, 0.9), "harm_share": (0.0, 1.0), "at_hand_share": (0.0, 1.0),
    "plausible_share": (0.0, 1.0),
}  # fmt: skip
FILES = (
    "scale", "stations", "costs", "history", "cautions", "connectors", "checks", "faults", "routes", "proof", "sources",
    "traces", "points", "places", "locate", "ladder", "bench", "tells", "schools",
)  # fmt: skip


def _stations(read: Reader) -> tuple[dict[str, Station], dict[str, Access]]:
    raw = read.load("stations")
    stations = {}
    for position, table in enumerate(raw.get("station", [])):
        where = f"stations.toml [[station]] {position + 1}"
        read.only(table, where, ("id", "label", "about"))
        name = read.text(table, "id", where)
        stations[name] = Station(name, read.text(table, "label", where), read.text(table, "about", where), position)
    levels = {}
    for level, table in enumerate(raw.get("access", [])):
        where = f"stations.toml [[access]] {level + 1}"
        read.only(table, where, ("id", "label", "about", "open_minutes", "cautions", "basis"))
        name = read.text(table, "id", where)
        levels[name] = Access(
            name,
            read.text(table, "label", where),
            read.text(table, "about", where),
            read.number(table, "open_minutes", where),
            read.texts(table, "cautions", where),
            level,
            read.basis(table, where),
        )
    return stations, levels


def _values(read: Reader, table: Table, where: str) -> dict[str, Value]:
    values = {}
    for name, raw in read.table(table, "values", where).items():
        at = f"{where}.values.{name}"
        read.only(raw, at, ("unit", "min", "max", "required", "overrange", "worked_out"))
        values[name] = Value(
            name,
            read.text(raw, "unit", at),
            read.number(raw, "min", at),
            read.number(raw, "max", at),
            read.flag(raw, "required", at),
            read.flag(raw, "overrange", at),
            read.flag(raw, "worked_out", at),
        )
    return values


CHECK_KEYS = (
    "word", "station", "station_on", "marks", "access", "label", "place", "minutes", "wait_minutes", "grades", "signs",
    "labels", "leak", "leak_history",
    "variant_field", "variants", "own_effects", "open_grade", "cut_by", "connectors", "needs_wireless", "void_when",
    "needs_before", "cautions", "values", "reading", "basis",
)  # fmt: skip


def _check(read: Reader, name: str, table: Table) -> Check:
    where = f"checks.toml [{name}]"
    read.only(table, where, CHECK_KEYS)
    grades, signs = read.texts(table, "grades", where), read.texts(table, "signs", where)
    if bool(grades) == bool(signs):
        read.say(where, "needs either grades or signs")
    leak = read.chances(read.table(table, "leak", where), f"{where}.leak")
    if set(leak) != set(grades + signs):
        read.say(f"{where}.leak", f"must name each of {', '.join(grades + signs)}")
    histories = read.table(table, "leak_history", where)
    overrides = {flag: read.chances(raw, f"{where}.leak_history.{flag}") for flag, raw in histories.items()}
    for flag, chances in {"": leak, **overrides}.items():
        read.known(chances, grades + signs, f"{where}.leak {flag}")
        if grades and abs(sum(chances.values()) - 1) > 1e-9:
            read.say(f"{where}.leak {flag}", f"must add up to 1, not {sum(chances.values()):g}")
    return Check(
        id=name,
        word=read.text(table, "word", where),
        station=read.text(table, "station", where),
        station_on={key: str(name) for key, name in read.table(table, "station_on", where).items()},
        marks={key: str(mark) for key, mark in read.table(table, "marks", where).items()},
        access=read.text(table, "access", where),
        label=read.text(table, "label", where),
        place=read.text(table, "place", where),
        minutes=read.number(table, "minutes", where, high=600),
        wait_minutes=read.number(table, "wait_minutes", where, high=6000, default=0),
        grades=grades,
        signs=signs,
        labels={key: str(text) for key, text in read.table(table, "labels", where).items()},
        leak=leak,
        leak_history=overrides,
        variant_field=read.text(table, "variant_field", where, ""),
        variants=read.texts(table, "variants", where),
        own_effects=read.texts(table, "own_effects", where),
        open_grade=read.text(table, "open_grade", where, ""),
        cut_by=read.texts(table, "cut_by", where),
        connectors=read.texts(table, "connectors", where),
        needs_wireless=read.flag(table, "needs_wireless", where),
        void_when=read.pairs(table, "void_when", where),
        needs_before=read.pairs(table, "needs_before", where),
        cautions=read.texts(table, "cautions", where),
        values=_values(read, table, where),
        reading=read.numbers(read.table(table, "reading", where), f"{where}.reading"),
        basis=read.basis(table, where),
    )


FACTORS = ("history", "carrier", "connector", "kind", "wireless")


def _fault(read: Reader, name: str, table: Table) -> Fault:
    where = f"faults.toml [{name}]"
    read.only(table, where, ("station", "label", "about", "weight", "passes", "grades", "signs", "basis", *FACTORS))
    grades = read.table(table, "grades", where)
    signs = read.table(table, "signs", where)
    return Fault(
        id=name,
        station=read.text(table, "station", where),
        label=read.text(table, "label", where),
        about=read.text(table, "about", where),
        weight=read.number(table, "weight", where, low=1e-6, high=1),
        factors={kind: read.numbers(read.table(table, kind, where), f"{where}.{kind}") for kind in FACTORS},
        passes=read.number(table, "passes", where, high=0.99),
        grades={key: read.chances(raw, f"{where}.grades.{key}") for key, raw in grades.items()},
        signs={key: read.chances(raw, f"{where}.signs.{key}") for key, raw in signs.items()},
        basis=read.basis(table, where),
    )


ROUTE_KEYS = (
    "label", "access", "access_on", "minutes", "part", "carriers", "cures", "plan_cures", "try_minutes", "try_cures",
    "step", "basis", "harm", "harm_what", "days", "requires", "tells",
)  # fmt: skip


def _route(read: Reader, name: str, table: Table) -> Route:
    where = f"routes.toml [{name}]"
    read.only(table, where, ROUTE_KEYS)
    plans = read.table(table, "plan_cures", where)
    tried = "try_minutes" in table
    return Route(
        id=name,
        label=read.text(table, "label", where),
        access=read.text(table, "access", where),
        access_on={key: str(level) for key, level in read.table(table, "access_on", where).items()},
        minutes=read.number(table, "minutes", where, high=600),
        part=read.number(table, "part", where),
        carriers=read.texts(table, "carriers", where),
        cures=read.chances(read.table(table, "cures", where), f"{where}.cures"),
        plan_cures={key: read.chances(raw, f"{where}.plan_cures.{key}") for key, raw in plans.items()},
        try_minutes=read.number(table, "try_minutes", where, high=600) if tried else None,
        try_cures=read.chances(read.table(table, "try_cures", where), f"{where}.try_cures"),
        steps=tuple(
            Step(read.text(step, "text", f"{where}.step"), read.text(step, "caution", f"{where}.step", ""))
            for step in table.get("step", [])
        ),
        basis=read.basis(table, where),
        harm=read.number(table, "harm", where, high=0.9, default=0.0),
        harm_what=read.text(table, "harm_what", where, ""),
        days=read.number(table, "days", where, high=90, default=0.0),
        requires=read.texts(table, "requires", where),
        tells=read.texts(table, "tells", where),
    )


SCHOOL_KEYS = ("label", "about", "first_routes", "first_checks", "forbid", "unless", "carriers", "basis")


def _school(read: Reader, name: str, table: Table) -> School:
    where = f"schools.toml [{name}]"
    read.only(table, where, SCHOOL_KEYS)
    return School(
        name,
        read.text(table, "label", where),
        read.text(table, "about", where),
        read.texts(table, "first_routes", where),
        read.texts(table, "first_checks", where),
        read.texts(table, "forbid", where),
        read.pairs(table, "unless", where),
        read.texts(table, "carriers", where),
        read.basis(table, where),
    )


def _source(read: Reader, name: str, table: Table) -> Source:
    where = f"sources.toml [{name}]"
    read.only(table, where, ("label", "amps", "volts", "low_volts", "high_volts", "basis"))
    keys = ("amps", "volts", "low_volts", "high_volts")
    amps, volts, low, high = (read.number(table, key, where, low=0.01, high=60) for key in keys)
    return Source(name, read.text(table, "label", where), amps, volts, low, high, read.basis(table, where))


def _routine(read: Reader, name: str, table: Table) -> Routine:
    where = f"traces.toml [{name}]"
    read.only(table, where, ("label", "check", "steps", "basis"))
    steps = []
    for raw in table.get("steps", []):
        if isinstance(raw, list) and len(raw) == 3 and isinstance(raw[1], int | float) and raw[1] > 0:
            steps.append(RoutineStep(str(raw[0]), float(raw[1]), str(raw[2])))
        else:
            read.say(f"{where}.steps", "each step is [mark, seconds, text]")
    return Routine(
        name, read.text(table, "label", where), read.text(table, "check", where), tuple(steps), read.basis(table, where)
    )


def _cross_check(read: Reader, known: Knowledge) -> None:
    """Ids named in one file must exist in the other, and likelihoods must leave room."""
    keys = {key: check for check in known.checks.values() for key in check.keys}
    words = [check.word for check in known.checks.values()]
    for check in known.checks.values():
        where = f"checks.toml [{check.id}]"
        if words.count(check.word) > 1 or check.word in ("try", "did"):
            read.say(f"{where}.word", f"'{check.word}' stands for something else already")
        read.known([check.access], known.access, f"{where}.access")
        read.known([check.station, *check.station_on.values()], known.stations, f"{where}.station")
        read.known(check.station_on, check.variants, f"{where}.station_on")
        read.known(check.marks, check.grades, f"{where}.marks")
        read.known(check.marks.values(), ("off", "open", "short"), f"{where}.marks")
        read.known(check.cut_by, known.faults, f"{where}.cut_by")
        read.known(check.cautions, known.cautions, f"{where}.cautions")
        read.known(check.connectors, known.connectors, f"{where}.connectors")
        read.known(check.leak_history, known.history, f"{where}.leak_history")
        for other, grade in check.void_when + check.needs_before:
            read.known([other], known.checks, where)
            if other in known.checks:
                read.known([grade], known.checks[other].grades, f"{where} {other}")
    for fault in known.faults.values():
        where = f"faults.toml [{fault.id}]"
        read.known([fault.station], known.stations, f"{where}.station")
        read.known(fault.factors["history"], known.history, f"{where}.history")
        read.known(fault.factors["carrier"], known.carriers, f"{where}.carrier")
        read.known(fault.factors["connector"], known.connectors, f"{where}.connector")
        read.known(fault.factors["kind"], known.kinds, f"{where}.kind")
        for kind, effects in (("grades", fault.grades), ("signs", fault.signs)):
            for key, chances in effects.items():
                at = f"{where}.{kind}.{key}"
                read.known([key], keys, at)
                if key in keys:
                    read.known(chances, getattr(keys[key], kind), at)
                if kind == "grades" and sum(chances.values()) > 1 + 1e-9:
                    read.say(at, f"the chances add up to {sum(chances.values()):g}; they may not pass 1")
        if not any(fault.id in route.cures for route in known.routes.values()):
            read.say(where, "no route in routes.toml cures it")
    for route in known.routes.values():
        where = f"routes.toml [{route.id}]"
        read.known([route.access, *route.access_on.values()], known.access, f"{where}.access")
        read.known([*route.cures, *route.try_cures], known.faults, f"{where}.cures")
        read.known([*route.access_on, *route.plan_cures, *route.carriers], known.carriers, where)
        read.known([step.caution for step in route.steps if step.caution], known.cautions, f"{where}.step")
        read.known(route.requires, known.checks, f"{where}.requires")
        read.known(route.tells, known.tells, f"{where}.tells")
        if route.harm and not route.harm_what:
            read.say(f"{where}.harm_what", "a chance of harm needs what the harm would be")
    for school in known.schools.values():
        where = f"schools.toml [{school.id}]"
        read.known([*school.first_routes, *school.forbid], known.routes, where)
        read.known([*school.first_checks, *(check for check, _ in school.unless)], known.checks, where)
        read.known(school.carriers, known.carriers, f"{where}.carriers")
    for routine in known.routines.values():
        read.known([routine.check], known.checks, f"traces.toml [{routine.id}].check")
    _cross_check_paths(read, known)
    for level in known.access.values():
        read.known(level.cautions, known.cautions, f"stations.toml [[access]] {level.id}")


def _cross_check_paths(read: Reader, known: Knowledge) -> None:
    """Stations, checks and nets that pin maps, places, suspicions and the ladder name."""
    for found in [*(connector.map for connector in known.connectors.values()), *known.points.values()]:
        for net in found.nets.values():
            if net.check:
                where = f"{found.id} net {net.id}"
                read.known([net.check], known.checks, where)
                if net.at and net.check in known.checks:
                    read.known([net.at], known.checks[net.check].variants, where)
    for place in known.places.values():
        read.known([place.station], known.stations, f"places.toml {place.id}")
    for suspicion in known.suspicions.values():
        where = f"locate.toml [{suspicion.id}]"
        read.known([suspicion.station] if suspicion.station else [], known.stations, where)
        read.known(suspicion.groups, GROUPS, f"{where}.groups")
        read.known([suspicion.per], ("net", "pin"), f"{where}.per")
    for hop in known.hops:
        read.known([hop.station], known.stations, f"ladder.toml {hop.start}")


SUPPLY = ("dead_below_a", "stuck_below_a", "over_from_a", "find_by_hand_w", "find_by_picture_w", "aim_w", "lead_ohms",
          "good_factor")  # fmt: skip
LEVELS = ("rail_volts", "low_share", "high_share", "rest_share", "over_share", "ntc_ohms", "ntc_beta")


def _needed(read: Reader, raw: Table, name: str, keys: tuple[str, ...]) -> dict[str, float]:
    """A table of numbers that must all be there."""
    table, where = read.table(raw, name, "bench.toml"), f"bench.toml [{name}]"
    read.only(table, where, (*keys, "basis"))
    read.basis(table, where)
    return {key: read.number(table, key, where, high=1e6) for key in keys}


def load(folder: Path = DATA, changes: Iterable[Change] = ()) -> Knowledge:
    """Read and validate a folder of knowledge files.

    Parameters
    ----------
    folder : Path
        Folder that holds the TOML files named in `FILES`.
    changes : iterable of Change
        A shop's own numbers in place of those that ship; validated like them.

    Raises
    ------
    KnowledgeError
        With every problem found, each naming file, table and key.

    """
    read = Reader(folder, changes)
    scale = read.load("scale")
    for word, chance in read.table(scale, "words", "scale.toml").items():
        read.words[word] = read.number({word: chance}, word, "scale.toml [words]", high=1)
    stations, access = _stations(read)

    def scalars(raw: Table, kind: type, where: str, skip: tuple[str, ...] = ()) -> dict[str, float]:
        names = [name for name in kind.__dataclass_fields__ if name not in ("basis", *skip)]  # type: ignore[attr-defined]
        read.only(raw, where, (*names, "basis", *skip))
        return {name: read.number(raw, name, where, *LIMITS.get(name, (0.0, 1e6))) for name in names}

    costs, model, proof = read.load("costs"), read.table(scale, "model", "scale.toml"), read.load("proof")
    values = read.numbers(read.table(costs, "default_value", "costs.toml"), "costs.toml [default_value]")
    history: Mapping[str, Table] = read.load("history")
    traces = read.load("traces")
    grading = read.table(traces, "grading", "traces.toml")
    read.basis(grading, "traces.toml [grading]")
    cautions: Mapping[str, Table] = read.load("cautions")
    rungs, hops = read_ladder(read)
    bench = read.load("bench")
    known = Knowledge(
        stations=stations,
        access=access,
        connectors=read_connectors(read),
        cautions={
            name: Caution(
                name,
                read.text(raw, "label", f"cautions.toml [{name}]"),
                read.text(raw, "text", f"cautions.toml [{name}]"),
            )
            for name, raw in cautions.items()
        },
        history={name: read.text(raw, "label", f"history.toml [{name}]") for name, raw in history.items()},
        checks={name: _check(read, name, raw) for name, raw in read.load("checks").items()},
        faults={name: _fault(read, name, raw) for name, raw in read.load("faults").items()},
        routes={name: _route(read, name, raw) for name, raw in read.load("routes").items()},
        costs=Costs(
            **scalars(costs, Costs, "costs.toml", ("default_value",)),
            default_value=values,
            basis=read.basis(costs, "costs.toml"),
        ),
        model=ModelNumbers(
            **scalars(model, ModelNumbers, "scale.toml [model]"), basis=read.basis(model, "scale.toml [model]")
        ),
        proof=ProofLimits(**scalars(proof, ProofLimits, "proof.toml"), basis=read.basis(proof, "proof.toml")),
        sources={name: _source(read, name, raw) for name, raw in read.load("sources").items()},
        grading=read.numbers(grading, "traces.toml [grading]"),
        routines={name: _routine(read, name, raw) for name, raw in traces.items() if name != "grading"},
        words=read.words,
        points=read_points(read),
        places=read_places(read),
        suspicions=read_suspicions(read),
        rungs=rungs,
        hops=hops,
        tells={name: read.text(raw, "text", f"tells.toml [{name}]") for name, raw in read.load("tells").items()},
        schools={name: _school(read, name, raw) for name, raw in read.load("schools").items()},
        supply=_needed(read, bench, "supply", SUPPLY),
        levels=_needed(read, bench, "levels", LEVELS),
    )
    _cross_check(read, known)
    if read.problems:
        raise KnowledgeError(read.problems)
    return known


@cache
def shipped() -> Knowledge:
    """Return the knowledge that ships with the program, read once a process."""
    return load()
