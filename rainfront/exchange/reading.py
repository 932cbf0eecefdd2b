"""A shop's archive read into an empty installation, as a whole or not at all."""

from __future__ import annotations

import hashlib
import json
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import IO, Any

from django.contrib.auth.hashers import make_password
from django.core.files.storage import default_storage
from django.db import IntegrityError, connection, transaction
from django.db.models import Max

from rainfront.exchange.gone import GONE_TABLES, Found, keep_gone, without_gone
from rainfront.exchange.ids import refuse_unknown, with_names_now
from rainfront.exchange.shape import (
    ArchiveError,
    earlier_fields,
    earlier_name,
    fields_of,
    file_fields,
    name_of,
    people_fields,
    tables,
)
from rainfront.exchange.values import Moved, reader_of
from rainfront.exchange.writing import FORMAT, MANIFEST, VERSION
from rainfront.jobs.models import Job
from rainfront.jobs.signals import job_changed
from rainfront.people.models import User
from rainfront.stock.models import Item
from rainfront.web.files import files_go_with_it

ROWS, MOST_LINE, MOST_ROWS = 1000, 2_000_000, 50_000_000
# What one file of an archive may unfold to [bytes]: tables are read a line at a time, the others as a whole.
MOST_MANIFEST, MOST_FILE, MOST_TABLE = 50_000_000, 130_000_000, 4_000_000_000
# What reading a ZIP file raises where its bytes are not as they were written.
BROKEN = (zipfile.BadZipFile, OSError, EOFError, zlib.error, NotImplementedError, RuntimeError)
RIGHT = "an archive as this program writes it, whole and unchanged"


def unmoved(moment: datetime) -> datetime:
    """A moment as it stands."""
    return moment


@contextmanager
def opened(path: Path) -> Iterator[tuple[zipfile.ZipFile, dict[str, Any]]]:
    """An archive with its manifest.

    Raises
    ------
    ArchiveError
        It is none, or of a version that is not known here.

    """
    try:
        with zipfile.ZipFile(path) as archive:
            manifest = _manifest(archive, path.name)
            kind, version = manifest.get("format"), manifest.get("version")
            if kind != FORMAT or version != VERSION:
                raise ArchiveError(
                    f"it is '{str(kind)[:40]}', version {str(version)[:10]}", path.name, f"{FORMAT}, version {VERSION}"
                )
            yield archive, manifest
    except BROKEN as error:
        raise ArchiveError(f"it cannot be read ({error})", path.name, RIGHT) from error


def _manifest(archive: zipfile.ZipFile, where: str) -> dict[str, Any]:
    """What the archive says of itself: format and version, how many rows each table has, the sum of each file."""
    try:
        found: dict[str, Any] = json.loads(_whole(archive, MANIFEST, MOST_MANIFEST))
        rows, sums = found["rows"], found["sha256"]
        whole = all(isinstance(count, int) and 0 <= count <= MOST_ROWS for count in rows.values())
        named = all(isinstance(one, str) for one in sums.values())
    except (KeyError, ValueError, TypeError, AttributeError, RecursionError) as error:
        raise ArchiveError("it holds no shop", where, RIGHT) from error
    tables_of_sums = {name for name in sums if name.startswith("tables/")}
    if not (whole and named and tables_of_sums == {f"tables/{table}.jsonl" for table in rows}):
        raise ArchiveError("it holds no shop", where, RIGHT)
    return found


def _whole(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    """One file of the archive as a whole, where it is no larger than it may be.

    Raises
    ------
    KeyError
        It is not there.
    ArchiveError
        It is too large, or unfolds to many times what it takes.

    """
    info = archive.getinfo(name)
    if info.file_size > most:
        raise ArchiveError(
            f"{name} is too large: {info.file_size / 1e6:.0f} MB", "archive", f"up to {most / 1e6:.0f} MB"
        )
    return archive.read(info)


def require_empty() -> None:
    """Refuse where there is a shop already.

    Raises
    ------
    ArchiveError

    """
    if Job.objects.exists() or Item.objects.exists():
        raise ArchiveError("there is a shop here already", "import", "an installation without jobs and parts")


def read_shop(path: Path, moved: Moved = unmoved) -> dict[str, int]:
    """Read an archive into an empty installation, each moment put where it is `moved` to; how many rows of each table.

    People come without a password. Whoever is here already stays, with the archive's row where the name is the same.

    Raises
    ------
    ArchiveError
        There is a shop here already, or the archive is not whole; nothing is stored then.

    """
    with opened(path) as (archive, manifest), files_go_with_it(), transaction.atomic():
        require_empty()
        known = {name_of(model): model for model in tables()}
        before = {*known, *(earlier_name(name) for name in known), *GONE_TABLES}
        strange = sorted(set(manifest["rows"]) - before)
        if strange:
            raise ArchiveError(
                f"it holds {strange[0]}, which is not known here", path.name, "a newer version of the program"
            )
        here = _make_room(archive, manifest)
        for model in known.values():
            if model is not User:
                rows: Any = model._base_manager.all()
                rows._raw_delete(rows.db)
        counts, files, gone = {}, set[str](), Found()
        try:
            for name, model in known.items():
                counts[name] = _read_table(archive, manifest, model, moved, files, gone)
            for name in GONE_TABLES & manifest["rows"].keys():
                gone += [(name, row) for row in _rows(archive, name, manifest)]
            keep_gone(gone)
            _keep_files(archive, manifest, files)
            User.objects.filter(password="").update(password=make_password(None))
            _return_people(here)
            Job.objects.filter(stage="closed").update(day_due=False)
            with connection.cursor() as cursor:
                cursor.execute("PRAGMA foreign_key_check")
                loose = cursor.fetchall()
        except IntegrityError as error:
            raise ArchiveError(f"rows do not fit together ({error})", path.name, RIGHT) from error
        if loose:
            raise ArchiveError(f"a row of {loose[0][0]} points to nothing", path.name, RIGHT)
    job_changed.send(sender=Job, job=None)
    return counts


def _raw(archive: zipfile.ZipFile, name: str, manifest: dict[str, Any]) -> bytes:
    """A file of the archive, as it was written."""
    try:
        raw = _whole(archive, name, MOST_FILE)
    except (KeyError, *BROKEN) as error:
        raise ArchiveError(f"{name} is missing or broken", "archive", RIGHT) from error
    if hashlib.sha256(raw).hexdigest() != manifest["sha256"].get(name):
        raise ArchiveError(f"{name} is not as it was written", "archive", RIGHT)
    return raw


def _rows(archive: zipfile.ZipFile, table: str, manifest: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """The rows of a table, a line at a time; first its sum is held against the manifest."""
    name = f"tables/{table}.jsonl"
    try:
        if archive.getinfo(name).file_size > MOST_TABLE:
            raise ArchiveError(f"{name} is too large", "archive", f"up to {MOST_TABLE / 1e6:.0f} MB")
        with archive.open(name) as file:
            summed = hashlib.file_digest(file, "sha256").hexdigest()  # type: ignore[arg-type]
        if summed != manifest["sha256"].get(name):
            raise ArchiveError(f"{name} is not as it was written", "archive", RIGHT)
        with archive.open(name) as file:
            yield from _lines(file, table)
    except (KeyError, *BROKEN) as error:
        raise ArchiveError(f"{name} is missing or broken", "archive", RIGHT) from error


def _lines(file: IO[bytes], table: str) -> Iterator[dict[str, Any]]:
    number = 0
    while line := file.readline(MOST_LINE + 1):
        number += 1
        try:
            row = json.loads(line, parse_constant=_no_number) if len(line) <= MOST_LINE else None
        except (ValueError, RecursionError):
            row = None
        if not isinstance(row, dict):
            raise ArchiveError("a line is no row", f"{table}, line {number}", RIGHT)
        yield row


def _no_number(text: str) -> float:
    raise ValueError(f"{text} is no number")


def _read_table(
    archive: zipfile.ZipFile, manifest: dict[str, Any], model: type[Any], moved: Moved, files: set[str], gone: Found
) -> int:
    """Store one table; a field that the archive does not know yet takes its default."""
    name = name_of(model)
    stored = name if name in manifest["rows"] else earlier_name(name)
    if stored not in manifest["rows"]:
        return 0
    renamed = earlier_fields(name)
    fields, made, count = {field.attname: reader_of(field, moved) for field in fields_of(model)}, [], 0
    paths = [field.attname for field in file_fields(model)]
    for stored_row in _rows(archive, stored, manifest):
        row = without_gone(name, stored_row, gone)
        row = with_names_now(name, {renamed.get(key, key): value for key, value in row.items()})
        strange = row.keys() - fields.keys()
        if strange:
            raise ArchiveError(
                f"it has '{min(strange)}', which is not known here", name, "a newer version of the program"
            )
        made.append(model(**{key: fields[key](value) for key, value in row.items()}))
        refuse_unknown(name, row)
        for path in (row[path] for path in paths if row.get(path)):
            _safe(path)
            files.add(path)
        count += 1
        if len(made) == ROWS:
            model._base_manager.bulk_create(made)
            made = []
    model._base_manager.bulk_create(made)
    if count != manifest["rows"][stored]:
        raise ArchiveError(f"{stored} has {count} rows of {manifest['rows'][stored]}", "archive", RIGHT)
    return count


def _safe(name: str) -> None:
    """Refuse a file that would lie outside the folder of files, whether it comes with the archive or not."""
    plain = name == name.strip() and "\\" not in name and not any(ord(letter) < 32 for letter in name)
    if (
        not plain
        or name.startswith("/")
        or any(part in ("..", ".", "") or part.startswith(".") for part in name.split("/"))
    ):
        raise ArchiveError(f"a file may not lie at '{name[:80]}'", "archive", "names below the folder of files")


def _keep_files(archive: zipfile.ZipFile, manifest: dict[str, Any], names: set[str]) -> None:
    """Store the files that rows name, under the very same names."""
    for name in sorted(names):
        if f"files/{name}" not in manifest["sha256"]:
            continue
        raw = _raw(archive, f"files/{name}", manifest)
        if default_storage.exists(name):
            with default_storage.open(name) as there:
                if there.read() == raw:
                    continue
            raise ArchiveError(f"another {name} lies there already", "archive", "an empty folder of files")
        default_storage.save_whole(name, raw)  # type: ignore[attr-defined]


def _make_room(archive: zipfile.ZipFile, manifest: dict[str, Any]) -> list[User]:
    """Move whoever is here already to numbers that the archive does not use."""
    here = list(User.objects.order_by("pk"))
    read = reader_of(User._meta.pk, unmoved)
    taken = max((read(row.get("id")) for row in (_rows(archive, name_of(User), manifest) if here else ())), default=0)
    start = max(taken, User.objects.aggregate(most=Max("pk"))["most"] or 0)
    for number, person in enumerate(here, start + 1):
        _move(person.pk, number)
        User.objects.filter(pk=person.pk).update(id=number, username=f"\n{person.username}"[:150])
        person.pk = number
    return here


def _move(before: int, after: int) -> None:
    for model, field in people_fields():
        model._base_manager.filter(**{field.name: before}).update(**{field.name: after})


def _return_people(here: list[User]) -> None:
    """Give those who were here their names back; one whom the archive names too becomes that one, as they were here."""
    for person in here:
        same = User.objects.filter(username=person.username).first()
        if same is None:
            User.objects.filter(pk=person.pk).update(username=person.username)
            continue
        _move(person.pk, same.pk)
        User.objects.filter(pk=same.pk).update(password=person.password, role=person.role, is_active=person.is_active)
        User.objects.filter(pk=person.pk).delete()
