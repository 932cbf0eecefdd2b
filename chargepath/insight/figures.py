"""What closed jobs say of a shop: its repairs, its minutes, its quotes, its advice."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from chargepath.insight.intervals import Estimate, mean_of, median_of, share_of

# Bins of a stated chance: how often did what was said to cure so often cure?
BINS = ((0.0, 0.2), (0.2, 0.4), (0.4, 0.6), (0.6, 0.8), (0.8, 0.9), (0.9, 1.0))


@dataclass(frozen=True)
class Repaired:
    """One repair of a closed job that was proved.

    Attributes
    ----------
    job : int
    route, model, batch : str
        `batch` names the delivery that its part came from, '' for none.
    first : bool
        Whether it was the first repair of its job here.
    worked : bool
        Whether its proof passed.
    back : bool
        Whether the device came back with the same trouble after it; only of the last repair that passed.
    cure, minutes : float or None
        What the advice said when it was chosen: chance of cure, hands-on minutes with the proof [min].
    took : float or None
        Minutes that it took [min].
    followed : bool or None
        Whether it is what the advice said; None where that was not kept.
    said_total, real_total : float or None
        What the rest of the job was expected to cost by the advice when it was chosen, and what it came to (money).
    habit : str
    habit_costs : float
        The habit that was followed, and what it was said to cost more (money).

    """

    job: int
    route: str
    model: str
    first: bool
    worked: bool
    back: bool = False
    batch: str = ""
    cure: float | None = None
    minutes: float | None = None
    took: float | None = None
    followed: bool | None = None
    said_total: float | None = None
    real_total: float | None = None
    habit: str = ""
    habit_costs: float = 0.0


@dataclass(frozen=True)
class Ended:
    """One closed job: its faults, what was quoted and charged (money; None where it was not)."""

    job: int
    model: str
    faults: tuple[str, ...]
    works: bool
    quoted: float | None = None
    charged: float | None = None


@dataclass(frozen=True)
class FigureLine:
    """A figure under a name."""

    name: str
    found: Estimate


def first_route(repairs: Iterable[Repaired]) -> tuple[Estimate, list[FigureLine]]:
    """How often the first repair of a job cured it for good: over all, and by route, the most frequent first."""
    rows = [row for row in repairs if row.first]
    return _share(rows, _held), _by(rows, lambda row: row.route, _held)


def come_backs(repairs: Iterable[Repaired], by: Callable[[Repaired], str]) -> list[FigureLine]:
    """How often a device came back with the same trouble, of the repairs that passed their proof."""
    rows = [row for row in repairs if row.worked and by(row)]
    return _by(rows, by, lambda row: row.back)


def _held(row: Repaired) -> bool:
    return row.worked and not row.back


def _share(rows: Sequence[Repaired], hit: Callable[[Repaired], bool]) -> Estimate:
    return share_of(sum(hit(row) for row in rows), len(rows))


def _by(rows: Sequence[Repaired], by: Callable[[Repaired], str], hit: Callable[[Repaired], bool]) -> list[FigureLine]:
    groups: dict[str, list[Repaired]] = defaultdict(list)
    for row in rows:
        groups[by(row)].append(row)
    lines = [FigureLine(name, _share(found, hit)) for name, found in groups.items()]
    return sorted(lines, key=lambda line: (-line.found.count, line.name))


def minutes_against_plan(repairs: Iterable[Repaired]) -> tuple[Estimate, list[FigureLine]]:
    """Minutes that repairs took over those that were planned, as medians: over all, and by route."""
    groups: dict[str, list[float]] = defaultdict(list)
    for row in repairs:
        if row.minutes and row.took:
            groups[row.route].append(row.took / row.minutes)
    lines = [FigureLine(route, median_of(found)) for route, found in groups.items()]
    whole = median_of([ratio for found in groups.values() for ratio in found])
    return whole, sorted(lines, key=lambda line: (-line.found.count, line.name))


def cost_against_quote(jobs: Iterable[Ended]) -> tuple[Estimate, Estimate]:
    """What was charged less what was quoted (money), and how often it was more than that."""
    gaps = [row.charged - row.quoted for row in jobs if row.quoted is not None and row.charged is not None]
    return mean_of(gaps), share_of(sum(gap > 0.005 for gap in gaps), len(gaps))


@dataclass(frozen=True)
class Bin:
    """Repairs that were said to cure about so often: between which chances, the mean of what was said, what came."""

    low: float
    high: float
    said: float
    came: Estimate


def calibration(repairs: Iterable[Repaired]) -> list[Bin]:
    """Whether what was said to cure so often cured so often; bins without a repair are left out."""
    rows = [(row.cure, row.worked) for row in repairs if row.cure is not None]
    out = []
    for low, high in BINS:
        here = [(cure, worked) for cure, worked in rows if low <= cure < high or (high == 1.0 and cure == 1.0)]
        if here:
            said = sum(cure for cure, _ in here) / len(here)
            out.append(Bin(low, high, said, share_of(sum(worked for _, worked in here), len(here))))
    return out


def against_advice(repairs: Iterable[Repaired]) -> Mapping[bool, Estimate]:
    """What jobs came to over what the advice had expected (money), where it was followed and where it was not."""
    rows = [row for row in repairs if row.said_total is not None and row.real_total is not None]
    return {
        followed: mean_of(
            [(row.real_total or 0.0) - (row.said_total or 0.0) for row in rows if row.followed is followed]
        )
        for followed in (True, False)
    }


def habit_costs(repairs: Iterable[Repaired]) -> list[FigureLine]:
    """What a habit was said to cost more each time a repair was chosen under it (money)."""
    groups: dict[str, list[float]] = defaultdict(list)
    for row in repairs:
        if row.habit:
            groups[row.habit].append(row.habit_costs)
    return [FigureLine(name, mean_of(found)) for name, found in sorted(groups.items())]


def faults_by_model(jobs: Iterable[Ended], most: int = 12) -> list[tuple[str, int, list[FigureLine]]]:
    """Shares of the faults that were found, by model: the models with most jobs, with how many, and their faults."""
    groups: dict[str, list[Ended]] = defaultdict(list)
    for row in jobs:
        groups[row.model].append(row)
    out = []
    for model, found in sorted(groups.items(), key=lambda pair: (-len(pair[1]), pair[0]))[:most]:
        counts: dict[str, int] = defaultdict(int)
        for row in found:
            for fault in row.faults:
                counts[fault] += 1
        lines = [FigureLine(fault, share_of(n, len(found))) for fault, n in counts.items()]
        out.append((model, len(found), sorted(lines, key=lambda line: (-line.found.value, line.name))))
    return out
