"""Profiles of the shop's instruments: those that ship, and its own, made of lines that came in."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from chargepath.base.errors import ReadingError
from chargepath.instrument.profile import DATA, InstrumentProfile, read_profile, shipped_profiles
from chargepath.instrument.template import FIELD, LineTemplate, propose
from rainfront.instruments.models import OwnProfile

JSON_LINES, OWN = "json_lines", "own-"
# What a field of a template stands for: the quantity, and the unit of the number.
FIELDS: Mapping[str, tuple[str, str]] = {
    "volts": ("volts", "V"),
    "millivolts": ("volts", "mV"),
    "amps": ("amps", "A"),
    "milliamps": ("amps", "mA"),
    "ohms": ("ohms", "ohm"),
    "celsius": ("celsius", "°C"),
    "mbar": ("mbar", "mbar"),
    "seconds": ("seconds", "s"),
}
# What a charger, a device and a bench can do: anything else on a line is no reading.
LIMITS: Mapping[str, tuple[float, float]] = {
    "volts": (-1, 60),
    "amps": (-1, 20),
    "ohms": (0, 1e9),
    "celsius": (-50, 800),
    "mbar": (-2000, 2000),
    "seconds": (0, 1e9),
}


def profile_called(name: str) -> InstrumentProfile:
    """A profile by its id; our own JSON lines where there is none of that name any more."""
    number = name.removeprefix(OWN)
    if name.startswith(OWN) and number.isdecimal() and len(number) < 10:
        row = OwnProfile.objects.filter(pk=int(number)).first()
        if row is not None:
            return read_profile(row.text, name)
    return shipped_profiles().get(name, shipped_profiles()[JSON_LINES])


def text_of(name: str) -> str:
    """A profile as the text of its file; '' where there is none of that name."""
    if name in shipped_profiles():
        return (DATA / f"{name}.toml").read_text(encoding="utf-8")
    number = name.removeprefix(OWN)
    if not name.startswith(OWN) or not number.isdecimal() or len(number) > 9:
        return ""
    row = OwnProfile.objects.filter(pk=int(number)).first()
    return row.text if row is not None else ""


def all_profiles() -> list[tuple[str, str]]:
    """Every profile, by id and name: those that ship, then the shop's own."""
    shipped = [(name, row.name) for name, row in shipped_profiles().items()]
    return [*shipped, *((f"{OWN}{row.pk}", row.name) for row in OwnProfile.objects.all())]


def is_power_meter(profile: InstrumentProfile) -> bool:
    """Whether a profile is one of a meter between charger and device: it says volts and amps by itself."""
    return profile.acquire.way == "stream" and {"volts", "amps"} <= set(profile.measured)


@dataclass(frozen=True)
class HeardLine:
    """A line that came in: its pieces with the field that each was read as, '' for text; whether it fits."""

    pieces: Sequence[tuple[str, str]]
    fits: bool


def proposed_template(lines: Sequence[str]) -> str:
    """The template that lines look like; a number of which nobody knows what it is, is passed over."""
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


def profile_text(name: str, template: str) -> str:
    """A profile of an instrument that speaks by itself, as a file of it would be written."""
    lines = [
        f"name = {json.dumps(name.strip(), ensure_ascii=False)}",
        'about = "Made from lines that came in."',
        "[connection]",
        'ways = ["tcp", "serial"]',
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
