"""What the page of insights shows: each figure in words and drawn, and as rows of a table to take out."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from chargepath.base.quantities import figure
from chargepath.insight.figures import Bin, FigureLine
from chargepath.insight.intervals import Estimate
from chargepath.knowledge import Knowledge
from rainfront.insights.reckoning import PERIODS, ShopFigures, figures_for
from rainfront.stock.models import Move
from rainfront.web.scenes.intervals import Scale, Span, Square, around, draw_square
from rainfront.web.words import counted, money
from rainfront.workshop.adapters import Shop

SHOWN_LINES = 12
SHARES, RATIOS = Scale(0.0, 1.0), Scale(0.25, 4.0, log=True, ref=1.0)


@dataclass(frozen=True)
class FigureRow:
    """One figure: its name, in words, drawn, and its numbers for taking out."""

    name: str
    value: str
    reach: str
    count: int
    thin: bool
    span: Span
    numbers: tuple[float, float, float, int]


@dataclass(frozen=True)
class Section:
    """One insight: its rows, what they are, and the unit of the numbers that are taken out."""

    id: str
    title: str
    about: str
    unit: str
    rows: Sequence[FigureRow]
    more: Sequence[FigureRow] = ()
    square: Square | None = None
    groups: Sequence[tuple[str, int, Sequence[FigureRow]]] = ()
    none: str = "No closed job says anything of it yet."

    @property
    def empty(self) -> bool:
        """Whether there is nothing to show."""
        return not (self.rows or self.groups)

    @property
    def all_rows(self) -> list[tuple[str, FigureRow]]:
        """Every row with the group that it stands in, for taking out."""
        grouped = [(group, row) for group, _, rows in self.groups for row in rows]
        return [*(("", row) for row in (*self.rows, *self.more)), *grouped]


@dataclass(frozen=True)
class Insights:
    """Everything on the page."""

    sections: Sequence[Section]
    jobs: int
    repairs: int
    period: str
    at: datetime
    late: bool
    periods: Sequence[tuple[str, str, bool]] = field(default_factory=list)


def insights_of(shop: Shop, period: str, now: datetime) -> Insights:
    """Everything of a period."""
    found = figures_for(period, now)
    periods = [(key, label, key == period) for key, (label, _) in PERIODS.items()]
    return Insights(
        sections=sections_of(found, shop),
        jobs=found.jobs,
        repairs=found.repairs,
        period=PERIODS[period][0],
        at=found.at,
        late=found.late,
        periods=periods,
    )


def sections_of(found: ShopFigures, shop: Shop) -> list[Section]:
    """Every insight."""
    known, region, lines = shop.known, shop.region, found.lines

    def amount(value: float) -> str:
        return money(value, region, cents=abs(value) < 10)

    def route(name: str) -> str:
        return (known.routes[name].label if name in known.routes else name) or "every repair"

    batches = _batches(line.name for line in lines["back_batch"])
    gap, over = (line.found for line in lines["quotes"])
    followed, overruled = (line.found for line in lines["advice"])
    return [
        _section(
            "first",
            "The first repair cured it",
            "Of closed jobs with a proved repair: its proof passed, and the same trouble has not come back.",
            "share",
            _named(lines["first"], route),
            percent,
            SHARES,
        ),
        _section(
            "back_route",
            "Came back, by repair",
            "Of repairs that passed their proof: the same trouble came back.",
            "share",
            _named(lines["back_route"], route),
            percent,
            SHARES,
        ),
        _section(
            "back_model", "Came back, by model", "The same, by model.", "share", lines["back_model"], percent, SHARES
        ),
        _section(
            "back_batch",
            "Came back, by delivery of parts",
            "The same, by the delivery that the part came from: the first to come in is the first to be used.",
            "share",
            _named(lines["back_batch"], lambda name: batches.get(name, "")),
            percent,
            SHARES,
        ),
        _section(
            "minutes",
            "Minutes against plan",
            "What the work took over what the plan said, as medians; 1 is as planned.",
            "ratio",
            _named(lines["minutes"], route),
            times,
            RATIOS,
        ),
        _quotes(gap, over, amount),
        _calibration(found.bins),
        _advice(followed, overruled, amount),
        _habits(lines["habits"], known, amount),
        _faults(found.faults, known),
        _drift(lines["drift"]),
    ]


def percent(value: float) -> str:
    """A share in words."""
    return f"{value:.0%}"


def times(value: float) -> str:
    """A ratio in words."""
    return f"× {figure(value, 2)}"


def _named(lines: Iterable[FigureLine], label: Callable[[str], str]) -> list[FigureLine]:
    return [replace(line, name=name) for line in lines if (name := label(line.name))]


def _row(line: FigureLine, words: Callable[[float], str], scale: Scale) -> FigureRow:
    found = line.found
    reach = (
        f"{words(found.low)} to {words(found.high)}" if math.isfinite(found.low) and math.isfinite(found.high) else ""
    )
    low, high = (end if math.isfinite(end) else found.value for end in (found.low, found.high))
    value = words(found.value) if found.count else ""
    return FigureRow(
        name=line.name,
        value=value,
        reach=reach,
        count=found.count,
        thin=found.thin,
        span=scale.span(low, found.value, high),
        numbers=(found.value, found.low, found.high, found.count),
    )


def _section(
    id_: str,
    title: str,
    about: str,
    unit: str,
    lines: Sequence[FigureLine],
    words: Callable[[float], str],
    scale: Scale,
) -> Section:
    rows = [_row(line, words, scale) for line in lines if line.found.count]
    return Section(id=id_, title=title, about=about, unit=unit, rows=rows[:SHOWN_LINES], more=rows[SHOWN_LINES:])


def _money_section(
    id_: str, title: str, about: str, lines: Sequence[FigureLine], amount: Callable[[float], str]
) -> Section:
    ends = [end for line in lines for end in (line.found.low, line.found.value, line.found.high)]
    return _section(id_, title, about, "money", lines, amount, around(ends, 0.0))


def _quotes(gap: Estimate, over: Estimate, amount: Callable[[float], str]) -> Section:
    made = _money_section(
        "quotes",
        "Charged against quoted",
        "What was charged less what the customer had agreed to, on average; and how often it was more.",
        [FigureLine("charged less quoted", gap)],
        amount,
    )
    return replace(
        made, rows=[*made.rows, _row(FigureLine("share charged more", over), percent, SHARES)] if gap.count else []
    )


def _calibration(bins: Sequence[Bin]) -> Section:
    rows = [_row(FigureLine(f"said {found.said:.0%}", found.came), percent, SHARES) for found in bins]
    points = [
        (
            found.said,
            found.came.value,
            found.came.low,
            found.came.high,
            found.came.count,
            f"said {found.said:.0%}, came {found.came.value:.0%} of {counted(found.came.count, 'repair')}",
        )
        for found in bins
    ]
    return Section(
        "calibration",
        "What the advice said, and what came",
        "Repairs by how often they were said to cure, and how often they did. On the line, what it says is so.",
        "share",
        rows,
        square=draw_square(points) if points else None,
    )


def _advice(followed: Estimate, overruled: Estimate, amount: Callable[[float], str]) -> Section:
    lines = [FigureLine("as advised", followed), FigureLine("otherwise than advised", overruled)]
    return _money_section(
        "advice",
        "What overruling the advice cost or saved",
        "What the rest of the job came to, less what the advice had expected of it when the repair was chosen: "
        "minutes, parts, come-backs, what could not be repaired. More than 0 is dearer than expected.",
        lines,
        amount,
    )


def _habits(lines: Sequence[FigureLine], known: Knowledge, amount: Callable[[float], str]) -> Section:
    named = _named(lines, lambda name: known.schools[name].label if name in known.schools else name)
    made = _money_section(
        "habits",
        "What habits cost",
        "What a habit was said to cost more than the advice, on average, each time a repair was chosen under it.",
        named,
        amount,
    )
    return replace(made, none="No repair was chosen under a habit.")


def _faults(found: Sequence[tuple[str, int, Sequence[FigureLine]]], known: Knowledge) -> Section:
    groups = [
        (
            model,
            count,
            [
                _row(replace(line, name=known.faults[line.name].label), percent, SHARES)
                for line in lines[:5]
                if line.name in known.faults
            ],
        )
        for model, count, lines in found
    ]
    return Section("faults", "Faults by model", "Of the closed jobs of each model.", "share", [], groups=groups)


def _batches(numbers: Iterable[str]) -> dict[str, str]:
    """Deliveries in words, by number."""
    wanted = {int(number) for number in numbers if number.isdecimal()}
    moves = Move.objects.filter(pk__in=list(wanted)[:900]).select_related("item")
    return {str(move.pk): _batch(move) for move in moves}


def _batch(move: Move) -> str:
    supplier = f", {move.item.supplier}" if move.item.supplier else ""
    return f"{move.at:%d %b %Y}, {', '.join(move.item.fits) or 'all'}{supplier}"


def _drift(lines: Sequence[FigureLine]) -> Section:
    ends = [end for line in lines for end in (line.found.low, line.found.high)]
    made = _section(
        "drift",
        "Drift of the meters",
        "How much more a meter reads each year on the same lines of good boards; an interval that holds 0 is no drift.",
        "mV a year",
        lines,
        lambda value: f"{figure(value, 1)} mV",
        around(ends, 0.0),
    )
    return replace(made, none="No line of a good board was read on two different days with the same meter.")
