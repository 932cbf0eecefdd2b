"""Every write to people: check, atomic, history. A password is only ever set by the person it belongs to."""

from __future__ import annotations

import re
from datetime import datetime

from django.contrib.auth.tokens import default_token_generator
from django.db import transaction
from django.urls import reverse
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_encode
from django_otp import devices_for_user

from chargepath.base.errors import ChargepathError
from chargepath.base.sentences import inside
from rainfront.people.models import PersonChange, User, Workshop
from rainfront.people.rights import Right, needs

# Stands in what is noted of a person for whom a one-time link was made.
LINK_MADE = "one-time link"
NAME = re.compile(r"[a-z0-9][a-z0-9._-]{1,29}")


class PeopleError(ChargepathError):
    """That cannot be done to this person."""


def link_for(person: User) -> str:
    """The path at which a person sets the first, or a new, password: for one use, and for a day."""
    uid = urlsafe_base64_encode(force_bytes(person.pk))
    return reverse("people:begin", args=[uid, default_token_generator.make_token(person)])


def _note(person: User, text: str, by: User | None, now: datetime) -> None:
    PersonChange.objects.create(person=person, text=text, by=by, at=now)


def _require_name(username: str) -> str:
    name = username.strip().lower()
    if not NAME.fullmatch(name):
        right = "2 to 30 of a-z, 0-9, point, dash and underscore, beginning with a letter or digit"
        raise PeopleError(f"'{username}' is no name to sign in with", "name", right)
    return name


@transaction.atomic
def make_owner(username: str, *, now: datetime) -> tuple[User, str]:
    """The first owner, or an owner again where nobody can sign in: for who holds the machine, from its command line.

    Returns
    -------
    the person, and the one-time path

    Raises
    ------
    PeopleError
        The name cannot be signed in with.

    """
    name = _require_name(username)
    person = User.objects.filter(username=name).first() or User(username=name, initials=name[:2].upper())
    person.role, person.is_active = User.Role.OWNER, True
    person.set_unusable_password()
    person.save()
    for device in devices_for_user(person, confirmed=None):
        device.delete()
    _note(person, f"made an owner from the command line, with a {LINK_MADE}", None, now)
    return person, link_for(person)


@needs(Right.PEOPLE)
@transaction.atomic
def add_person(username: str, initials: str, role: str, *, user: User, now: datetime) -> tuple[User, str]:
    """Somebody new, who sets a password at the one-time path.

    Raises
    ------
    PeopleError
        The name is taken or cannot be signed in with.

    """
    name = _require_name(username)
    if User.objects.filter(username=name).exists():
        raise PeopleError(f"'{name}' is taken", "name", "another one")
    person = User(username=name, initials=initials.strip()[:6], role=User.Role(role))
    person.set_unusable_password()
    person.save()
    _note(person, f"added as {inside(person.get_role_display())}", user, now)
    return person, link_for(person)


def _require_another_owner(person: User) -> None:
    others = User.objects.filter(role=User.Role.OWNER, is_active=True).exclude(pk=person.pk)
    if not others.exists():
        raise PeopleError("nobody else is an owner", "person", "make somebody else an owner first")


@needs(Right.PEOPLE)
@transaction.atomic
def change_person(person: User, initials: str, role: str, active: bool, *, user: User, now: datetime) -> User:
    """Change initials and role, switch off or on again. Who is switched off is signed out at the next request.

    Raises
    ------
    PeopleError
        It would leave the shop without an owner.

    """
    person = User.objects.get(pk=person.pk)
    was_owner = person.role == User.Role.OWNER and person.is_active
    if was_owner and not (active and role == User.Role.OWNER):
        _require_another_owner(person)
    said = []
    if initials.strip()[:6] != person.initials:
        said.append(f"initials {person.initials or 'none'} -> {initials.strip()[:6] or 'none'}")
        person.initials = initials.strip()[:6]
    if role != person.role:
        said.append(f"{inside(person.get_role_display())} -> {inside(User.Role(role).label)}")
        person.role = User.Role(role)
    if active != person.is_active:
        said.append("switched on again" if active else "switched off")
        person.is_active = active
    if said:
        person.save(update_fields=["initials", "role", "is_active"])
        _note(person, ", ".join(said), user, now)
    return person


@needs(Right.PEOPLE)
@transaction.atomic
def reset_person(person: User, *, user: User, now: datetime) -> str:
    """Take the password and the time codes away and make a one-time path; who is signed in is signed out by it.

    Raises
    ------
    PeopleError
        It would lock the last owner out.

    """
    if person.pk == user.pk:
        raise PeopleError("that is you", "person", "change your own password under Settings")
    person.set_unusable_password()
    person.save(update_fields=["password"])
    for device in devices_for_user(person, confirmed=None):
        device.delete()
    _note(person, f"password and time codes taken away, {LINK_MADE} made", user, now)
    return link_for(person)


def note_password(person: User, *, now: datetime) -> None:
    """A person has set a password."""
    _note(person, "set a password", person, now)


def note_codes(person: User, on: bool, *, now: datetime) -> None:
    """A person has switched time codes on or off."""
    _note(person, "time codes switched on" if on else "time codes switched off", person, now)


def note_workshop(workshop: Workshop, *, user: User, now: datetime) -> None:
    """Note what is about to be changed about the workshop; called before it is saved."""
    before, said = Workshop.current(), []
    for field in Workshop._meta.fields:
        was, will = getattr(before, field.name), getattr(workshop, field.name)
        if was != will:
            said.append(f"{field.verbose_name}: {was or 'nothing'} -> {will or 'nothing'}")
    if said:
        PersonChange.objects.create(text="; ".join(said)[:300], by=user, at=now)


@needs(Right.KEEP)
@transaction.atomic
def store_keeping(workshop: Workshop, *, user: User, now: datetime) -> None:
    """Store what only the owner sets, from a valid form."""
    note_workshop(workshop, user=user, now=now)
    wanted = {name: getattr(workshop, name) for name in ("idle_minutes", "keep_months", "meter_networks")}
    Workshop.objects.update_or_create(pk=workshop.pk, defaults=wanted)
