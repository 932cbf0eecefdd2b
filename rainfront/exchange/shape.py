"""Which tables and fields a shop's archive holds (docs/shop-archive.md)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.apps import apps
from django.conf import settings
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
    "board",
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
        "board.boarddraft",
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
        ("instruments.benchinstrument", "secret"),
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
