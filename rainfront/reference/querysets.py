"""Named queries over known-good readings."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from django.db import connections, models
from django.db.models import Count, Max, Min, Sum


class GoodReadingQuerySet(models.QuerySet):
    """Queries over known-good readings."""

    def standing(self) -> GoodReadingQuerySet:
        """Not removed."""
        return self.filter(removed_at__isnull=True)

    def removed(self) -> GoodReadingQuerySet:
        """Taken out, to be brought back where that was wrong."""
        return self.filter(removed_at__isnull=False)

    def insert_rows(self, rows: Iterable[dict[str, Any]]) -> None:
        """Insert many readings, given by field, in one prepared statement.

        A hundred thousand model instances take the ORM some 12 s, most of it in preparing each value; tables come in
        that size.
        """
        fields = [field for field in self.model._meta.concrete_fields if not field.primary_key]
        connection = connections[self.db]
        quoted = ", ".join(connection.ops.quote_name(field.column) for field in fields)
        marks = ", ".join(["%s"] * len(fields))
        table = connection.ops.quote_name(self.model._meta.db_table)
        prepared: dict[tuple[str, Any], Any] = {}

        def value(field: Any, given: Any) -> Any:
            if given is None or isinstance(given, str | float):
                return given
            key = (field.name, given)
            if key not in prepared:
                plain = given.pk if isinstance(given, models.Model) else given
                prepared[key] = field.get_db_prep_save(plain, connection)
            return prepared[key]

        with connection.cursor() as cursor:
            cursor.executemany(
                f"INSERT INTO {table} ({quoted}) VALUES ({marks})",  # noqa: S608 - names come from the model
                [[value(field, row.get(field.name)) for field in fields] for row in rows],
            )

    def for_sheet(self, model_name: str, revision: str, map_id: str, place: str) -> GoodReadingQuerySet:
        """Everything known of one model's pin map at one place; other revisions only where this one is not named."""
        found = self.standing().filter(model_name__iexact=model_name, map_id=map_id, place=place)
        return found.filter(revision__iexact=revision) if revision else found

    def by_board(self) -> list[dict[str, Any]]:
        """How much there is of each model, revision, map, place and meter."""
        keys = ("model_name", "revision", "map_id", "place", "meter", "meter__name")
        rows = (
            self.order_by()
            .values(*keys)
            .annotate(readings=Count("pk"), pins=Count("pin", distinct=True), first=Min("taken"), last=Max("taken"))
        )
        return list(rows.order_by("model_name", "revision", "map_id", "place", "meter__name"))

    def version(self) -> tuple[int, int, float]:
        """Another one whenever a reading comes in, is taken out of use or brought back."""
        found = self.standing().aggregate(count=Count("pk"), keys=Sum("pk"), whole=Sum("mv"))
        return found["count"], found["keys"] or 0, found["whole"] or 0.0

    def rows(self) -> Iterator[tuple[Any, ...]]:
        """Everything as a table's rows."""
        names = ("model_name", "revision", "map_id", "place", "pin", "meter__name", "mv", "taken")
        return (
            self.standing()
            .order_by("model_name", "revision", "map_id", "place", "pin", "pk")
            .values_list(*names)
            .iterator(5000)
        )


class GoodValueQuerySet(models.QuerySet):
    """Queries over volts and ohms of good boards."""

    KEYS = ("model_name", "revision", "map_id", "place", "unit", "meter")

    def standing(self) -> GoodValueQuerySet:
        """Not taken out of use."""
        return self.filter(removed_at__isnull=True)

    def by_board(self) -> list[dict[str, Any]]:
        """How much there is of each model at each place in each unit with each meter, in use or not."""
        rows = self.order_by().values(*self.KEYS, "meter__name", "removed_at").annotate(readings=Count("pk"))
        return list(rows.order_by("model_name", "map_id", "place", "unit"))
