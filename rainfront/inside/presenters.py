"""What the inside pages show."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from itertools import pairwise
from typing import Any

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import as_shown_by, figure, shortest, show
from chargepath.base.sentences import inside
from chargepath.diagnosis.belief import Belief
from chargepath.electrical.ladder import HopVerdict, contact_resistance
from chargepath.electrical.references import Reference, usual
from chargepath.electrical.supply import DrawStep, judge_draws
from chargepath.grading.locate import Location
from chargepath.grading.sheet import PinVerdict
from chargepath.knowledge import Knowledge
from chargepath.knowledge.pinmaps import CONTINUITY, GROUP_LABELS, PinMap
from rainfront.inside import adapters
from rainfront.inside.actions.sheets import lift_rows
from rainfront.inside.adapters import Judged
from rainfront.inside.models import Draws, Ladder, Sheet
from rainfront.jobs.models import Entry
from rainfront.jobs.presenters.words import entry_words
from rainfront.reference.adapters import find_map, good_idle, style_of
from rainfront.reference.presenters import band_words, place_label
from rainfront.web.scenes import on_band, pin_map, staircase
from rainfront.web.scenes.charge_line import percent
from rainfront.web.verdicts import hop_words, line_label, line_words, twin_words


@dataclass(frozen=True)
class Prompt:
    """The pin to probe now, in words."""

    pin: str
    title: str
    where: str
    expect: str


@dataclass(frozen=True)
class LineRow:
    """One line of the sheet's table."""

    pin: str
    name: str
    group: str
    value: str
    times: int
    band: str
    score: str
    twin: str
    says: str
    label: str
    mark: str
    weak: bool
    drawn: on_band.Scene | None = None


@dataclass(frozen=True)
class SheetPage:
    """Everything on a sheet's page."""

    sheet: Sheet
    map: PinMap
    place: str
    scene: pin_map.Scene
    prompt: Prompt | None
    prompts: list[dict[str, str]]
    rows: list[LineRow]
    left: int
    total: int
    mirrored: bool
    way: str
    reference_says: str
    notes: tuple[str, ...]
    lift: list[tuple[str, str, str, bool]]
    off: int
    can_enter: bool


def shown(value: float | None, sheet: Sheet) -> str:
    """A reading as the sheet's meter shows it."""
    return as_shown_by(show(math.inf if value is None else value, sheet.unit), style_of(sheet.meter))


def _where(judged: Judged, pin: str) -> str:
    """Where the probes go."""
    net, named = judged.pins.net(pin), judged.pins.named(pin)
    if judged.sheet.mode == Sheet.Mode.VOLTS:
        return f"Charger plugged in. Volts: black on ground, red on {named}."
    if judged.sheet.mode == Sheet.Mode.OHMS:
        ends = f"one probe at each end, {net.label}" if net.group == "across" else f"black on ground, red on {named}"
        return f"No charger, battery unplugged. Ohms: {ends}."
    if net.group == "across":
        return f"Diode mode: one probe at each end, {net.label}."
    if net.group == "ground":
        return f"Diode mode: red on the board's ground, black on {named}; it should conduct."
    return f"Diode mode: red on ground, black on {named}."


def _expect(judged: Judged, pin: str) -> str:
    net = judged.pins.net(pin)
    if judged.sheet.mode == Sheet.Mode.VOLTS:
        return {"power": "about 5 V", "ground": "0 V"}.get(net.group, "")
    if judged.sheet.mode == Sheet.Mode.OHMS:
        return "under 1 Ω" if net.group in CONTINUITY else ""
    if net.group in CONTINUITY:
        return as_shown_by("0 to 20 mV", style_of(judged.sheet.meter))
    reference = judged.references.by_pin.get(pin)
    words = band_words(usual(net.usual_mv) if reference is None else reference)
    if reference is None:
        words += ", no reference" + (" (or open)" if net.optional else "")
    return as_shown_by(words, style_of(judged.sheet.meter))


def prompt_of(judged: Judged, pin: str) -> Prompt:
    """A pin's prompt."""
    expect = _expect(judged, pin)
    return Prompt(pin, judged.pins.named(pin), _where(judged, pin), f"expect {expect}" if expect else "")


def _row(judged: Judged, pin: str) -> LineRow:
    net, seen = judged.pins.net(pin), judged.readings[pin]
    value, style = shown(seen.mv, judged.sheet), style_of(judged.sheet.meter)
    found: PinVerdict | None = judged.verdicts.get(pin)
    if found is None:
        return LineRow(
            pin=pin,
            name=judged.pins.named(pin),
            group=net.group,
            value=value,
            times=seen.times,
            band=_expect(judged, pin),
            score="",
            twin="",
            says="",
            label="",
            mark="none",
            weak=False,
        )
    verdict = found.verdict
    silent = not math.isfinite(verdict.score) or math.isinf(seen.mv) or net.group in CONTINUITY or not found.counts
    score = "" if silent else f"{figure(verdict.score, 1, sign=True)}"
    return LineRow(
        pin=pin,
        name=judged.pins.named(pin),
        group=GROUP_LABELS[net.group],
        value=value,
        times=seen.times,
        band=_expect(judged, pin),
        score=score,
        twin=as_shown_by(twin_words(found), style),
        says=as_shown_by(line_words(verdict), style),
        label=line_label(verdict) if found.counts else "cannot be told",
        mark=verdict.mark if found.counts else "none",
        weak=verdict.weak,
        drawn=_drawn(found.reference or usual(net.usual_mv), seen.mv, verdict.mark if found.counts else "none")
        if net.group not in CONTINUITY
        else None,
    )


def _drawn(reference: Reference, mv: float, mark: str) -> on_band.Scene | None:
    """A reading on the band of its reference; nothing where good boards read open."""
    return None if reference.expects_open else on_band.draw(reference.band_mv, mv, mark)


def sheet_page(
    judged: Judged, pin: str = "", *, mirrored: bool = False, way: str = "", whole: bool = True
) -> SheetPage:
    """Work a sheet's page out; `pin` is the one asked for, else the first without a reading.

    A fragment is not `whole`: it leaves out the prompts of the other pins, which the page has already.
    """
    sheet, pins = judged.sheet, judged.pins
    now = pin if pin in judged.asked else judged.next_pin()
    rows = [_row(judged, one) for one in judged.asked if one in judged.readings]
    values = {row.pin: row.value.replace("\u00a0mV", "").replace("\u00a0V", "") for row in rows}
    references = judged.references
    if sheet.mode != Sheet.Mode.DIODE:
        says = ""
    elif references.by_pin:
        boards = f"{references.boards} good board{'s' if references.boards != 1 else ''}"
        says = f"Held against {boards} of this model, {references.oldest:%b %Y} to {references.newest:%b %Y}."
    else:
        says = "No known-good readings of this model here: held against twins and the wide usual band, which is weaker."
    lift = []
    if sheet.lifted and sheet.before:
        lift = [
            (pins.named(one), shown(before, sheet), shown(after, sheet), back)
            for one, before, after, back in lift_rows(judged)
        ]
    return SheetPage(
        sheet=sheet,
        map=pins,
        place=place_label(judged.known, sheet.place),
        scene=pin_map.draw(
            pins, values=values, marks={row.pin: row.mark for row in rows}, current=now, mirrored=mirrored, way=way
        ),
        prompt=prompt_of(judged, now) if now else None,
        prompts=[asdict(prompt_of(judged, one)) for one in judged.asked] if whole else [],
        rows=sorted(rows, key=lambda row: row.mark in ("good", "none")),
        left=sum(one not in judged.readings for one in judged.asked),
        total=len(judged.asked),
        mirrored=mirrored,
        way=way,
        reference_says=says,
        notes=references.notes,
        lift=lift,
        off=sum(row.mark in ("off", "open", "short") for row in rows),
        can_enter=bool(rows) and not sheet.good,
    )


@dataclass(frozen=True)
class SheetRow:
    """A sheet in the list."""

    sheet: Sheet
    label: str
    place: str


def sheet_rows(sheets: Any, known: Knowledge) -> list[SheetRow]:
    """Sheets of a list, with their labels."""
    labels: dict[str, str] = {}
    rows = []
    for sheet in sheets:
        if sheet.map_id not in labels:
            found = find_map(sheet.map_id, known)
            labels[sheet.map_id] = found.label if found else sheet.map_id
        rows.append(SheetRow(sheet, labels[sheet.map_id], place_label(known, sheet.place)))
    return rows


@dataclass(frozen=True)
class Pointing:
    """Where sheets and ladder point to, in words."""

    title: str
    says: str
    rows: list[tuple[str, str, str]]
    told: bool
    station: str


def pointing(location: Location | None, belief: Belief | None) -> Pointing | None:
    """Where the lines point to, in words, with the chances that the bench shows: everything else known considered."""
    if location is None or belief is None:
        return None
    known = belief.model.known.worded(belief.model.device.carrier)

    def station(name: str) -> str:
        return known.stations[name].label if name else "nothing"

    rows = [
        (known.faults[name].label, station(known.faults[name].station), percent(chance))
        for name, chance in belief.faults[:5]
    ]
    if location.told and location.station:
        label, _, _ = location.chances[0]
        title = f"The lines point to: {inside(station(location.station))}"
        chance = percent(belief.stations[location.station])
        return Pointing(title, f"{label}; with all that is known here {chance}", rows, True, location.station)
    if location.told:
        return Pointing("Nothing wrong on the lines probed so far", "", rows, True, "")
    return Pointing("Not enough to tell yet", ask_words(location.ask, known), rows, False, "")


def ask_words(key: str, known: Knowledge) -> str:
    """What would tell the leading suspicions apart, in words."""
    if not key:
        return "No other place of the path tells them apart: look at it, or clean it and read again."
    kind, _, name = key.partition(".")
    if kind == "volts":
        return f"Next: volts at the {known.rungs[name].label}, charger plugged in (ladder)."
    if kind == "inside":
        label = next((found.nets[name].label for found in known.points.values() if name in found.nets), name)
        return f"Next: {label}, on the main board."
    return f"Next: the same lines, {known.places[key].label}."


@dataclass(frozen=True)
class HopRow:
    """One hop of a ladder: judged, and in words."""

    hop: HopVerdict
    says: str


@dataclass(frozen=True)
class LadderPage:
    """A ladder, judged and drawn."""

    ladder: Ladder
    scene: staircase.Scene
    hops: list[HopRow]
    contacts: list[tuple[str, str]]


def ladder_page(ladder: Ladder, known: Knowledge) -> LadderPage:
    """A ladder's hops, and resistances from its two currents where there are two."""
    contacts = []
    both = [rung for rung in known.rungs if rung in ladder.volts and rung in ladder.second]
    for start, stop in pairwise(both):
        drops = [(volts[start] - volts[stop]) * 1000 for volts in (ladder.volts, ladder.second)]
        across = f"{known.rungs[start].label} to {known.rungs[stop].label}"
        try:
            ohms, error = contact_resistance(drops, (ladder.amps, ladder.second_amps or 0.0))
            contacts.append((across, f"{ohms * 1000:.0f} ± {error * 1000:.0f} mΩ"))
        except ChargepathError as error:
            contacts.append((across, str(error)))
    hops = [HopRow(hop, hop_words(hop, known)) for hop in adapters.hops_of(ladder, known)]
    return LadderPage(ladder, _ladder_scene(ladder, [row.hop for row in hops], known), hops, contacts)


def _ladder_scene(ladder: Ladder, hops: list[HopVerdict], known: Knowledge) -> staircase.Scene:
    """Volts falling along the conductor, each with where good parts would leave it."""
    before = {hop.stop: hop for hop in hops}
    steps = []
    for rung in known.rungs:
        if rung not in ladder.volts:
            continue
        volts, hop = ladder.volts[rung], before.get(rung)
        allowed = None
        if hop is not None and hop.allowed_mv > 0:
            top = ladder.volts[hop.start]
            allowed = (top - hop.allowed_mv / 1000, top)
        label, mark = known.rungs[rung].label, hop.mark if hop else "none"
        steps.append(staircase.Step(label, volts, f"{figure(volts, 2)}", mark, allowed, hop is not None and hop.guilty))
    guilty = next((hop_words(hop, known) for hop in hops if hop.guilty), "no section drops too much")
    return staircase.draw(f"Volts along the path at {shortest(ladder.amps)} A: {guilty}", steps)


def ladder_again(ladders: list[Ladder]) -> dict[str, Any]:
    """What was measured last, for the form to begin with: one rung can be corrected without typing the rest."""
    if not ladders:
        return {}
    last = ladders[0]
    values = {f"v_{rung}": volts for rung, volts in last.volts.items()}
    values |= {f"w_{rung}": volts for rung, volts in last.second.items()}
    values["amps"] = last.amps
    return values if last.second_amps is None else {**values, "second_amps": last.second_amps}


def judged_draws(draws: Draws, known: Knowledge) -> Sequence[DrawStep]:
    """The steps of a standing draw with the guilty one; none where nothing was unplugged yet."""
    try:
        return judge_draws(known, draws.plugged, draws.measured, good_idle(draws.job.model_name))
    except ChargepathError:
        return ()


def draws_scene(draws: Draws, known: Knowledge) -> staircase.Scene:
    """A standing draw as steps, one thing unplugged after the other."""
    check, judged = known.checks["draw_unplugged"], judged_draws(draws, known)
    steps = [staircase.Step("all plugged", draws.plugged, show(draws.plugged, "A"))]
    for step in judged:
        label = f"no {check.name(step.part).removeprefix('the ').removeprefix('a ')}"
        steps.append(staircase.Step(label, step.amps, show(step.amps, "A"), "off", None, step.guilty))
    blamed = next((check.name(step.part) for step in judged if step.guilty), "")
    says = f"{blamed} takes it" if blamed else "none of these takes it"
    return staircase.draw(f"Leakage current: {says}", steps, from_zero=True)


@dataclass(frozen=True)
class Hunt:
    """A hunt as it stands.

    `part` is what is unplugged next, '' once everything was; `says` sums up; `enter` is on the button that ends it.
    """

    part: str
    part_label: str
    guilty: str
    says: str
    enter: str
    steps: Sequence[tuple[str, str, str]]
    scene: staircase.Scene

    @property
    def can_end(self) -> bool:
        """Whether anything was unplugged."""
        return bool(self.steps)


def hunt_of(draws: Draws, known: Knowledge) -> Hunt:
    """What a hunt has found so far and what is next."""
    check, judged = known.checks["draw_unplugged"], judged_draws(draws, known)
    asked = dict(draws.without)
    part = next((sign for sign in check.signs if sign not in asked), "")
    blamed = next((step for step in judged if step.guilty), None)
    steps = [
        (
            check.name(step.part),
            show(step.amps, "A"),
            f"took {show(step.took_a, 'A')}" if step.took_a > 0 else "no less",
        )
        for step in judged
    ]
    plugged = show(draws.plugged, "A")
    if blamed:
        says = f"{check.name(blamed.part)} takes it: {show(blamed.took_a, 'A')} of {plugged} went with it"
    elif steps:
        says = f"{show(judged[-1].amps, 'A')} of {plugged} still flow: none of these takes it so far"
    else:
        says = f"{plugged} with everything plugged in"
    return Hunt(
        part=part,
        part_label=check.name(part) if part else "",
        guilty=blamed.part if blamed else "",
        says=says[0].upper() + says[1:],
        enter=f"Enter: {check.name(blamed.part)}" if blamed else "Enter: none of these",
        steps=steps,
        scene=draws_scene(draws, known),
    )


@dataclass(frozen=True)
class Allowance:
    """What one hop may drop, and why."""

    across: str
    allowed: str
    why: str


def allowances(known: Knowledge) -> list[Allowance]:
    """Every hop's allowance, for a job without a ladder."""
    return [
        Allowance(
            f"{known.rungs[hop.start].label} to {known.rungs[hop.stop].label}",
            "converts" if hop.converter else f"{hop.ohms * 1000:.0f} mΩ",
            f"{hop.note} ({hop.basis})",
        )
        for hop in known.hops
    ]


@dataclass(frozen=True)
class Attach:
    """The observation that a photo will hang on."""

    pk: int
    said: str


def attach_to(entry: Entry, known: Knowledge) -> Attach:
    """An observation, in words."""
    said = entry_words(entry, None, known)
    return Attach(entry.pk, f"{said.title} {said.text}".strip())
