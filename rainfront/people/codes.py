"""Time codes as a second step of signing in, for who wants them (time-based one-time passwords, RFC 6238)."""

from __future__ import annotations

from datetime import datetime

import segno
from django.db import transaction
from django_otp import devices_for_user
from django_otp.plugins.otp_static.models import StaticDevice, StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice

from rainfront.people.actions import PeopleError, note_codes
from rainfront.people.models import User

SPARE_CODES = 8


def uses_codes(person: User) -> bool:
    """Whether signing in asks for a code."""
    return any(True for _ in devices_for_user(person))


def prepared(person: User) -> TOTPDevice:
    """The key that is shown until a code proves that the app has it; kept until then."""
    found: TOTPDevice | None = TOTPDevice.objects.filter(user=person, confirmed=False).first()
    return found or TOTPDevice.objects.create(user=person, name="app", confirmed=False)


def picture_of(device: TOTPDevice) -> str:
    """The key as a QR code, SVG."""
    return str(segno.make(device.config_url, error="m").svg_inline(scale=4, border=3, light="#fff", dark="#000"))


@transaction.atomic
def switch_on(person: User, code: str, *, now: datetime) -> list[str]:
    """Use time codes from now on; returns the spare codes, which are shown once.

    Raises
    ------
    PeopleError
        The code is not the one that the app should show.

    """
    device = prepared(person)
    digits = code.replace(" ", "")
    if not digits.isdecimal() or not device.verify_token(digits):
        raise PeopleError("that is not what the app should show now", "code", "the newest six digits")
    device.confirmed = True
    device.save()
    StaticDevice.objects.filter(user=person).delete()
    spare = StaticDevice.objects.create(user=person, name="spare codes")
    codes = [StaticToken.random_token() for _ in range(SPARE_CODES)]
    StaticToken.objects.bulk_create(StaticToken(device=spare, token=token) for token in codes)
    note_codes(person, True, now=now)
    return codes


@transaction.atomic
def switch_off(person: User, *, now: datetime) -> None:
    """Sign in by password alone again."""
    for device in devices_for_user(person, confirmed=None):
        device.delete()
    note_codes(person, False, now=now)
