"""A value of a shop's archive: how it is written, how it is read, and its JSON Schema.

Each field has one form in JSON (`form_of`). The schema in docs/shop-archive.schema.json gives it, and reading refuses
a value of another one; the field's own validators and choices follow.
"""

from __future__ import annotations

import base64
import math
from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from django.core import validators
from django.core.exceptions import ValidationError
from django.db import models

from rainfront.exchange.shape import ArchiveError, name_of

# Where a moment of an archive is put.
Moved = Callable[[datetime], datetime]


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


# Texts that JSON Schema knows by a name, by what the field holds.
FORMATS: tuple[tuple[type[Any], Mapping[str, str]], ...] = (
    (models.DateTimeField, {"format": "date-time"}),
    (models.DateField, {"format": "date"}),
    (models.UUIDField, {"format": "uuid"}),
    (models.DecimalField, {"pattern": r"^-?[0-9]+(\.[0-9]+)?$"}),
    (models.BinaryField, {"contentEncoding": "base64"}),
)


def form_of(field: Any) -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of a field's values: type, limits, length and choices; without `null`."""
    kind = field.target_field if isinstance(field, models.ForeignKey) else field
    if isinstance(kind, models.BooleanField):
        return {"type": "boolean"}
    if isinstance(kind, models.JSONField):
        default = kind.get_default() if kind.has_default() else None
        return {"type": "object" if isinstance(default, dict) else "array"} if isinstance(default, dict | list) else {}
    if isinstance(kind, models.IntegerField | models.FloatField):
        return {"type": "integer" if isinstance(kind, models.IntegerField) else "number", **_limits(kind)}
    form: dict[str, Any] = {"type": "string"}
    for known, more in FORMATS:
        if isinstance(kind, known):
            return {**form, **more}
    if kind.choices:
        return {**form, "enum": [*([""] if kind.blank else []), *dict(kind.flatchoices)]}
    return {**form, **({"maxLength": kind.max_length} if kind.max_length else {})}


def _limits(kind: Any) -> dict[str, Any]:
    """The closest of a number's lower and upper limits, and its choices."""
    least = [one.limit_value for one in kind.validators if isinstance(one, validators.MinValueValidator)]
    most = [one.limit_value for one in kind.validators if isinstance(one, validators.MaxValueValidator)]
    limits = {**({"minimum": max(least)} if least else {}), **({"maximum": min(most)} if most else {})}
    return {"enum": list(dict(kind.flatchoices))} if kind.choices else limits


# What JSON gives for a type of the schema: true and false are no numbers.
GIVEN: Mapping[str, tuple[type[Any], ...]] = {
    "boolean": (bool,),
    "integer": (int,),
    "number": (int, float),
    "string": (str,),
    "object": (dict,),
    "array": (list,),
}


def _typed(value: Any, kind: str | None) -> None:
    """See that a value is of the type that the schema gives; any is right where it gives none."""
    truth = isinstance(value, bool) and kind != "boolean"
    if kind is not None and (truth or not isinstance(value, GIVEN[kind])):
        raise ValidationError("another kind of value")


def reader_of(field: Any, moved: Moved) -> Callable[[Any], Any]:
    """What reads a field's values out of an archive, each moment put where it is `moved` to.

    It raises an `ArchiveError` for a value that does not fit the field.
    """
    kind = field.target_field if isinstance(field, models.ForeignKey) else field
    where, right = f"{name_of(field.model)}.{field.name}", "an archive as this program writes it"
    take, timed, given = _taker(kind), isinstance(kind, models.DateField), form_of(field).get("type")

    def read(value: Any) -> Any:
        if value is None:
            if not field.null:
                raise ArchiveError("a value is missing", where, right)
            return None
        try:
            _typed(value, given)
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
    if field.choices and value not in dict(field.flatchoices) and not (value == "" and field.blank):
        raise ValidationError("no such choice")
    # A file's name has no validator for its length.
    if isinstance(value, str) and field.max_length and len(value) > field.max_length:
        raise ValidationError("too long")
    if isinstance(field, models.JSONField):
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
