"""The JSON Schema of a shop's archive, from the models; it ships as docs/shop-archive.schema.json."""

from __future__ import annotations

from typing import Any

from django.db import models

from rainfront.exchange.shape import fields_of, name_of, tables
from rainfront.exchange.values import form_of
from rainfront.exchange.writing import FORMAT, VERSION


def _field(field: Any) -> dict[str, Any]:
    """One field of a row: what it is called, its form, and which table's row it names."""
    form = form_of(field)
    if field.null and "enum" in form:
        form = {**form, "enum": [*form["enum"], None]}
    if field.null and "type" in form:
        form = {**form, "type": [form["type"], "null"]}
    points = {"$comment": f"a row of {name_of(field.related_model)}"} if isinstance(field, models.ForeignKey) else {}
    return {"title": str(field.verbose_name), **form, **points}


def schema_of_row(model: type[models.Model]) -> dict[str, Any]:
    """A row of a table: a field that is missing takes its default, one that is not known here is refused."""
    return {
        "title": str(model._meta.verbose_name_plural),
        "type": "object",
        "additionalProperties": False,
        "properties": {field.attname: _field(field) for field in fields_of(model)},
    }


def schema() -> dict[str, Any]:
    """Build the JSON Schema (draft 2020-12): the manifest at the top, the row of each table under ``$defs``."""
    count = {"type": "integer", "minimum": 0}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Archive of a shop, version {VERSION}: manifest.json; each line of tables/NAME.jsonl is $defs/NAME",
        "type": "object",
        "required": ["format", "version", "rows", "sha256"],
        "properties": {
            "format": {"const": FORMAT},
            "version": {"const": VERSION},
            "rows": {"type": "object", "additionalProperties": count},
            "sha256": {"type": "object", "additionalProperties": {"type": "string", "pattern": "^[0-9a-f]{64}$"}},
        },
        "$defs": {name_of(model): schema_of_row(model) for model in tables()},
    }
