"""Profiles of the shop's instruments: those that ship, and its own, made of lines that came in."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.instrument.profile import InstrumentProfile, read_profile, shipped_profiles
from chargepath.instrument.template import FIELD, FITS, OF, LineTemplate, fits, propose
from chargepath.trace.protocol import parse_sample
from rainfront.instruments.models import Meter, OwnProfile
from rainfront.people.models import User
from rainfront.people.rights import Right, needs

JSON_LINES, OWN = "json_lines", "own-"
# What a field of a template stands for: the quantity, and the unit of the number.
FIELDS: Mapping[str, tuple[str, str]] = {
    "volts": ("volts", "V"),
    "millivolts": ("volts", "mV"),
    "amps": ("amps", "A"),
    "milliamps": ("amps", "mA"),
    "seconds": ("seconds", "s"),
}
# What a charger and a device can do: anything else on a line is no reading.
LIMITS: Mapping[str, tuple[float, float]] = {"volts": (-1, 60), "amps": (-1, 20), "seconds": (0, 1e9)}
Sample = tuple[float, float, float]


def profile_called(name: str) -> InstrumentProfile:
    """A profile by its id; our own JSON lines where there is none of that name any more."""
    number = name.removeprefix(OWN)
    if name.startswith(OWN) and number.isdecimal() and len(number) < 10:
        row = OwnProfile.objects.filter(pk=int(number)).first()
        if row is not None:
            return read_profile(row.text, name)
    return shipped_profiles().get(name, shipped_profiles()[JSON_LINES])


def power_profiles() -> list[tuple[str, str]]:
    """Profiles of meters between charger and device, by id and name: those that speak volts and amps by themselves."""
    shipped = [
        (name, row.name)
        for name, row in shipped_profiles().items()
        if row.acquire.way == "stream" and {"volts", "amps"} <= set(row.measured)
    ]
    return [*shipped, *((f"{OWN}{row.pk}", row.name) for row in OwnProfile.objects.all())]


def sampler(profile: InstrumentProfile) -> Callable[[str, float], Sample | None]:
    """What makes a sample of a line that came in so many seconds after the first; None for a line that is none.

    Volts and amps stand in one line: two lines would be two moments.
    """
    if profile.id == JSON_LINES:
        return lambda line, _: parse_sample(line)

    def sample(line: str, seconds: float) -> Sample | None:
        found = profile.read(line)
        values = found.get("seconds", seconds), found.get("volts", float("inf")), found.get("amps", float("inf"))
        return values if all(abs(value) < float("inf") for value in values) else None

    return sample


@dataclass(frozen=True)
class HeardLine:
    """A line that came in: its pieces with the field that each was read as, '' for text; whether it fits."""

    pieces: Sequence[tuple[str, str]]
    fits: bool


def proposed_template(lines: Sequence[str]) -> str:
    """The template that lines look like; a number that is neither volts, amps nor seconds is passed over."""
    return FIELD.sub(lambda found: found[0] if found[1] in FIELDS else "{_}", propose(lines))


def heard_lines(lines: Sequence[str], template: str) -> list[HeardLine]:
    """Lines with what a template reads in them."""
    try:
        found = LineTemplate(template)
    except ReadingError:
        return [HeardLine([(line, "")], fits=False) for line in lines]
    out = []
    for line in lines:
        spans, at, pieces = found.spans(line), 0, list[tuple[str, str]]()
        for name, _, start, end in spans or ():
            pieces += [(line[at:start], ""), (line[start:end], name)]
            at = end
        out.append(HeardLine([*pieces, (line[at:], "")], fits=spans is not None))
    return out


@needs(Right.KEEP)
def store_profile(name: str, template: str, lines: Sequence[str], *, user: User, now: datetime) -> OwnProfile:
    """Store a profile of the shop's own for the meter on the bench, and use it.

    Raises
    ------
    NotAllowed
        Who asks may not say where instruments are.
    ReadingError, ProfileError
        The template cannot be, lacks volts or amps, or too few of the lines that came in are as it says.

    """
    made = LineTemplate(template)
    known = {FIELDS[field][0]: FIELDS[field][1] for field in made.fields if field in FIELDS}
    unknown = [field for field in made.fields if field not in FIELDS]
    if unknown:
        raise ReadingError(f"nobody knows what {unknown[0]} is", "template", f"{{_}}, or one of {', '.join(FIELDS)}")
    if not {"volts", "amps"} <= set(known):
        raise ReadingError("it has no volts or no amps", "template", "both, in one line")
    if not fits(made, lines):
        right = f"{FITS} of the last {OF} lines"
        raise ReadingError("too few of the lines that came in are as it says", "template", right)
    text = profile_text(name, template)
    read_profile(text)
    with transaction.atomic():
        row: OwnProfile = OwnProfile.objects.create(name=name.strip(), text=text, by=user, at=now)
        meter = Meter.current()
        meter.profile = f"{OWN}{row.pk}"
        meter.save()
    return row


def profile_text(name: str, template: str) -> str:
    """A profile of a power meter that speaks by itself, as a file of it would be written."""
    lines = [
        f"name = {json.dumps(name.strip(), ensure_ascii=False)}",
        'about = "Made from lines that came in."',
        "[connection]",
        'ways = ["tcp"]',
        "[acquire]",
        'way = "stream"',
    ]
    for field in LineTemplate(template).fields:
        quantity, unit = FIELDS[field]
        low, high = LIMITS[quantity]
        written = template.replace(f"{{{field}}}", f"{{{quantity}}}") if field != quantity else template
        factor = 1000 if unit.startswith("m") else 1
        lines += [
            f"[quantity.{quantity}]",
            f'unit = "{unit}"',
            f"line = {json.dumps(_only(written, quantity), ensure_ascii=False)}",
            f"low = {low * factor:g}",
            f"high = {high * factor:.0f}",
        ]
    return "\n".join([*lines, ""])


def _only(template: str, quantity: str) -> str:
    """A template that reads one quantity and skips the others as numbers of their own."""
    other = iter(f"{{x{number}}}" for number in range(40))
    for field in LineTemplate(template).fields:
        if field != quantity:
            template = template.replace(f"{{{field}}}", next(other))
    return template
