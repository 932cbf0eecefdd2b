"""Named queries: what closed jobs have taught: each one's part, the sum, and how far it is counted."""

from __future__ import annotations

from collections.abc import Mapping

from django.db import connection, models


class CountedQuerySet(models.QuerySet):
    """Queries over the shop's tally."""

    def add(self, more: Mapping[str, int]) -> None:
        """Add to counts by their keys inside the database, so that two workers never lose a count; zero counts go."""
        table = connection.ops.quote_name(self.model._meta.db_table)
        rows = [(key, count) for key, count in more.items() if count]
        with connection.cursor() as cursor:
            cursor.executemany(
                f"INSERT INTO {table} (key, count) VALUES (%s, %s) "  # noqa: S608  (its own table)
                "ON CONFLICT (key) DO UPDATE SET count = count + excluded.count",
                rows,
            )
        self.filter(count=0).delete()
