"""Columns that hold what people typed: an unlock code is refused wherever it is written, by a form, an import or a
command.

The refusal sits where the value goes into the database, so that no way of writing passes by it: `save`, `bulk_create`
and `update` alike. Forms ask earlier (`web.forms`), to say it at the field.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from django.db import models

from rainfront.web.secrets import refuse_code


class _Typed:
    """Refuses a value that seems to hold an unlock code; migrations see the plain column."""

    def get_db_prep_save(self, value: Any, connection: Any) -> Any:
        """Refuse, then go on."""
        refuse_code(value, str(self.verbose_name))  # type: ignore[attr-defined]
        return super().get_db_prep_save(value, connection)  # type: ignore[misc]

    def deconstruct(self) -> Any:
        """As Django's own column, which is all that the database knows."""
        name, _, args, kwargs = super().deconstruct()  # type: ignore[misc]
        return name, f"django.db.models.{type(self).__mro__[2].__name__}", args, kwargs


if TYPE_CHECKING:
    # A type checker sees the plain columns, whose values it knows.
    from django.db.models import CharField as TypedCharField
    from django.db.models import JSONField as TypedJSONField
    from django.db.models import TextField as TypedTextField
else:

    class TypedCharField(_Typed, models.CharField):
        """A line that people typed."""

    class TypedTextField(_Typed, models.TextField):
        """A text that people typed."""

    class TypedJSONField(_Typed, models.JSONField):
        """A structure with texts in it that people typed, or that came with a file."""


def is_typed(field: models.Field[Any, Any]) -> bool:
    """Whether people type into a column, or it holds what came with a file."""
    return isinstance(field, _Typed)


__all__ = ["TypedCharField", "TypedJSONField", "TypedTextField", "is_typed"]
