"""What the bench page shows, worked out from the job and its judgement."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from chargepath.case.entries import CheckEvent, RepairEvent
from chargepath.decision.plan import REFER, RouteTerm
from chargepath.decision.questions import Option
from chargepath.diagnosis.belief import Entry as BeliefEntry
from chargepath.knowledge import Check, Knowledge
from rainfront.jobs.adapters import Judgement
from rainfront.jobs.habits import HabitRow, habit_of, hold_words
from rainfront.jobs.models import Entry, Job, Repair, Stage
from rainfront.jobs.words import LogRow, example_line, log_row, mark_words, money
from rainfront.web.scenes import charge_line
from rainfront.web.scenes.charge_line import percent

STEPS = [stage for stage in Stage if stage != Stage.CLOSED]
SHOWN_SUSPECTS = 6


# Checks that have a page of their own, by its address and what the link says.
SHEET, LADDER, SUPPLY = ("inside:inside", "Probe sheet"), ("inside:ladder", "Ladder"), ("inside:supply", "Supply")
TOOLS = {
    **dict.fromkeys(
        ("line_power", "line_data", "line_battery", "charge_ring", "lift_port_ic", "lift_charge_ic"), SHEET
    ),
    **dict.fromkeys(("input_volts_port", "input_volts_board", "battery_volts"), LADDER),
    **dict.fromkeys(("supply_idle", "hot_spot"), SUPPLY),
    "sense_lines": ("inside:sense", "Battery lines"),
}


@dataclass(frozen=True)
class Answer:
    """A button that records one outcome: the quick line it stands for."""

    line: str
    label: str


@dataclass(frozen=True)
class NextCard:
    """The one filled block: what to do next."""

    kind: str
    verb: str
    id: str
    label: str
    minutes: str
    opens: str
    place: str
    reason: str
    outcomes: list[tuple[str, str, str, str]]
    cautions: list[tuple[str, str]]
    answers: list[Answer]
    example: str
    routine: str = ""
    tool: tuple[str, str] = ("", "")


@dataclass(frozen=True)
class Suspect:
    """One fault with what pushed it."""

    id: str
    label: str
    about: str
    percent: str
    width: str
    pushes: list[tuple[str, str, bool]]


@dataclass(frozen=True)
class RouteRow:
    """One route as offered."""

    id: str
    label: str
    cure: str
    minutes: str
    cost: str
    total: str
    over_limit: bool
    advised: bool
    try_line: str
    part: str


@dataclass(frozen=True)
class Step:
    """One stage in the row at the top."""

    id: str
    label: str
    state: str


@dataclass(frozen=True)
class CheckLink:
    """A check that can be entered by form."""

    id: str
    label: str
    word: str
    minutes: str
    saves: str


@dataclass(frozen=True)
class Bench:
    """Everything on the job page."""

    job: Job
    steps: list[Step]
    scene: charge_line.Scene
    station: str
    station_label: str
    next: NextCard
    equals: list[str]
    beside: NextCard | None
    suspects: list[Suspect]
    clean: str
    routes: list[RouteRow]
    log: list[LogRow]
    checks: list[tuple[str, list[CheckLink]]]
    repair: Repair | None
    repair_label: str
    history: list[str]
    widened: bool
    hold: str = ""
    habit: HabitRow | None = None


def steps_of(job: Job) -> list[Step]:
    """The stages with the current one marked."""
    at = list(Stage).index(Stage(job.stage))
    rows = []
    for index, stage in enumerate(STEPS):
        state = "now" if stage == job.stage else "done" if index < at else "ahead"
        rows.append(Step(stage.value, str(stage.label), state))
    return rows


class BenchPresenter:
    """Builds `Bench` for one job."""

    def __init__(self, job: Job, judged: Judgement, currency: str, station: str = "", school: str = "") -> None:
        self.job, self.judged, self.currency, self.school = job, judged, currency, school
        self.known: Knowledge = judged.belief.model.known
        self.station = station if station in self.known.stations else ""
        self.belief, self.advice = judged.belief, judged.advice

    def build(self) -> Bench:
        """Work everything out."""
        rows = list(self.job.entries.all())
        repair = next((repair for repair in self.job.repairs.all() if repair.is_open), None)
        return Bench(
            job=self.job,
            steps=steps_of(self.job),
            scene=self._scene(),
            station=self.station,
            station_label=self.known.stations[self.station].label if self.station else "",
            next=self._card(self.advice.next),
            equals=[self._equal_text(option) for option in self.advice.equals[:3]],
            beside=self._card(self.advice.beside) if self.advice.beside else None,
            suspects=self._suspects(),
            clean=percent(self.belief.clean),
            routes=self._routes(),
            log=self._log(rows),
            checks=self._checks(),
            repair=repair,
            repair_label=self.known.routes[repair.route].label if repair else "",
            history=[self.known.history[flag] for flag in self.judged.case.history],
            widened=self.belief.widened,
            hold=hold_words(self.job, self.judged, self.currency),
            habit=habit_of(self.job, self.judged, self.currency, self.school),
        )

    def _scene(self) -> charge_line.Scene:
        marks: dict[str, str] = {}
        rank = ["good", "off", "open", "short"]
        for entry in self.belief.entries:
            if isinstance(entry.event, RepairEvent):
                marks = {}
            if not isinstance(entry.event, CheckEvent) or entry.state != "counts":
                continue
            check = self.known.checks[entry.event.check]
            station = self._station_of(check, entry.event.variant)
            mark = ("off" if entry.event.signs else "good") if check.is_look else check.mark(entry.grade)
            if station not in marks or rank.index(mark) > rank.index(marks[station]):
                marks[station] = mark
        stations = {station.id: station.label for station in self.known.stations.values()}
        absent = frozenset({"carrier", "link"} if self.job.carrier == "none" else ())
        return charge_line.draw(stations, self.belief.stations, marks, self.station, absent)

    @staticmethod
    def _station_of(check: Check, variant: str) -> str:
        return check.station_on.get(variant, check.station)

    def _money(self, amount: float) -> str:
        return money(amount, self.currency)

    def _opens(self, access: str) -> str:
        levels = self.known.access
        reached, wanted = levels[self.belief.access].level, levels[access].level
        return levels[access].label if wanted > reached else ""

    def _cautions(self, access: str, own: tuple[str, ...]) -> list[tuple[str, str]]:
        levels = list(self.known.access.values())
        reached, wanted = self.known.access[self.belief.access].level, self.known.access[access].level
        ids = [caution for level in levels[reached + 1 : wanted + 1] for caution in level.cautions]
        chosen = dict.fromkeys([*own, *ids])
        return [(self.known.cautions[name].label, self.known.cautions[name].text) for name in chosen]

    def _card(self, option: Option) -> NextCard:
        if option.kind == "check":
            return self._check_card(option)
        if option.kind == "try":
            return self._try_card(option)
        return self._repair_card(option)

    def _outcomes(self, option: Option) -> list[tuple[str, str, str, str]]:
        return [
            (
                outcome.label,
                percent(outcome.chance),
                f"{self.known.faults[outcome.top_fault].label} {percent(outcome.top_chance)}",
                self._money(outcome.total),
            )
            for outcome in option.outcomes
        ]

    def _saves(self, option: Option) -> str:
        saved = self._money(option.saves)
        return (
            f"Saves about {saved} against committing now: the job is expected to cost {self._money(option.total)} "
            f"instead of {self._money(self.advice.commit)}."
        )

    def _check_card(self, option: Option) -> NextCard:
        check = self.known.checks[option.id]
        if check.is_look:
            answers = [Answer(f"{check.word} clean", "nothing to see")]
            answers += [Answer(f"{check.word} {sign}", check.name(sign)) for sign in check.signs]
        else:
            answers = [Answer(f"{check.word} {grade}", check.name(grade)) for grade in check.grades]
        wait = f" and {check.wait_minutes:.0f} min waiting" if check.wait_minutes else ""
        return NextCard(
            kind="check",
            verb="Check",
            id=check.id,
            label=check.label,
            minutes=f"{option.minutes:.0f} min{wait}",
            opens=self._opens(check.access),
            place=check.place,
            reason=self._saves(option),
            outcomes=self._outcomes(option),
            cautions=self._cautions(check.access, check.cautions),
            answers=answers,
            example=example_line(check),
            routine=next(
                (name for name, routine in self.known.routines.items() if routine.check == check.id and routine.steps),
                "",
            ),
            tool=TOOLS.get(check.id, ("", "")),
        )

    def _try_card(self, option: Option) -> NextCard:
        route = self.known.routes[option.id]
        access = route.access_for(self.job.carrier)
        own = tuple(dict.fromkeys(step.caution for step in route.steps if step.caution))
        return NextCard(
            kind="try",
            verb="Try",
            id=route.id,
            label=f"{route.label} with a known-good part, then take it back",
            minutes=f"{option.minutes:.0f} min",
            opens=self._opens(access),
            place="Only to see whether it charges meanwhile; nothing is repaired by it.",
            reason=self._saves(option),
            outcomes=self._outcomes(option),
            cautions=self._cautions(access, own[:2]),
            answers=[Answer(f"try {route.id} yes", "it charges"), Answer(f"try {route.id} no", "it does not")],
            example=f"try {route.id} yes",
        )

    def _repair_card(self, option: Option) -> NextCard:
        route = self.known.routes[option.id]
        access = route.access_for(self.job.carrier)
        term = next(term for term in self.advice.routes if term.id == option.id)
        verb, reason = "Repair", self._repair_reason(term)
        if option.id == REFER:
            verb = "Stop here"
            reason = (
                f"Every further step is expected to cost more than it brings: going on {self._money(self.advice.commit)}, "
                f"handing it on {self._money(self.advice.refer_cost)}. The device is worth {self._money(float(self.job.value))}."
            )
        elif option.id == "prove":
            verb = "Prove"
        return NextCard(
            kind="repair",
            verb=verb,
            id=route.id,
            label=route.label,
            minutes=f"{option.minutes:.0f} min with the proof",
            opens=self._opens(access),
            place="",
            reason=reason,
            outcomes=[],
            cautions=[],
            answers=[],
            example="",
        )

    def _repair_reason(self, term: RouteTerm) -> str:
        best = next((option for option in self.advice.options), None)
        what = "that nothing is wrong" if term.id == "prove" else "to cure all that is wrong"
        text = (
            f"{percent(term.cure)} {what} for {self._money(term.cost)}; "
            f"the whole job then is expected to cost {self._money(term.total)}."
        )
        if best is not None:
            name = (
                self.known.checks[best.id].label
                if best.kind == "check"
                else f"trying {self.known.routes[best.id].label}"
            )
            gain = (
                f"would save {self._money(best.saves)} at most" if best.saves > 0 else "would not pay for its minutes"
            )
            text += f" Measuring more ({name}) {gain}."
        return text

    def _equal_text(self, option: Option) -> str:
        if option.kind == "check":
            name = self.known.checks[option.id].label
        else:
            name = self.known.routes[option.id].label
        verb = {"check": "check", "try": "try", "repair": "repair"}[option.kind]
        return f"{verb}: {name}, {option.minutes:.0f} min, {self._money(option.total)}"

    def _suspects(self) -> list[Suspect]:
        chosen = [
            (name, chance)
            for name, chance in self.belief.faults
            if not self.station or self.known.faults[name].station == self.station
        ][:SHOWN_SUSPECTS]
        return [self._suspect(name, chance) for name, chance in chosen]

    def _suspect(self, name: str, chance: float) -> Suspect:
        fault = self.known.faults[name]
        strong = sorted(
            (push for push in self.judged.pushes if push.fault == name and not 0.83 < push.factor < 1.2),
            key=lambda push: -max(push.factor, 1 / max(push.factor, 1e-9)),
        )[:4]
        rows = []
        for push in strong:
            up = push.factor >= 1
            factor = push.factor if up else 1 / max(push.factor, 1e-9)
            sign = "×" if up else "÷"
            size = ">99" if factor > 99 else f"{factor:.1f}"
            rows.append((self.words_of(self.belief.entries[push.index]), f"{sign}{size}", up))
        return Suspect(name, fault.label, fault.about, percent(chance), f"{max(chance, 0.0) * 100:.1f}", rows)

    def words_of(self, entry: BeliefEntry) -> str:
        """An event in words, without its numbers."""
        event = entry.event
        if isinstance(event, CheckEvent):
            check = self.known.checks[event.check]
            shown = mark_words(check, {}, entry.grade, list(event.signs), event.variant)
            return f"{check.label}: {shown}"
        what = "did" if isinstance(event, RepairEvent) else "tried"
        works = {True: "charges", False: "does not charge", None: "not proved"}[event.works]
        return f"{what} {self.known.routes[event.route].label}: {works}"

    def _routes(self) -> list[RouteRow]:
        rows = []
        limit = float(self.job.limit) if self.job.limit is not None else None
        tried = {event.route for event in self.belief.since_repair() if not isinstance(event, CheckEvent)}
        for term in self.advice.routes:
            route = self.known.routes[term.id]
            cures = [self.known.faults[name].station for name in route.cures]
            if self.station and self.station not in cures:
                continue
            if term.cure < 0.005 and term.id != REFER:
                continue
            can_try = route.try_minutes is not None and term.id not in tried
            bill = self.judged.spent + term.labour + term.part
            rows.append(
                RouteRow(
                    id=term.id,
                    label=route.label,
                    cure="" if term.id == REFER else percent(term.cure),
                    minutes=f"{term.minutes:.0f}",
                    cost=self._money(term.cost),
                    total=self._money(term.total),
                    over_limit=limit is not None and term.id != REFER and bill > limit,
                    advised=self.advice.next.kind == "repair" and self.advice.next.id == term.id,
                    try_line=f"try {term.id}" if can_try else "",
                    part=self._money(term.part) if term.part else "",
                )
            )
        return rows

    def _checks(self) -> list[tuple[str, list[CheckLink]]]:
        worth = {option.id: option.saves for option in self.advice.options if option.kind == "check"}
        groups = []
        for level in self.known.access.values():
            links = []
            for check in self.known.checks.values():
                if check.access != level.id or not self.belief.model.offers(check):
                    continue
                if self.station and self.station not in (check.station, *check.station_on.values()):
                    continue
                saves = worth.get(check.id)
                text = f"saves {self._money(saves)}" if saves is not None and saves >= 1 else ""
                links.append(CheckLink(check.id, check.label, check.word, f"{check.minutes:.0f} min", text))
            if links:
                groups.append((level.label, links))
        return groups

    def _log(self, rows: list[Entry]) -> list[LogRow]:
        standing = iter(self.belief.entries)
        photos: dict[int | None, list[Any]] = {}
        for photo in self.job.photos.all():
            if photo.removed_at is None:
                photos.setdefault(photo.entry_id, []).append(photo)
        out = []
        for row in rows:
            entry = next(standing) if row.is_evidence and not row.struck_at else None
            line = log_row(row, entry, self.known)
            if self.station and not self._touches(row):
                continue
            out.append(replace(line, photos=tuple(photos.get(row.pk, ()))))
        return list(reversed(out))

    def _touches(self, row: Entry) -> bool:
        if row.kind == Entry.EntryKind.CHECK:
            return self._station_of(self.known.checks[row.name], row.variant) == self.station
        if row.is_evidence:
            return self.station in {self.known.faults[name].station for name in self.known.routes[row.name].cures}
        return False
