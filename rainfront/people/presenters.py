"""What the pages of people show."""

from __future__ import annotations

from base64 import b32encode
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django_otp.plugins.otp_totp.models import TOTPDevice

from rainfront.people.models import PersonChange, User
from rainfront.people.rights import HOLDERS, Right

SHOWN_CHANGES = 20


@dataclass(frozen=True)
class PersonRow:
    """Somebody, in the list."""

    person: User
    codes: bool
    state: str
    seen: datetime | None


def people_rows() -> list[PersonRow]:
    """Everybody, who can sign in first."""
    with_codes = set(TOTPDevice.objects.filter(confirmed=True).values_list("user_id", flat=True))
    rows = []
    for person in User.objects.order_by("-is_active", "username"):
        state = "" if person.is_active else "switched off"
        if person.is_active and not person.has_usable_password():
            state = "has not set a password yet"
        rows.append(PersonRow(person, person.pk in with_codes, state, person.last_login))
    return rows


def workshop_changes() -> list[PersonChange]:
    """What was changed about the workshop, the newest first."""
    return list(PersonChange.objects.filter(person__isnull=True).select_related("by")[:SHOWN_CHANGES])


def rights_table() -> dict[str, Any]:
    """The one table of who may do what: roles across, rights down."""
    roles = list(User.Role)
    rows = [(right.value, [role in HOLDERS[right] for role in roles]) for right in Right]
    return {"roles": [role.label for role in roles], "rows": rows}


def spaced_key(device: TOTPDevice) -> str:
    """The key in letters and digits, in groups of four, for who types it."""
    text = b32encode(device.bin_key).decode().rstrip("=")
    return " ".join(text[at : at + 4] for at in range(0, len(text), 4))
