"""Routes and checks as the bench offers them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.base.sentences import inside
from chargepath.case.entries import TryEvent
from chargepath.decision.plan import RouteTerm
from chargepath.knowledge.routes import REFER
from rainfront.jobs.presenters.basis import Basis
from rainfront.web.scenes.charge_line import percent

# A repair less likely than this to cure is not listed.
SHOWN_FROM, SHOWN = 0.005, 4


@dataclass(frozen=True)
class RouteRow:
    """One route as offered."""

    id: str
    label: str
    cure: str = ""
    minutes: str = ""
    cost: str = ""
    total: str = ""
    over_limit: bool = False
    advised: bool = False
    try_line: str = ""
    part: str = ""
    declined: bool = False


@dataclass(frozen=True)
class CheckLink:
    """A check that can be entered by form."""

    id: str
    label: str
    word: str
    minutes: str
    saves: str
    barred: str


def always_shown(terms: Sequence[RouteTerm]) -> set[str]:
    """Handing on, the repair that is likeliest to cure, and the one with which the whole job costs least."""
    repairs = [term for term in terms if term.id != REFER]
    if not repairs:
        return {REFER}
    return {REFER, max(repairs, key=lambda term: term.cure).id, min(repairs, key=lambda term: term.total).id}


def routes_of(basis: Basis) -> tuple[list[RouteRow], list[RouteRow]]:
    """Routes in the order of the plan: those that matter, and those that are hardly likely to cure.

    The knowledge says what hardly likely is: a share of the best chance (`plausible_share`). What is advised, the
    likeliest to cure, the cheapest to begin with and handing on always matter, wherever they stand in the plan.
    """
    known = basis.known
    matter: list[RouteRow] = []
    rest: list[RouteRow] = []
    terms = [term for term in basis.advice.plan if term.cure >= SHOWN_FROM or term.id == REFER]
    always = always_shown(terms)
    floor = known.costs.plausible_share * max((term.cure for term in terms), default=0.0)
    for term in terms:
        stations = {known.faults[name].station for name in known.routes[term.id].cures}
        if basis.station and basis.station not in stations:
            continue
        row = route_row(basis, term)
        others = sum(shown.id not in always for shown in matter)
        likely = term.cure >= floor and others < SHOWN - len(always) and len(matter) < SHOWN - 1
        (matter if row.advised or likely or term.id in always else rest).append(row)
    for name in known.routes:
        if name in basis.core.refused and not basis.station:
            matter.append(RouteRow(id=name, label=known.routes[name].label, declined=True))
    return matter, rest


def route_row(basis: Basis, term: RouteTerm) -> RouteRow:
    """One route in words."""
    route, step = basis.known.routes[term.id], basis.advice.next
    tried = {event.route for event in basis.belief.since_repair() if isinstance(event, TryEvent)}
    can_try = route.try_minutes is not None and term.id not in tried and not basis.core.forbidden_by("try", term.id)
    return RouteRow(
        id=term.id,
        label=route.label,
        cure="" if term.id == REFER else percent(term.cure),
        minutes=f"{term.act.minutes:.0f}",
        cost=basis.money(term.act.cost),
        total=basis.money(term.total),
        over_limit=term.id != REFER and basis.core.over_limit(term),
        advised=step.kind == "repair" and step.id == term.id,
        try_line=f"try {term.id}" if can_try else "",
        part=basis.money(term.act.part) if term.act.part else "",
    )


def bill_words(basis: Basis, term: RouteTerm) -> dict[str, str]:
    """The whole bill with a route done, and what of it was done already."""
    return {"bill": basis.money(basis.core.spent + term.act.quote), "earlier": basis.earlier}


def checks_of(basis: Basis) -> list[tuple[str, list[CheckLink]]]:
    """Checks that make sense on the device, by how far it has to be opened."""
    worth = {option.id: option.saves for option in basis.advice.options if option.kind == "check"}
    groups: dict[str, list[CheckLink]] = {}
    for check in basis.known.checks.values():
        stations = ("", check.station, *check.station_on.values())
        if not basis.belief.model.offers(check) or basis.station not in stations:
            continue
        saves = worth.get(check.id, 0.0)
        text = f"saves {basis.money(saves)}" if saves >= 1 else ""
        danger = basis.core.forbidden_by("check", check.id)
        barred = f"not now: {inside(danger.hazard.label)}" if danger else ""
        link = CheckLink(
            id=check.id,
            label=check.label,
            word=check.word,
            minutes=f"{check.minutes:.0f} min",
            saves=text,
            barred=barred,
        )
        groups.setdefault(check.access, []).append(link)
    return [(level.label, groups[level.id]) for level in basis.known.access.values() if level.id in groups]
