"""Writing the shop's own steps: each is held to the rules of the plans before it is stored."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from itertools import product
from typing import Any

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import shortest
from chargepath.base.sentences import inside
from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge
from chargepath.repair.ownsteps import beyond, comes_in, lifts, wrong_with
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.actions import new_edition
from rainfront.workshop.adapters import Shop, own_step
from rainfront.workshop.forms import OwnStepForm
from rainfront.workshop.models import ShopStep
from rainfront.workshop.ownphotos import CleanPhoto, photo_out, take_photo_in, take_place_in

MOST = 300
CONNECTOR = "usb_c"
# How a device may be built otherwise than usual, for trying a step out in the plans that it may come into.
BUILDS: tuple[tuple[str, ...], ...] = (
    (),
    ("clip_back", "shields_clipped", "battery_screwed"),
    ("sealed", "hidden_pins", "plastic_near_port", "port_screws_held"),
    ("display_first", "display_glued"),
    (
        "stacked_board",
        "chip_between",
        "board_glued",
        "coil_over_board",
        "parts_by_cell_plug",
        "port_bracket",
        "underfill",
    ),
)
FIELDS = (
    "at", "goes", "do", "check_text", "fails", "minutes", "wait", "settings", "tools", "materials", "cautions",
    "acts", "needs", "makes", "kind", "model_name",
)  # fmt: skip

# Letters of all photos together that go out with the references.
PHOTO_ROOM = 20_000_000
# The photo and the place go on with the step that takes another one's place.
PHOTO_FIELDS = ("photo", "photo_width", "photo_height", "photo_marks", "place_x", "place_y")


def tried_on(known: Knowledge, kind: str) -> Iterator[Device]:
    """The devices that a step is tried out on: of its kind or of all, on every carrier, built in several ways."""
    kinds = [kind] if kind else list(known.kinds)
    for one, carrier, traits in product(kinds, ("sub_board", "flex", "none"), BUILDS):
        yield Device(one, CONNECTOR, carrier, wireless="coil_over_board" in traits, traits=traits)


@needs(Right.TEACH)
@new_edition
def store_step(
    values: Mapping[str, Any], *, before: ShopStep | None = None, user: User, now: datetime, shop: Shop
) -> ShopStep:
    """Store a step of the shop's own, in place of `before` where it is changed.

    Parameters
    ----------
    values : mapping
        Of `FIELDS`.
    before : ShopStep, optional
        The step that this one takes the place of; it is struck out and stays readable.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        There is no such step to hang it on, it tells of an act that is not ticked, or a plan with it would be wrong;
        nothing is stored.

    """
    for name in ("do", "check_text", "fails"):
        refuse_unlock_code(str(values.get(name, "")), name)
    made = _made(values, shop.known, user, now)
    made.replaces = before
    if before is not None:
        struck = _strike(before, "changed", user, now)
        for name in PHOTO_FIELDS:
            setattr(made, name, getattr(struck, name))
    elif ShopStep.objects.standing().count() >= MOST:
        raise ReadingError(f"there are {MOST} steps already", "step", "strike one out first")
    check_step(made, shop)
    made.save()
    return made


def _made(values: Mapping[str, Any], known: Knowledge, user: User, now: datetime) -> ShopStep:
    """A step from its values, not stored; the cautions that go with what it does are on it, ticked or not."""
    made = ShopStep(**{name: values[name] for name in FIELDS if name in values}, by=user, since=now)
    needed = [name for act in made.acts if act in known.procedures.acts for name in known.procedures.acts[act].cautions]
    made.cautions = list(dict.fromkeys((*made.cautions, *needed)))
    return made


def comes_into(made: ShopStep, shop: Shop) -> list[str]:
    """Labels of the repairs whose plans a step comes into."""
    return [shop.known.routes[route].label for route in comes_in(shop.known, made.at, tried_on(shop.known, made.kind))]


def check_step(made: ShopStep, shop: Shop) -> None:
    """Refuse a step that makes a plan wrong, hangs on nothing, or tells of an act that is not ticked.

    Raises
    ------
    ReadingError
        Says in which repair, and by which rule.

    """
    known, step = shop.known, own_step(made)
    told = [act for act in known.procedures.acts_told(f"{step.do} {step.check}") if act not in step.acts]
    if told:
        label = known.procedures.acts[told[0]].label
        raise ReadingError(f"the text says that it {label}", "what it does", "tick that, or say it otherwise")
    others = [own_step(row) for row in ShopStep.objects.standing() if row.pk != made.replaces_id]
    devices = list(tried_on(known, step.kind))
    lifted = lifts(known, step, others, devices)
    if lifted is not None:
        fact, so = lifted
        says = known.procedures.facts[fact][not so]
        right = "leave it to the step that sees to it; an own step takes back only what another own step has made"
        raise ReadingError(f"nobody sees to it that {says}", "after it", right)
    over = beyond(known, step)
    if over is not None:
        kind = known.procedures.settings[over.setting]
        if over.most is None:
            raise ReadingError(f"nothing that is ticked sets {inside(kind.label)}", "what it does", "tick what it does")
        right = f"at most {shortest(over.most)} {kind.unit}, as the steps that ship"
        raise ReadingError(
            f"{kind.label} {shortest(step.settings[over.setting])} {kind.unit} is too much", "setting", right
        )
    if not comes_in(known, step.at, devices):
        raise ReadingError("no plan has the step that it hangs on", "step", "choose one of the list")
    wrong = wrong_with(known, others, step, devices)
    if wrong is not None:
        label, carrier = inside(known.routes[wrong.route].label), wrong.device.carrier.replace("_", "-")
        where = f"{wrong.device.kind}, port on {'its main board' if carrier == 'none' else f'a {carrier}'}"
        raise ReadingError(f"to {label} ({where}) it would be wrong: {wrong.flaw.says}", "step", "hang it elsewhere")


def steps_out() -> list[dict[str, Any]]:
    """The steps that hold now, as another shop can take them in, their photos with them as far as there is room."""
    out, room = [], PHOTO_ROOM
    for row in ShopStep.objects.standing():
        found = {name: getattr(row, name) for name in FIELDS}
        if row.place_x is not None:
            found["place"] = [row.place_x, row.place_y]
        photo = photo_out(row) if row.photo else ""
        if photo and len(photo) <= room:
            found |= {"photo": photo, "photo_marks": row.photo_marks}
            room -= len(photo)
        out.append(found)
    return out


@needs(Right.TEACH)
@new_edition
def take_steps_in(
    rows: Sequence[Mapping[str, Any]],
    photos: Mapping[int, CleanPhoto | ReadingError] | None = None,
    *,
    user: User,
    now: datetime,
    shop: Shop,
) -> tuple[int, list[str]]:
    """Take in steps of another shop; how many are new, and why each of the others was left out.

    One that is here already word by word is passed over. One that hangs on a step which this version does not have
    is taken in, and stands among those that somebody has to hang elsewhere. `photos` are theirs as `photos_in` reads
    them before the transaction.
    """
    new, left = 0, []
    there = [{name: getattr(row, name) for name in FIELDS} for row in ShopStep.objects.standing()]
    work = shop.known.procedures
    known = {step.id for step in work.steps()}
    for place, raw in enumerate(rows[:MOST]):
        values = {name: raw[name] for name in FIELDS if name in raw}
        values["at"] = work.renamed.get(str(raw.get("at", "")), raw.get("at", ""))
        form = OwnStepForm(shop.known, _as_typed(values))
        at = str(values.get("at", ""))[:40]
        if at not in known:
            form.fields["at"].choices = [(at, at)]  # type: ignore[attr-defined]
        if not form.is_valid():
            left.append(f"{str(values.get('do', ''))[:60]}: {'; '.join(text for _, text in _said(form))}")
            continue
        made = _made(form.cleaned_data, shop.known, user, now)
        if {name: getattr(made, name) for name in FIELDS} in there:
            continue
        try:
            if at in known:
                check_step(made, shop)
        except ReadingError as error:
            left.append(f"{made.do[:60]}: {error}")
            continue
        made.save()
        new += 1
        try:
            take_place_in(made, raw.get("place"), user=user, now=now, shop=shop)
            take_photo_in(made, (photos or {}).get(place), raw.get("photo_marks"), user=user, now=now, shop=shop)
        except ReadingError as error:
            left.append(f"{made.do[:60]}: its photo or place: {error}")
    return new, left


def _as_typed(values: Mapping[str, Any]) -> dict[str, Any]:
    """The values of a step as the form takes them."""
    found = {name: value for name, value in values.items() if name not in ("settings", "needs", "makes")}
    for facts in ("needs", "makes"):
        told = values.get(facts)
        found |= {f"{facts}_{number}": fact for number, fact in enumerate(told if isinstance(told, list) else ())}
    settings = values.get("settings")
    for number, (name, value) in enumerate(settings.items() if isinstance(settings, Mapping) else ()):
        found |= {f"setting_{number}": name, f"value_{number}": str(value)}
    return found | {name: str(found[name]) for name in ("minutes", "wait") if name in found}


def _said(form: OwnStepForm) -> Iterator[tuple[str, str]]:
    for field, errors in form.errors.items():
        yield from ((field, str(text)) for text in errors)


@needs(Right.TEACH)
@new_edition
def strike_step(step: ShopStep, why: str, *, user: User, now: datetime) -> ShopStep:
    """Strike a step of the shop's own out; plans that were begun keep it.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        It is struck out already, or nobody says why.

    """
    if not why.strip():
        raise ReadingError("nobody says why", "why", "in a few words: the list keeps it")
    return _strike(step, why.strip(), user, now)


def _strike(step: ShopStep, why: str, user: User, now: datetime) -> ShopStep:
    found: ShopStep = ShopStep.objects.select_for_update().get(pk=step.pk)
    if found.struck_at is not None:
        raise ReadingError("this step was changed or struck out meanwhile", "step", "look at the list again")
    found.struck_at, found.struck_by, found.struck_why = now, user, why[:200]
    found.save(update_fields=["struck_at", "struck_by", "struck_why"])
    return found


def misfits(shop: Shop) -> Iterable[ShopStep]:
    """Steps that hang on a shipped step which this version does not have any more: the lead has to see to them."""
    there = {step.id for step in shop.known.procedures.steps()}
    return [row for row in ShopStep.objects.standing() if row.at not in there]
