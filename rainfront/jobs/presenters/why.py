"""The Why page: the working behind the suspects and behind the next step."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.decision.why import Swing, Term, option_working, swings
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.card import NextCard, card_of
from rainfront.jobs.presenters.suspects import PushRow, push_row
from rainfront.web.scenes.charge_line import number, percent
from rainfront.web.words import money

SHOWN_SWINGS, SHOWN_FAULTS = 6, 6
# A push under this is shown pale.
LITTLE = 1.05


@dataclass(frozen=True)
class Working:
    """Terms that add up to a total: what, how much, how."""

    rows: list[tuple[str, str, str]]
    total: str


@dataclass(frozen=True)
class SwingRow:
    """What one further reading could do to a suspect; coordinates are in hundredths."""

    what: str
    up: str
    down: str
    x1: str
    x2: str
    now: str


@dataclass(frozen=True)
class WhyRow:
    """One suspect with everything that moved it."""

    label: str
    about: str
    chance: str
    prior: str
    pushes: list[tuple[PushRow, bool]]
    further: list[SwingRow]


@dataclass(frozen=True)
class WhyPage:
    """Everything on the page."""

    next: NextCard
    with_it: Working
    without: Working | None
    without_label: str
    then: str
    suspects: list[WhyRow]


def why_of(basis: Basis) -> WhyPage:
    """Work everything out."""
    step, advice = basis.advice.next, basis.advice
    with_it, without = option_working(step, advice, basis.core.prices)
    lead = min(advice.routes, key=lambda term: term.total)
    reach = swings(basis.belief, basis.core.prices)
    return WhyPage(
        next=card_of(basis, step),
        with_it=_working(basis, with_it),
        without=None if step.kind == "repair" and step.id == lead.id else _working(basis, without),
        without_label=basis.known.routes[lead.id].label,
        then=_then(basis, step.then),
        suspects=[_suspect(basis, name, chance, reach[name]) for name, chance in basis.belief.faults[:SHOWN_FAULTS]],
    )


def _working(basis: Basis, rows: list[Term]) -> Working:
    def shown(amount: float) -> str:
        return money(amount, basis.shop.region, cents=True)

    return Working([(row.what, shown(row.money), row.how) for row in rows], shown(sum(row.money for row in rows)))


def _then(basis: Basis, name: str) -> str:
    """The question that pays together with the next one, '' for none."""
    if not name:
        return ""
    return basis.known.label_of("check" if name in basis.known.checks else "try", name)


def _suspect(basis: Basis, name: str, chance: float, reach: list[Swing]) -> WhyRow:
    fault, model = basis.known.faults[name], basis.belief.model
    prior = float(model.states.marginals(model.prior)[model.fault_ids.index(name)])
    pushes = sorted((push for push in basis.core.pushes if push.fault == name), key=lambda push: push.index)
    rows = [(push_row(basis, push, 2), 1 / LITTLE < push.factor < LITTLE) for push in pushes]
    further = [_swing(basis, swing, chance) for swing in reach[:SHOWN_SWINGS]]
    return WhyRow(
        label=fault.label, about=fault.about, chance=percent(chance), prior=percent(prior), pushes=rows, further=further
    )


def _swing(basis: Basis, swing: Swing, chance: float) -> SwingRow:
    label = basis.known.label_of(swing.kind, swing.id)
    return SwingRow(
        what=label if swing.kind == "check" else f"try: {label}",
        up=f"{swing.up}: {percent(swing.up_to)}",
        down=f"{swing.down}: {percent(swing.down_to)}",
        x1=number(swing.down_to * 100),
        x2=number(swing.up_to * 100),
        now=number(chance * 100),
    )
