"""Where the instruments of the bench are and what they speak."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from secrets import token_urlsafe
from typing import Any

from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.instrument.profile import read_profile
from chargepath.instrument.template import FITS, OF, LineTemplate, fits
from rainfront.instruments.models import BenchInstrument, OwnProfile
from rainfront.instruments.profiles import FIELDS, OWN, profile_text
from rainfront.people.models import User
from rainfront.people.rights import Right, needs


@needs(Right.KEEP)
@transaction.atomic
def set_supply(form: Any, *, user: User) -> None:
    """Store where the supply is, from a valid form."""
    form.save()


@needs(Right.KEEP)
@transaction.atomic
def store_instrument(form: Any, *, user: User) -> BenchInstrument:
    """Store an instrument of the bench from a valid form; one behind a bridge gets its secret."""
    made: BenchInstrument = form.save()
    if made.way == BenchInstrument.Way.BRIDGE and not made.secret:
        made.secret = token_urlsafe(24)
        made.save(update_fields=["secret"])
    return made


@needs(Right.KEEP)
@transaction.atomic
def remove_instrument(instrument: BenchInstrument, *, user: User) -> None:
    """Take an instrument off the bench. What was read by it says so in words, and stays."""
    BenchInstrument.objects.filter(pk=instrument.pk).delete()


@needs(Right.MEASURE)
@transaction.atomic
def calibrate(instrument: BenchInstrument, who: str, on: date, *, user: User) -> None:
    """Note who calibrated an instrument and when.

    Raises
    ------
    ReadingError
        Nobody is named.

    """
    if not who.strip():
        raise ReadingError("nobody is named", "who", "the laboratory or the person who calibrated it")
    BenchInstrument.objects.filter(pk=instrument.pk).update(calibrated_by=who.strip()[:60], calibrated_on=on)


@needs(Right.KEEP)
@transaction.atomic
def bring_profile_in(raw: bytes, *, user: User, now: datetime) -> OwnProfile:
    """Store a profile from its file.

    Raises
    ------
    ProfileError, ReadingError
        It is no profile, or none that this program reads.

    """
    try:
        text = raw.decode("utf-8")
    except UnicodeDecodeError as error:
        raise ReadingError("it is no text", "file", "a profile as TOML, in UTF-8") from error
    made = read_profile(text)
    row: OwnProfile = OwnProfile.objects.create(name=made.name[:60], text=text, by=user, at=now)
    return row


@needs(Right.KEEP)
@transaction.atomic
def store_profile(
    name: str,
    template: str,
    lines: Sequence[str],
    *,
    user: User,
    now: datetime,
    instrument: BenchInstrument,
) -> OwnProfile:
    """Store a profile of the shop's own, made of lines that came in, and use it.

    Parameters
    ----------
    instrument : BenchInstrument
        What it describes.

    Raises
    ------
    NotAllowed
        Who asks may not say where instruments are.
    ReadingError, ProfileError
        The template cannot be, lacks what is needed, or too few of the lines that came in are as it says.

    """
    made = LineTemplate(template)
    known = {FIELDS[field][0] for field in made.fields if field in FIELDS}
    unknown = [field for field in made.fields if field not in FIELDS]
    if unknown:
        raise ReadingError(f"nobody knows what {unknown[0]} is", "template", f"{{_}}, or one of {', '.join(FIELDS)}")
    if not known - {"seconds"}:
        raise ReadingError("it measures nothing", "template", f"one of {', '.join(FIELDS)}")
    if not fits(made, lines):
        right = f"{FITS} of the last {OF} lines"
        raise ReadingError("too few of the lines that came in are as it says", "template", right)
    text = profile_text(name, template)
    read_profile(text)
    row: OwnProfile = OwnProfile.objects.create(name=name.strip(), text=text, by=user, at=now)
    BenchInstrument.objects.filter(pk=instrument.pk).update(profile=f"{OWN}{row.pk}", used=True)
    return row
