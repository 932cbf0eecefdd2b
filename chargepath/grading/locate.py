"""Where on the path the fault sits, from readings at several places of it.

Each suspicion (`locate.toml`) says what its nets show at every place; the rest reads as on a good board. Readings
come in as likelihoods of each grade, so that a reading just outside its band says little. Where no station is clearly
ahead the answer is "not enough to tell", with the place that would tell the leading ones apart.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from chargepath.knowledge.book import Knowledge
from chargepath.knowledge.path import LINE_GRADES, Suspicion

# A reading that says nothing about its line: slipped probe, wrong pin; an odd one is taken twice (common practice).
SLIP = 0.001
# A station is named when it holds this much of the belief.
TELLS_FROM = 0.8
CLEAN = ""


@dataclass(frozen=True)
class Observation:
    """One reading of one line or rung, as evidence.

    Attributes
    ----------
    net : str
        Net id; everything on the charger's line is 'power'.
    key : str
        Place id, 'inside.NET' or 'volts.RUNG'.
    pin : str
        The contact, '' where there is none.
    group : str
        The net's group.
    weights : mapping of grade to float
        Likelihood of the reading under each grade, in any scale.

    """

    net: str
    key: str
    pin: str
    group: str
    weights: Mapping[str, float]


@dataclass(frozen=True)
class Location:
    """Where on the path the readings put the fault.

    Attributes
    ----------
    station : str
        Station id; '' where nothing is wrong or it cannot be told.
    told : bool
        False where it is not enough to tell.
    chances : list of (label, station, chance)
        Suspicions, likeliest first.
    stations : mapping of station id to chance
        '' stands for nothing wrong.
    ask : str
        Key of the place that would tell the leading ones apart best, '' where none would.

    """

    station: str
    told: bool
    chances: list[tuple[str, str, float]]
    stations: Mapping[str, float]
    ask: str


def ladder_weights(known: Knowledge, volts: Mapping[str, float]) -> list[Observation]:
    """Volts of the charger's line as evidence: present, sagging or absent at each rung.

    The limits are those of the checks on input volts; between them the evidence is soft, as a meter's reading is.
    """
    source = volts.get("source", 5.0)
    limits = known.checks["input_volts_board"].reading
    out = []
    for rung in ("plug", "carrier", "link", "guard", "charge_ic"):
        if rung not in volts or source < 3:
            continue
        share = volts[rung] / source
        present = 1 / (1 + math.exp(-(share - limits["present_share"]) / 0.015))
        absent = 1 / (1 + math.exp((share - limits["absent_share"]) / 0.03))
        weights = {"in_band": present, "low": max(1 - present - absent, 0.001), "open": absent, "short": 0.0}
        out.append(Observation("power", f"volts.{rung}", "", "power", weights))
    return out


def _grades(shows: Mapping[str, Mapping[str, float]], key: str) -> dict[str, float]:
    """Chance of each grade at a place, the slip included."""
    told = shows.get(key, {})
    healthy = 1.0 - sum(told.values())
    return {
        grade: (1 - SLIP) * (told.get(grade, 0.0) + (healthy if grade == "in_band" else 0.0)) + SLIP / len(LINE_GRADES)
        for grade in LINE_GRADES
    }


def _likelihood(observations: Sequence[Observation], shows: Mapping[str, Mapping[str, float]]) -> float:
    """Logarithm of the chance of the readings of one unit."""
    total = 0.0
    for seen in observations:
        chances = _grades(shows, seen.key)
        total += math.log(sum(chances[grade] * seen.weights.get(grade, 0.0) for grade in LINE_GRADES) + 1e-12)
    return total


def _touches(suspicion: Suspicion, seen: Observation) -> bool:
    return seen.group in suspicion.groups or seen.net in suspicion.nets


def _score(suspicion: Suspicion, observations: Sequence[Observation]) -> float:
    """Logarithm of the chance of all readings under one suspicion."""
    units: dict[str, list[Observation]] = {}
    for seen in observations:
        unit = f"{seen.net}/{seen.pin}" if suspicion.per == "pin" and seen.key in suspicion.shows else seen.net
        units.setdefault(unit, []).append(seen)
    healthy, gains = 0.0, []
    for rows in units.values():
        fine = _likelihood(rows, {})
        healthy += fine
        if _touches(suspicion, rows[0]) and any(seen.key in suspicion.shows for seen in rows):
            gains.append(_likelihood(rows, suspicion.shows) - fine)
    if not gains:
        return healthy
    if suspicion.touch == (0.0,):
        return healthy + (logsumexp(gains)) - math.log(len(gains))
    return (
        healthy + (logsumexp([_some(gains, touched) for touched in suspicion.touch])) - math.log(len(suspicion.touch))
    )


def _some(gains: Sequence[float], touched: float) -> float:
    """Logarithm of the mean gain where each unit is touched with this chance, and at least one is.

    Examples
    --------
    Two units, each touched half of the time, with gains of 1 (no evidence): nothing gained.

    >>> abs(_some([0.0, 0.0], 0.5)) < 1e-12
    True
    >>> round(math.exp(_some([math.log(3.0), 0.0], 0.5)), 4)  # (3 · 0.25 + 1 · 0.25 + 3 · 0.25) / 0.75
    2.3333

    """
    if touched >= 1:
        return sum(gains)
    stay, go = math.log(1 - touched), math.log(touched)
    whole = sum(float(np.logaddexp(stay, go + gain)) for gain in gains)
    none = stay * len(gains)
    return whole + math.log(max(-math.expm1(none - whole), 1e-12)) - math.log(-math.expm1(none))


def logsumexp(values: Sequence[float]) -> float:
    """Logarithm of a sum of exponentials."""
    return float(np.logaddexp.reduce(values))


def scores_of(known: Knowledge, observations: Sequence[Observation]) -> dict[str, float]:
    """Logarithm of how much likelier the readings are under each suspicion than with nothing wrong on these lines."""
    healthy = next(row for row in known.suspicions.values() if not row.station)
    fine = _score(healthy, observations)
    return {row.id: round(_score(row, observations) - fine, 3) for row in known.suspicions.values() if row.station}


def locate(known: Knowledge, observations: Sequence[Observation]) -> Location:
    """Weigh every suspicion against the readings.

    Parameters
    ----------
    known : Knowledge
    observations : sequence of Observation
        In any order, from as many places as were probed.

    """
    rows = list(known.suspicions.values())
    scores = [math.log(row.weight) + _score(row, observations) for row in rows]
    top = max(scores)
    mass = [math.exp(score - top) for score in scores]
    chances = [value / sum(mass) for value in mass]
    stations: dict[str, float] = {}
    for row, chance in zip(rows, chances, strict=True):
        stations[row.station] = stations.get(row.station, 0.0) + chance
    best = max(stations, key=lambda name: stations[name])
    told = stations[best] >= TELLS_FROM
    order = sorted(zip(rows, chances, strict=True), key=lambda pair: -pair[1])
    ask = "" if told else _ask([pair for pair in order if pair[1] > 0.02], observations)
    listed = [(row.label, row.station, chance) for row, chance in order]
    return Location(best if told else CLEAN, told, listed, stations, ask)


def _ask(leading: Sequence[tuple[Suspicion, float]], observations: Sequence[Observation]) -> str:
    """The place not probed yet whose grades differ most between the leading suspicions."""
    probed = {seen.key for seen in observations}
    keys = {key for row, _ in leading for key in row.shows} - probed
    best, spread = "", 0.05
    for key in sorted(keys):
        mean = {grade: sum(chance * _grades(row.shows, key)[grade] for row, chance in leading) for grade in LINE_GRADES}
        whole = sum(mean.values())
        gain = 0.0
        for row, chance in leading:
            grades = _grades(row.shows, key)
            gain += chance * sum(p * math.log(p * whole / mean[grade]) for grade, p in grades.items() if p > 0)
        if gain > spread:
            best, spread = key, gain
    return best
