"""Every text and file that may hold what somebody is called: the columns that people type into, and what is made of
them, listed from the models, so that a new column is looked through from its first day.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any

from django.apps import apps
from django.core.files.base import ContentFile
from django.db import IntegrityError, models, transaction
from django.db.models.fields.files import FieldFile
from django.db.models.functions import Cast

from rainfront.jobs.models import Job
from rainfront.web.fields import is_typed
from rainfront.web.spellings import Spellings

# Names of the people who work here and of the shop itself stay, whoever a customer is called like.
NOT_LOOKED_THROUGH = frozenset({"people.User", "people.Workshop"})
Row = tuple[str, int]
AT_A_TIME = 2000


@dataclass(frozen=True)
class WordColumn:
    """A column with words in it: of which model, and whether it names a file."""

    model: type[models.Model]
    name: str
    is_file: bool


def columns() -> list[WordColumn]:
    """Every column that is looked through."""
    found = []
    for model in apps.get_models():
        label = model._meta.label
        if not model.__module__.startswith("rainfront.") or label in NOT_LOOKED_THROUGH:
            continue
        words = getattr(model, "WORDS", ())
        for field in model._meta.concrete_fields:
            if isinstance(field, models.FileField):
                found.append(WordColumn(model, field.name, True))
            elif is_typed(field) or field.name in words or isinstance(field, models.EmailField):
                found.append(WordColumn(model, field.name, False))
    return found


def rows_of(job: int) -> set[Row]:
    """Every row that hangs on a job, the job's own with it: by the model's label and its key."""
    found: set[Row] = set()

    def hang(row: models.Model) -> None:
        key = (row._meta.label, row.pk)
        if key in found:
            return
        found.add(key)
        for relation in row._meta.related_objects:
            model = relation.related_model
            if relation.many_to_many or not isinstance(model, type) or issubclass(model, Job):
                continue
            for below in model._base_manager.filter(**{relation.field.name: row.pk}):
                hang(below)

    hang(Job.objects.get(pk=job))
    return found


UTF_16 = (b"\xff\xfe", b"\xfe\xff")
# So much of a file tells whether it is a text [bytes].
BEGINS = 4096


def is_binary(begin: bytes) -> bool:
    """Whether a file that begins like this is a picture or another one that is no text."""
    return b"\x00" in begin and not begin.startswith(UTF_16)


def texts_of_file(raw: bytes) -> tuple[str, str] | None:
    """A file's text and its encoding; None where it is no text."""
    if raw.startswith(UTF_16):
        return raw.decode("utf-16", errors="surrogatepass"), "utf-16"
    if is_binary(raw[:BEGINS]):
        return None
    for encoding in ("utf-8", "latin-1"):
        try:
            return raw.decode(encoding), encoding
        except UnicodeDecodeError:
            continue
    return None


@dataclass(frozen=True)
class Mention:
    """Where something was found: the row, the column, how often, and whether it hangs on a job of this customer."""

    row: Row
    column: str
    count: int
    own: bool

    @property
    def is_made(self) -> bool:
        """Whether the row is only made from a job, and says nothing of its own."""
        return bool(getattr(apps.get_model(self.row[0]), "MADE_FROM_JOB", False))


class Search:
    """Looks for a customer, and takes out what it finds.

    Parameters
    ----------
    own : set of Row
        What hangs on the customer's own jobs and visits.
    sure : Spellings
        What means this customer wherever it stands: a name of several words, a number, an address, a nickname.
    here : Spellings
        The same, and what means them in their own jobs only: each word of the name.

    """

    def __init__(self, own: set[Row], sure: Spellings, here: Spellings) -> None:
        self._own, self._sure, self._here = own, sure, here

    def find(self) -> list[Mention]:
        """Where it stands, without changing anything."""
        return list(self._go(None))

    def take_out(self, put: str, also: Iterable[Row] = ()) -> list[Mention]:
        """Write `put` wherever the customer is named in their own rows and in the rows `also`; where that was."""
        return list(self._go(put, self._own | set(also)))

    def _go(self, put: str | None, only: set[Row] | None = None) -> Iterator[Mention]:
        by_model: dict[type[models.Model], list[WordColumn]] = {}
        for column in columns():
            by_model.setdefault(column.model, []).append(column)
        for model, found in by_model.items():
            label = model._meta.label
            own_keys = {key for name, key in self._own if name == label}
            keys = (
                self._may_hold(model, found) | own_keys
                if only is None
                else {key for name, key in only if name == label}
            )
            rows = model._base_manager.order_by("pk").only("pk", *(one.name for one in found))
            # The keys first, since rows change on the way.
            for row in _each(rows, sorted(keys)):
                own = (label, row.pk) in self._own
                spellings = self._here if own else self._sure
                changed: dict[str, Any] = {}
                for column in found:
                    count = self._one(row, column, spellings, put, changed)
                    if count:
                        yield Mention((label, row.pk), column.name, count, own)
                if changed:
                    _write(row, changed)

    def _may_hold(self, model: type[models.Model], found: Sequence[WordColumn]) -> set[int]:
        """Keys of the rows that it may stand in: a shop has a million lines, and few are worth a closer look."""
        names = [column.name for column in found if not column.is_file]
        as_text = [Cast(name, models.TextField()) for name in names]
        keys: set[int] = set()
        for key, *values in model._base_manager.values_list("pk", *as_text).iterator(AT_A_TIME) if names else ():
            text = "\n".join(value for value in values if value)
            # JSON writes letters with marks as numbers.
            if "\\u" in text or self._sure.may_stand_in(text):
                keys.add(key)
        for column in found:
            if column.is_file:
                keys.update(model._base_manager.exclude(**{column.name: ""}).values_list("pk", flat=True))
        return keys

    def _one(
        self, row: models.Model, column: WordColumn, spellings: Spellings, put: str | None, changed: dict[str, Any]
    ) -> int:
        """How often it stands in one column of one row; what is to be written there is put into `changed`."""
        value = getattr(row, column.name)
        if column.is_file:
            return _in_file(value, spellings, put, changed, column.name)
        if not value:
            return 0
        new, count = spellings.take_out(value, put or "")
        if count and put is not None:
            most = getattr(row._meta.get_field(column.name), "max_length", None)
            changed[column.name] = new[:most] if isinstance(new, str) and most else new
        return count


def _each(rows: models.QuerySet[Any], keys: Sequence[int]) -> Iterator[Any]:
    """The rows with these keys, a part at a time."""
    for start in range(0, len(keys), AT_A_TIME):
        yield from rows.filter(pk__in=keys[start : start + AT_A_TIME])


def _write(row: models.Model, changed: dict[str, Any]) -> None:
    """Write a row's new texts; where two of a kind would be alike now, each gets its number."""
    rows = type(row)._base_manager.filter(pk=row.pk)
    try:
        with transaction.atomic():
            rows.update(**changed)
    except IntegrityError:
        rows.update(**{name: f"{new} {row.pk}" if isinstance(new, str) else new for name, new in changed.items()})


def _in_file(file: FieldFile, spellings: Spellings, put: str | None, changed: dict[str, Any], column: str) -> int:
    """How often it stands in a file and in its name."""
    if not file or not file.storage.exists(str(file.name)):
        return 0
    path = PurePosixPath(str(file.name))
    name, count = spellings.take_out(path.stem, put or "")
    with file.open("rb") as opened:
        raw = opened.read(BEGINS)
        text = None if is_binary(raw) else texts_of_file(raw + opened.read())
    inside, more = spellings.take_out(text[0], put or "") if text else ("", 0)
    if (count or more) and put is not None:
        assert text is not None or not more
        with file.open("rb") as opened:
            new = inside.encode(text[1], errors="replace") if text and more else opened.read()
        file.delete(save=False)
        stored = file.storage.save(str(path.with_name(f"{name or 'file'}{path.suffix}")), ContentFile(new))
        changed[column] = stored
    return count + more


def own_rows(jobs: Sequence[int], visits: Sequence[int]) -> set[Row]:
    """What hangs on these jobs and visits."""
    found: set[Row] = {("counter.Visit", visit) for visit in visits}
    for job in jobs:
        found |= rows_of(job)
    return found
