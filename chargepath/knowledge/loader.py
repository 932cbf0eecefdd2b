"""Read the knowledge files and check them as a whole.

Every problem is collected, not only the first, and names file, table and key.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from functools import cache
from pathlib import Path

from chargepath.base.errors import KnowledgeError
from chargepath.knowledge import (
    checks,
    connectors,
    faults,
    hazards,
    heat,
    intake,
    mishaps,
    path,
    procedures,
    proofs,
    routes,
    schools,
    sources,
    stations,
    traits,
)
from chargepath.knowledge.bench import read_bench
from chargepath.knowledge.boards import read_boards
from chargepath.knowledge.book import Knowledge
from chargepath.knowledge.cells import read_cells
from chargepath.knowledge.changes import MONEY, Change, money_in
from chargepath.knowledge.costs import read_costs, read_model
from chargepath.knowledge.crosschecks import cross_check
from chargepath.knowledge.layers import read_layers
from chargepath.knowledge.reader import Reader, Table
from chargepath.knowledge.upkeep import read_upkeep
from chargepath.knowledge.wording import (
    read_aftercare,
    read_cautions,
    read_customer,
    read_emergencies,
    read_history,
    read_reasons,
    read_since_wet,
    read_symptoms,
    read_tells,
)

DATA = Path(__file__).parent / "data"
FILES = (
    "scale",
    "stations",
    "costs",
    "history",
    "cautions",
    "emergencies",
    "connectors",
    "checks",
    "faults",
    "routes",
    "hazards",
    "mishaps",
    "intake",
    "proof",
    "slips",
    "sources",
    "traces",
    "points",
    "places",
    "locate",
    "ladder",
    "bench",
    "reasons",
    "tells",
    "aftercare",
    "customer",
    "schools",
    "traits",
    "plan",
    "procedures",
    "heat",
    "cells",
    "upkeep",
    "layers",
    "boards",
)


@cache
def as_written(stem: str) -> Table:
    """A file of the knowledge that ships as it is written, for pages that list every number in it.

    Nothing is checked here; `shipped` has refused a file that is wrong.
    """
    return Reader(DATA).load(stem)


def priced(level: float) -> list[Change]:
    """The example prices that ship as amounts of a shop whose money buys less, or more.

    Parameters
    ----------
    level : float
        What costs 1 in the examples costs this much there; above 0.

    """
    return [Change(path, amount * level) for stem in MONEY for path, amount in money_in(stem, as_written(stem))]


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
    _read_words(read, scale)
    line, access = stations.read_stations(read)
    rungs, hops = path.read_ladder(read)
    supply, levels = read_bench(read)
    grading, routines = sources.read_traces(read)
    proof, proof_items = proofs.read_proof(read)
    known = Knowledge(
        stations=line,
        access=access,
        connectors=connectors.read_connectors(read),
        cautions=read_cautions(read),
        emergencies=read_emergencies(read),
        history=read_history(read),
        symptoms=read_symptoms(read),
        since_wet=read_since_wet(read),
        checks=checks.read_checks(read),
        faults=faults.read_faults(read),
        routes=routes.read_routes(read),
        hazards=hazards.read_hazards(read),
        mishaps=mishaps.read_mishaps(read),
        intake=intake.read_intake(read),
        costs=read_costs(read),
        model=read_model(read, scale),
        proof=proof,
        proof_items=proof_items,
        slips=proofs.read_slips(read),
        sources=sources.read_sources(read),
        grading=grading,
        routines=routines,
        words=read.words,
        points=connectors.read_points(read),
        places=path.read_places(read),
        suspicions=path.read_suspicions(read),
        rungs=rungs,
        hops=hops,
        reasons=read_reasons(read),
        tells=read_tells(read),
        aftercare=read_aftercare(read),
        customer=read_customer(read),
        schools=schools.read_schools(read),
        supply=supply,
        levels=levels,
        traits=traits.read_traits(read),
        procedures=procedures.read_procedures(read),
        heat=heat.read_heat(read),
        cells=read_cells(read),
        upkeep=read_upkeep(read),
        layers=read_layers(read),
        boards=read_boards(read),
    )
    cross_check(read, known)
    if read.problems:
        raise KnowledgeError(read.problems)
    return known


def _read_words(read: Reader, scale: Table) -> None:
    """The wording scale first: every file after it may use its words."""
    for word, chance in read.table(scale, "words", "scale.toml").items():
        read.words[word] = read.number({word: chance}, word, "scale.toml [words]", high=1)


@cache
def fingerprint() -> str:
    """Names the numbers that ship: other files, another text of 64 characters."""
    found = hashlib.sha256()
    for file in sorted(DATA.glob("*.toml")):
        found.update(file.name.encode() + file.read_bytes())
    return found.hexdigest()


@cache
def shipped() -> Knowledge:
    """Return the knowledge that ships with the program, read once a process."""
    return load()
