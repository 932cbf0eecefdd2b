"""What the pages of the shop's own numbers show."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from chargepath.base.quantities import figure, shortest
from chargepath.base.sentences import inside
from chargepath.decision.refcases import Difference, differences
from chargepath.knowledge import Check, Fault, Knowledge
from chargepath.knowledge.changes import number_at, numbers_in
from chargepath.knowledge.loader import as_written
from chargepath.knowledge.procedures import ALLOY, LEADED
from chargepath.learning.betas import LearnedNumber
from chargepath.learning.examples import Estimates, minutes_of
from rainfront.web.scenes.charge_line import Scene, draw
from rainfront.web.words import counted, money
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import KnowledgeChange, PartPrice, ShopMinutes
from rainfront.workshop.words import key_label, path_label

SHOWN_MOVED = 30
SHOWN_REPLACED = 20
# A number that moved by less than this share of itself is as it was.
LITTLE = 0.005


@dataclass(frozen=True)
class NumberRow:
    """One number of the knowledge: where it stands, what ships, what is in force, where it comes from."""

    path: str
    label: str
    shipped: str
    now: str
    changed: bool
    learned: str = ""


@dataclass(frozen=True)
class FaultRow:
    """One fault of the list."""

    id: str
    label: str
    station: str
    about: str
    share: str
    shipped: str = ""


def _shown(value: Any) -> str:
    return shortest(value) if isinstance(value, int | float) else str(value).replace("_", " ")


def numbers_under(shop: Shop, path: str, changed: dict[str, KnowledgeChange]) -> list[NumberRow]:
    """Every number below a path: what ships, the shop's own in its place, what closed jobs made of it."""
    stem, *keys = path.split(".")
    table: Any = as_written(stem)
    for key in keys:
        table = table[key]
    rows = []
    for here, value in numbers_in(table, path):
        own = changed.get(here)
        label = path_label(shop.known, f"x.{here.removeprefix(path + '.')}").removeprefix("x: ")
        now = _shown(own.value) if own else _shown(value)
        rows.append(
            NumberRow(
                path=here,
                label=label,
                shipped=_shown(value),
                now=now,
                changed=own is not None,
                learned=learned_at(shop, here),
            )
        )
    return rows


def learned_at(shop: Shop, path: str) -> str:
    """What is in force where closed jobs moved a number, '' where they did not."""
    before, now = number_at(shop.changed, path), number_at(shop.known, path)
    if before is None or now is None or abs(now - before) <= LITTLE * max(abs(before), 1e-9):
        return ""
    return f"{now:.3g}"


def where_faults_sit(shop: Shop, station: str) -> Scene:
    """The charge line, with how often a device comes in with a fault at each station in place of the chance."""
    known, whole = shop.known, _whole(shop.known)
    shares = {name: sum(fault.weight for fault in known.faults_at(name)) / whole for name in known.stations}
    return draw({row.id: row.label for row in known.stations.values()}, shares, {}, station, frozenset())


def fault_rows(shop: Shop, query: str, at: str = "") -> list[FaultRow]:
    """Faults whose label, id, words, station, checks or routes hold the words that are searched for, by station.

    `at` narrows them to one station.
    """
    words, known = query.lower().split(), shop.known
    whole, base = _whole(known), _whole(shop.shipped)
    rows = []
    for fault in sorted(known.faults.values(), key=lambda fault: known.stations[fault.station].position):
        if at in ("", fault.station) and all(word in _haystack(known, fault) for word in words):
            share = f"{fault.weight / whole:.0%}"
            ships = f"{shop.shipped.faults[fault.id].weight / base:.0%}"
            station = known.stations[fault.station].label
            rows.append(
                FaultRow(
                    id=fault.id,
                    label=fault.label,
                    station=station,
                    about=fault.about,
                    share=share,
                    shipped="" if ships == share else ships,
                )
            )
    return rows


def _whole(known: Knowledge) -> float:
    return sum(fault.weight for fault in known.faults.values())


def _haystack(known: Knowledge, fault: Fault) -> str:
    checks = [known.checks[key.split("@")[0]] for key in (*fault.grades, *fault.signs)]
    routes = [route.label for route in known.routes.values() if fault.id in route.cures]
    signs = [known.checks[key].name(sign) for key, found in fault.signs.items() for sign in found]
    parts = [
        fault.id,
        fault.label,
        fault.about,
        known.stations[fault.station].label,
        *(check.label for check in checks),
        *(check.word for check in checks),
        *routes,
        *signs,
        *fault.factors["history"],
    ]
    return " ".join(parts).lower()


def _basis(basis: str) -> str:
    return "common practice" if basis == "practice" else "not looked up yet" if basis == "memory" else basis


def fault_page(shop: Shop, fault: Fault, changed: dict[str, KnowledgeChange]) -> dict[str, Any]:
    """Everything about one fault: its numbers by check and sign, what cures it, and their basis."""
    known = shop.known
    base = f"faults.{fault.id}"
    blocks = []
    raw = as_written("faults")[fault.id]
    own = numbers_under(shop, base, changed)
    plain = [row for row in own if "." not in row.path.removeprefix(f"{base}.")]
    blocks.append(("How often, and how often a proof passes with it", "", plain))
    for kind, title in (
        ("history", "After what the customer tells"),
        ("carrier", "By what the port sits on"),
        ("connector", "By connector"),
        ("kind", "By kind of device"),
        ("wireless", "By coil"),
    ):
        if raw.get(kind):
            blocks.append((title, "times as likely", numbers_under(shop, f"{base}.{kind}", changed)))
    for kind in ("grades", "signs"):
        for key in raw.get(kind, {}):
            check = known.checks[key.split("@")[0]]
            rows = [
                replace(row, label=check.name(row.path.rsplit(".", 1)[1]))
                for row in numbers_under(shop, f"{base}.{kind}.{key}", changed)
            ]
            at = f" at {key.split('@')[1]}" if "@" in key else ""
            blocks.append((f"{check.label}{at}", f"chance that it shows this; check: {_basis(check.basis)}", rows))
    for route in known.routes.values():
        if fault.id in route.cures:
            rows = [
                row
                for row in numbers_under(shop, f"routes.{route.id}", changed)
                if row.path.count(".") == 2 or row.path.endswith(f".{fault.id}")
            ]
            blocks.append((f"Repair: {route.label}", f"basis: {_basis(route.basis)}", rows))
    return {
        "title": fault.label,
        "about": fault.about,
        "station": known.stations[fault.station].label,
        "blocks": blocks,
        "basis": _basis(fault.basis),
        "back": fault.id,
    }


GENERAL = {
    "costs": "What a job costs",
    "scale": "The belief and its wording",
    "proof": "What a repaired device has to show",
}


def check_page(shop: Shop, check: Check, changed: dict[str, KnowledgeChange]) -> dict[str, Any]:
    """Every number of one check: its minutes, what shows without a fault, its limits."""
    known = shop.known
    raw, base, blocks = as_written("checks")[check.id], f"checks.{check.id}", []
    own = [row for row in numbers_under(shop, base, changed) if row.path.count(".") == 2]
    blocks.append(("Time", "minutes", own))
    for key, title in (
        ("leak", "Without any fault that affects it"),
        ("leak_history", "The same, after what was told"),
        ("reading", "Limits of its grades"),
        ("values", "What can be entered"),
        ("implies", "What its values show besides"),
    ):
        if key in raw:
            blocks.append((title, "", numbers_under(shop, f"{base}.{key}", changed)))
    return {
        "title": check.label,
        "about": check.place,
        "station": known.stations[check.station].label,
        "blocks": blocks,
        "basis": _basis(check.basis),
        "back": "",
    }


# Parts of a file that are not called by what they are.
BLOCKS = {"item": "Minutes of each item"}


def general_page(shop: Shop, stem: str, changed: dict[str, KnowledgeChange]) -> dict[str, Any]:
    """Every number of a file that belongs to no single fault."""
    raw = as_written(stem)
    blocks = [("", "", [row for row in numbers_under(shop, stem, changed) if row.path.count(".") == 1])]
    blocks += [
        (BLOCKS.get(key, key), "", numbers_under(shop, f"{stem}.{key}", changed))
        for key, found in raw.items()
        if isinstance(found, dict)
    ]
    basis = raw.get("basis") or next(
        (t["basis"] for t in raw.values() if isinstance(t, dict) and "basis" in t), "practice"
    )
    return {"title": GENERAL[stem], "about": "", "station": "", "blocks": blocks, "basis": _basis(basis), "back": ""}


def difference_rows(before: Knowledge, after: Knowledge) -> list[dict[str, str]]:
    """Reference cases that would be answered otherwise."""
    return [_difference(before, found) for found in differences(before, after)]


def _difference(known: Knowledge, found: Difference) -> dict[str, str]:
    def said(answer: Any) -> str:
        kind, _, name = answer.step.partition(" ")
        label = known.checks[name].label if kind == "check" else known.routes[name].label
        return f"{known.faults[answer.fault].label} {answer.chance:.0%}, then {kind}: {label}"

    return {
        "name": found.before.name,
        "expected": known.faults[found.before.expected].label,
        "before": said(found.before),
        "after": said(found.after),
    }


def minutes_rows(shop: Shop, rows: list[Any]) -> list[dict[str, Any]]:
    """The shop's own minutes beside what ships."""
    base = minutes_of(shop.shipped)
    return [
        {"row": row, "label": key_label(shop.shipped, row.key), "shipped": f"{base.get(row.key, 0):g}"} for row in rows
    ]


def part_rows(shop: Shop, rows: list[Any]) -> list[dict[str, Any]]:
    """The shop's own prices beside what ships."""
    routes, region = shop.shipped.routes, shop.region
    return [
        {
            "row": row,
            "label": routes[row.route].label,
            "price": money(row.price, region, cents=True),
            "shipped": money(routes[row.route].part, region, cents=True),
            "with": routes[row.sold_with].label if row.sold_with in routes else "",
        }
        for row in rows
    ]


def replaced_rows(shop: Shop) -> list[tuple[Any, str]]:
    """Prices and minutes that held before, the newest first, each in words."""
    routes, region = shop.shipped.routes, shop.region
    rows: list[tuple[Any, str]] = []
    for price in PartPrice.objects.replaced()[:SHOWN_REPLACED]:
        label = routes[price.route].label if price.route in routes else price.route
        rows.append((price, f"{label}, {price.family or 'all'}: {money(price.price, region, cents=True)}"))
    for row in minutes_rows(shop, list(ShopMinutes.objects.replaced()[:SHOWN_REPLACED])):
        old = row["row"]
        rows.append((old, f"{row['label']}, {old.family or 'all'}: {figure(old.minutes, 0)} min"))
    return sorted(rows, key=lambda found: found[0].replaced_at, reverse=True)[:SHOWN_REPLACED]


@dataclass(frozen=True)
class LearnedRow:
    """One learned number in words, and its interval as a length from 0 to 100."""

    label: str
    words: str
    span: str
    low: str
    high: str
    shipped: str
    here: str
    moved: bool
    distance: float


def _learned_row(label: str, found: LearnedNumber, unit: str = "job") -> LearnedRow:
    words = f"began at {found.prior:.0%}, here {found.here:.0%} from {counted(found.count, unit)}"
    low, high, was, now = (f"{min(v, 1.0) * 100:.1f}" for v in (found.low, found.high, found.prior, found.here))
    moved = not found.low <= found.prior <= found.high
    span = f"{found.low:.0%} to {found.high:.0%}"
    return LearnedRow(
        label=label,
        words=words,
        span=span,
        low=low,
        high=high,
        shipped=was,
        here=now,
        moved=moved,
        distance=abs(found.here - found.prior),
    )


@dataclass(frozen=True)
class PricedPart:
    """One part of what was learned, as a line that opens: `rows` are only there where it is the one asked for."""

    key: str
    title: str
    about: str
    rows: Sequence[LearnedRow] = ()


def learned_page(known: Knowledge, estimates: Estimates | None, part: str = "") -> dict[str, Any]:
    """What was learned: what moved most, in words and drawn, and every part of the rest by its name.

    Only what moved and the part that is asked for are worked out: a shop's tables come to thousands of numbers.
    """
    if estimates is None:
        return {"jobs": 0}
    parts = _parts(known, estimates)
    moved = sorted(_moved(known, estimates), key=lambda row: -row.distance)[:SHOWN_MOVED]
    shown = [
        replace(found, rows=_rows_of(known, estimates, found.key)) if found.key == part else found for found in parts
    ]
    minutes = [
        (
            key_label(known, key),
            f"began at {n.prior:g} min, here {figure(n.here, 1)} ({figure(n.low, 1)} to {figure(n.high, 1)}), "
            f"{counted(n.count, 'time')}",
        )
        for key, n in estimates.minutes.items()
    ]
    return {"jobs": estimates.jobs, "parts": shown, "minutes": minutes, "shows": len(estimates.shows), "moved": moved}


def _title(known: Knowledge, group: str) -> str:
    kind, _, value = group.partition(":")
    return {"all": "All jobs", "kind": f"{value}s", "family": value, "history": known.history.get(value, value)}[kind]


def _parts(known: Knowledge, estimates: Estimates) -> list[PricedPart]:
    groups = [
        PricedPart(group, f"How often: {_title(known, group)}", counted(next(iter(shares.values())).count, "job"))
        for group, shares in estimates.shares.items()
    ]
    groups.sort(key=lambda found: (found.key != "all", found.key.startswith("family"), found.title.lower()))
    cures = PricedPart(
        "cures", "How well repairs cure", counted(len(estimates.cures), "repair of a fault", "repairs of a fault")
    )
    backs = PricedPart("backs", "Come-backs", "a repair that comes back oftener than usual is priced dearer by as much")
    return [*groups, *([cures] if estimates.cures else []), *([backs] if estimates.comebacks else [])]


def _rows_of(known: Knowledge, estimates: Estimates, part: str) -> list[LearnedRow]:
    """Every number of one part."""
    if part == "cures":
        return [
            _learned_row(f"{known.routes[route].label}: {known.faults[fault].label}", found, "repair")
            for (route, fault), found in estimates.cures.items()
        ]
    if part == "backs":
        return [_learned_row(known.routes[name].label, found, "repair") for name, found in estimates.comebacks.items()]
    shares = sorted(estimates.shares[part].items(), key=lambda pair: -pair[1].here)
    return [_learned_row(known.faults[name].label, found) for name, found in shares if found.here >= 0.005]


def _moved(known: Knowledge, estimates: Estimates) -> Iterator[LearnedRow]:
    """Every number whose interval no longer holds what it began from; those that hardly moved are not looked at."""
    named: list[tuple[str, LearnedNumber, str]] = [
        (f"{_title(known, group)}: {known.faults[name].label}", found, "job")
        for group, shares in estimates.shares.items()
        for name, found in shares.items()
    ]
    named += [
        (f"{known.routes[route].label}: {known.faults[fault].label}", found, "repair")
        for (route, fault), found in estimates.cures.items()
    ]
    named += [(known.routes[name].label, found, "repair") for name, found in estimates.comebacks.items()]
    named += [(_shows_label(known, key), found, "job") for key, found in estimates.shows.items()]
    for label, found, unit in sorted(named, key=lambda row: -abs(row[1].here - row[1].prior))[: 4 * SHOWN_MOVED]:
        row = _learned_row(label, found, unit)
        if row.moved:
            yield row


def _shows_label(known: Knowledge, key: tuple[str, str, str]) -> str:
    fault, name, outcome = key
    check = known.checks[name.split("@")[0]]
    where = f" {check.name(name.split('@')[1])}" if "@" in name else ""
    cause = known.faults[fault].label if fault else "Anything else"
    return f'{cause} shows "{check.name(outcome)}" ({inside(check.label)}{where})'


@dataclass(frozen=True)
class WayRow:
    """One way of doing a thing."""

    id: str
    label: str
    why: str
    suits: str
    figures: str
    ours: bool
    steps: tuple[str, ...]


def method_rows(shop: Shop) -> list[tuple[str, str, bool, list[WayRow]]]:
    """Slots with their label, whether the shop has chosen, and every way with what it costs."""
    work, out = shop.known.procedures, []
    for slot, options in work.options.items():
        if len(options) < 2:
            continue
        rows = []
        for option in options.values():
            if option.unless and not option.steps:
                continue  # Nothing that somebody does: it stands for devices that need none of it.
            minutes, wait = sum(s.minutes for s in option.steps), sum(s.wait for s in option.steps)
            figures = [f"{minutes:.0f} min" if minutes else "", f"{wait:.0f} min waiting" if wait else ""]
            figures += [f"{figure(option.harm * 100, 1)}% harm" if option.harm else ""]
            figures += [f"{option.comeback:+.1%} come-backs" if option.comeback else ""]
            rows.append(
                WayRow(
                    id=option.id,
                    label=option.label,
                    why=option.why,
                    suits=suits_words(shop.known, option.when, option.unless),
                    figures=", ".join(filter(None, figures)),
                    ours=shop.picks.get(slot) == option.id,
                    steps=tuple(step.soldered(shop.picks.get(ALLOY, LEADED)).do for step in option.steps),
                )
            )
        out.append((slot, work.slots[slot], slot in shop.picks, rows))
    return out


# How the work stands, as the procedures name it (OWN_WORDS), in words.
WORK_WORDS = {
    "glued": "glued covers",
    "in_frame": "a board in its frame",
    "wireless": "a wireless coil",
    "port_work": "work at the port",
    "port_on_its_own": "a port that is replaced by itself",
    "battery_work": "work at the battery",
    "opened": "an opened device",
    "not_started": "a device that does not start",
    "cell_unsafe": "a cell that is not safe",
    "low_melt_used": "low-melt in the joints",
    "lid_is_cut": "a shield lid that is cut",
    "lead_free": "lead-free solder",
    "legs_under": "a part whose contacts lie underneath",
    "board_in": "a board that stays in the device",
    "sub_board": "a sub-board",
    "flex": "a port flex",
    "none": "a port on the main board",
    "tablet": "a tablet",
    "phone": "a phone",
}


def suits_words(known: Knowledge, when: Sequence[str], unless: Sequence[str]) -> str:
    """For which devices a way is, and for which it is not, in words; '' for one that is for all."""

    def said(names: Sequence[str]) -> str:
        return ", ".join(" with ".join(word_of(name) for name in asked.split("+")) for asked in names)

    def word_of(name: str) -> str:
        return inside(known.traits[name].label) if name in known.traits else WORK_WORDS[name]

    parts = [f"for: {said(when)}" if when else "", f"not with: {said(unless)}" if unless else ""]
    return "; ".join(filter(None, parts))
