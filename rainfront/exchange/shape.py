"""What a shop's archive holds, and how a value is written in it (docs/shop-archive.md)."""

from __future__ import annotations

import base64
import math
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from django.apps import apps
from django.conf import settings
from django.core.exceptions import ValidationError
from django.db import models

from chargepath.base.errors import ChargepathError

APPS = (
    "people",
    "workshop",
    "stock",
    "jobs",
    "work",
    "learning",
    "proof",
    "reference",
    "instruments",
    "inside",
    "heat",
    "cell",
    "counter",
    "logbook",
    "insights",
)
# Made from the rest, and made anew where the archive is read; or of no use to anybody else.
LEFT_OUT = frozenset(
    {
        "logbook.page",
        "logbook.fact",
        "logbook.measured",
        "instruments.draft",
        "insights.reckoned",
        "insights.turn",
    }
)
# Nobody's password leaves the installation, nor what is still to be done in it.
FIELDS_LEFT_OUT = frozenset(
    {
        ("people.user", "password"),
        ("people.user", "last_login"),
        ("people.user", "groups"),
        ("people.user", "user_permissions"),
        ("jobs.job", "day_due"),
        ("jobs.job", "log_due"),
    }
)
# Apps, tables and fields that an archive of an earlier version names otherwise: today's name, and the earlier one.
EARLIER_APPS = {"workshop": "practice"}
EARLIER_TABLES = {
    f"{app}.{table}": f"jobs.{table}"
    for app, tables in {
        "work": ("steprun", "timer", "screw"),
        "proof": ("proof", "sealtest", "chamber"),
        "learning": ("taught", "counted", "counting"),
    }.items()
    for table in tables
}
EARLIER_FIELDS = {("jobs.job", "example_due"): "lesson_due"}


# Where a moment of an archive is put.
Moved = Callable[[datetime], datetime]


class ArchiveError(ChargepathError):
    """A shop's archive cannot be read, or not here."""


def name_of(model: type[models.Model]) -> str:
    """Names a table, as in ``jobs.entry``."""
    return str(model._meta.label_lower)


def tables() -> list[type[models.Model]]:
    """Every table of an archive, each after those that it points to as far as it can be."""
    found = [model for model in apps.get_models() if model._meta.app_label in APPS and name_of(model) not in LEFT_OUT]
    return sorted(found, key=lambda model: (APPS.index(model._meta.app_label), name_of(model)))


def earlier_name(name: str) -> str:
    """What archives of earlier versions call a table; its own name where they call it the same."""
    app, _, table = name.partition(".")
    return EARLIER_TABLES.get(name, f"{EARLIER_APPS.get(app, app)}.{table}")


def earlier_fields(name: str) -> dict[str, str]:
    """Fields of a table by what archives of earlier versions call them, for those that have another name today."""
    return {before: field for (table, field), before in EARLIER_FIELDS.items() if table == name}


def fields_of(model: type[models.Model]) -> list[Any]:
    """The fields of a table that are written."""
    return [field for field in model._meta.concrete_fields if (name_of(model), field.name) not in FIELDS_LEFT_OUT]


def written(field: Any, value: Any) -> Any:
    """A value as it stands in an archive."""
    if value is None or isinstance(value, bool | int | float | str):
        return value
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat().replace("+00:00", "Z")
    if isinstance(value, date | UUID | Decimal):
        return str(value)
    if isinstance(value, bytes | memoryview):
        return base64.b64encode(bytes(value)).decode()
    if isinstance(value, models.fields.files.FieldFile):
        return value.name or ""
    return value


def reader_of(field: Any, moved: Moved) -> Callable[[Any], Any]:
    """What reads a field's values out of an archive, each moment put where it is `moved` to.

    It raises an `ArchiveError` for a value that does not fit the field.
    """
    kind = field.target_field if isinstance(field, models.ForeignKey) else field
    where, right = f"{name_of(field.model)}.{field.name}", "an archive as this program writes it"
    take, timed = _taker(kind), isinstance(kind, models.DateField)

    def read(value: Any) -> Any:
        if value is None:
            if not field.null:
                raise ArchiveError("a value is missing", where, right)
            return None
        try:
            found = take(value)
            _fits(kind, found)
        except (ValidationError, ValueError, TypeError, OverflowError, ArithmeticError) as error:
            raise ArchiveError(f"'{str(value)[:60]}' does not fit", where, right) from error
        return _put(found, moved) if timed else found

    return read


# Years in which there can be something of a shop; a moment is moved and shown in the shop's own time.
YEARS = range(1990, 2200)


def _fits(field: Any, value: Any) -> None:
    """Hold a value against the field's own validators and choices, and against what a page can show.

    Raises
    ------
    ValidationError
        It does not fit.

    """
    if field.choices and value not in field.empty_values and value not in dict(field.flatchoices):
        raise ValidationError("no such choice")
    if isinstance(field, models.JSONField):
        wanted = type(field.get_default()) if field.has_default() else None
        if wanted is not None and not isinstance(value, wanted):
            raise ValidationError("another kind of value")
        _finite(value, 0)
    elif isinstance(value, float) and not math.isfinite(value):
        raise ValidationError("no finite number")
    elif isinstance(value, date) and value.year not in YEARS:
        raise ValidationError("no year of a shop")
    if isinstance(value, str):
        _plain(value)
    if value not in field.empty_values:
        field.run_validators(value)


def _finite(value: Any, depth: int) -> None:
    """See that a structure is not deeper, and its numbers are not larger, than the program's own ever are."""
    if isinstance(value, str):
        _plain(value)
    if depth > 8 or (isinstance(value, int | float) and not abs(value) < 1e15):
        raise ValidationError("too deep, or no number")
    inside = [*value, *value.values()] if isinstance(value, dict) else value if isinstance(value, list) else ()
    for one in inside:
        _finite(one, depth + 1)


def _plain(text: str) -> None:
    """See that a text is one: no null, and nothing that is half of a character."""
    if "\x00" in text or (not text.isprintable() and any("\ud800" <= letter <= "\udfff" for letter in text)):
        raise ValidationError("a character that is none")


def _taker(kind: Any) -> Callable[[Any], Any]:
    """From JSON to a value of the field."""
    if isinstance(kind, models.JSONField):
        return lambda value: value
    if isinstance(kind, models.BinaryField):
        return lambda value: base64.b64decode(value, validate=True)
    taken: Callable[[Any], Any] = kind.to_python
    return taken


def _put(found: Any, moved: Moved) -> Any:
    """A moment or a day where it is moved to."""
    if isinstance(found, datetime):
        return moved(found)
    return moved(datetime(found.year, found.month, found.day, 12, tzinfo=UTC)).date() if found else found


def described() -> dict[str, dict[str, str]]:
    """Every table with its fields in words, as the archive itself explains them."""
    return {
        name_of(model): {
            field.attname: f"{field.get_internal_type()}: {field.verbose_name}" for field in fields_of(model)
        }
        for model in tables()
    }


def file_fields(model: type[models.Model]) -> list[Any]:
    """The fields of a table that name a file."""
    return [field for field in fields_of(model) if isinstance(field, models.FileField)]


def people_fields() -> Iterator[tuple[type[models.Model], Any]]:
    """Every field of the installation that names a person, with its table."""
    for model in apps.get_models():
        for field in model._meta.concrete_fields:
            if isinstance(field, models.ForeignKey) and field.related_model is apps.get_model(settings.AUTH_USER_MODEL):
                yield model, field
