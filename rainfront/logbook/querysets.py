"""Named queries over the logbook."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from django.core.exceptions import EmptyResultSet
from django.db import connection, models

# A fact that fewer jobs have than this is looked up first, the text after it.
RARE = 3000
# How many pages are looked at together.
BATCH = 200


class PageQuerySet(models.QuerySet):
    """Queries over pages."""

    def newest(self, words: Sequence[str], before: int | None, most: int) -> list[Any]:
        """The newest jobs with every word in their text, those before one where one is given, for the list."""
        shown = self.model.objects.filter(pk__in=self.numbers(words, before, most)).order_by("-pk")
        return list(shown.select_related("job").prefetch_related("job__came_back_as").defer("causes", "shown"))

    def numbers(self, words: Sequence[str], before: int | None, most: int) -> list[int]:
        """The same, their numbers alone.

        Candidates are those that hold every three letters in a row of every word, by SQLite's index, from the newest
        on; whether they hold the words is looked at in their text.
        """
        found = self.filter(pk__lt=before) if before is not None else self
        wanted = [word.casefold() for word in words]
        threes = sorted({word[at : at + 3] for word in wanted for at in range(len(word) - 2)})
        if not wanted:
            return list(found.order_by("-pk").values_list("pk", flat=True)[:most])
        if not threes:
            return self._holding(found.order_by("-pk").values_list("pk", "text").iterator(BATCH), wanted, most)
        return self._holding(self._candidates(found, threes, before), wanted, most)

    @staticmethod
    def _holding(rows: Iterable[tuple[int, str]], words: Sequence[str], most: int) -> list[int]:
        out: list[int] = []
        for pk, text in rows:
            folded = text.casefold()
            if all(word in folded for word in words):
                out.append(pk)
                if len(out) >= most:
                    break
        return out

    @staticmethod
    def _candidates(among: models.QuerySet, threes: Sequence[str], before: int | None) -> Iterator[tuple[int, str]]:
        """Numbers and texts of pages that hold all of these letters, the newest first, as far as they are asked for."""
        match = " ".join('"' + three.replace('"', '""') + '"' for three in threes)
        text = "SELECT job_id, page.text FROM logbook_search JOIN logbook_page page ON job_id = logbook_search.rowid"
        text, more = f"{text} WHERE logbook_search MATCH %s", list[Any]([match])
        if among.query.where:
            try:
                narrowed, params = among.order_by().values("pk").query.sql_with_params()
            except EmptyResultSet:
                return
            text, more = f"{text} AND logbook_search.rowid IN ({narrowed})", [*more, *params]
        if before is not None:
            text, more = f"{text} AND logbook_search.rowid < %s", [*more, before]
        with connection.cursor() as cursor:
            cursor.execute(f"{text} ORDER BY logbook_search.rowid DESC", more)
            while rows := cursor.fetchmany(BATCH):
                yield from rows

    def with_fact(self, kind: str, value: str) -> PageQuerySet:
        """Of jobs that a fact is known of."""
        facts = self.model._meta.get_field("job").related_model._meta.get_field("facts").related_model
        known = facts.objects.filter(kind=kind, value=value)
        few = list(known.values_list("job_id", flat=True)[:RARE])
        if len(few) < RARE:
            return self.filter(pk__in=few)
        return self.filter(models.Exists(known.filter(job=models.OuterRef("pk"))))

    def measured(self, name: str, low: float | None, high: float | None) -> PageQuerySet:
        """Of jobs on which a value was read, in a range where one is given."""
        numbers = self.model._meta.get_field("job").related_model._meta.get_field("measured").related_model
        found = numbers.objects.filter(name=name)
        if low is not None:
            found = found.filter(number__gte=low)
        if high is not None:
            found = found.filter(number__lte=high)
        return self.filter(pk__in=found.values("job_id"))

    def changed_since(self, basis: str, since: Any) -> models.QuerySet:
        """Number, causes, whether it is closed, and when they were written, of pages by the numbers that ship now.

        Those that were written at that moment or later; all for None.
        """
        found = self.filter(basis=basis) if since is None else self.filter(updated__gt=since, basis=basis)
        return found.order_by("updated").values_list("pk", "causes", "closed", "updated")

    def of_another(self, basis: str) -> PageQuerySet:
        """Made by other numbers than those that ship now."""
        return self.exclude(basis=basis)


class SearchQuerySet(models.QuerySet):
    """Queries over saved searches."""

    def of(self, person: Any) -> SearchQuerySet:
        """Of one person, by name."""
        return self.filter(person=person).order_by("name", "pk")
