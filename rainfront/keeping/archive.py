"""Backups: one checked archive of database and files, made while people work, and read back into an empty place.

The database is copied with SQLite's online backup, which gives the state of one moment. A file is copied before or
after that moment; one that the copy names and that is gone already makes the whole begin anew.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import sqlite3
import tarfile
import time
import zlib
from collections.abc import Collection, Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from pathlib import Path

from chargepath.base.errors import ChargepathError
from rainfront.web.working import working_folder

NAME = "rainfront-{:%Y%m%dT%H%M%SZ}.tar.gz"
DATABASE, MANIFEST, MEDIA = "database.sqlite3", "manifest.json", "media"
TRIES, COPY_S = 3, 120.0
# What unpacking leaves free on the disk [bytes].
SPARE_BYTES = 200_000_000
# What reading a broken or a strange archive raises.
UNREADABLE = (
    OSError,
    EOFError,
    tarfile.TarError,
    zlib.error,
    ValueError,
    KeyError,
    TypeError,
    AttributeError,
    RecursionError,
)
# How many of the newest backups are kept, and of how many days, weeks and months one each.
NEWEST, DAYS, WEEKS, MONTHS = 3, 7, 5, 12


class BackupError(ChargepathError):
    """A backup cannot be made, or cannot be read back."""


@dataclass(frozen=True)
class BackupFile:
    """What is known of one archive; it lies beside it as JSON, so that a restored database does not forget it.

    Attributes
    ----------
    name : str
        Of the archive.
    at : str
        When it was made, ISO 8601.
    size : int
        [bytes].
    jobs, files : int
        How many it holds.
    sha256 : str
        Of the archive.
    tested_at : str
        When it was last read back whole, '' never.
    trouble : str
        What was wrong then, '' nothing.

    """

    name: str
    at: str
    size: int
    jobs: int
    files: int
    sha256: str
    tested_at: str = ""
    trouble: str = ""


def sha256_of(path: Path) -> str:
    """Of a file."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _private(path: Path) -> Path:
    path.mkdir(parents=True, exist_ok=True)
    path.chmod(0o700)
    return path


def _copy_database(source: Path, target: Path) -> None:
    """SQLite's online backup, then its own check of the copy."""
    if not source.is_file():
        raise BackupError("there is no database's file", str(source), "name it in the environment")
    end = time.monotonic() + COPY_S

    def still_time(status: int, left: int, pages: int) -> None:
        if time.monotonic() > end:
            raise BackupError("the database stays locked", source.name, "end whatever holds it, then again")

    with closing(sqlite3.connect(source, timeout=30)) as live, closing(sqlite3.connect(target)) as copy:
        live.backup(copy, progress=still_time)
        copy.execute("PRAGMA journal_mode=DELETE")
    target.chmod(0o600)
    check_database(target)


def check_database(path: Path, known: Collection[tuple[str, str]] | None = None) -> int:
    """Check a database file as a whole; how many jobs it holds.

    Parameters
    ----------
    path : Path
    known : collection of (app, migration), optional
        What this version of the program has; None to take any version's database.

    Raises
    ------
    BackupError
        It is damaged, no database of this program, or of a newer version.

    """
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as copy:
            applied = set(copy.execute("SELECT app, name FROM django_migrations"))
            found = [row[0] for row in copy.execute("PRAGMA integrity_check")]
            loose = copy.execute("PRAGMA foreign_key_check").fetchall()
            jobs = int(copy.execute("SELECT count(*) FROM jobs_job").fetchone()[0])
    except sqlite3.DatabaseError as error:
        raise BackupError(f"it is no database of this program ({error})", path.name, "take another backup") from error
    if found != ["ok"] or loose:
        raise BackupError("the database is damaged", path.name, f"take another backup; {(found + loose)[:3]}")
    if known is not None and applied - set(known):
        raise BackupError("a newer version of the program made it", path.name, "install that version, then again")
    return jobs


def _named_in(path: Path, fields: Sequence[tuple[str, str]]) -> set[str]:
    """Files that the rows of a copied database name."""
    with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as copy:
        asked = (f'SELECT "{column}" FROM "{table}" WHERE "{column}" <> \'\'' for table, column in fields)  # noqa: S608
        return {row[0] for query in asked for row in copy.execute(query)}


def _copy_files(media: Path, names: set[str], target: Path) -> None:
    for name in names:
        made = target / name
        if not made.exists() and (media / name).is_file():
            made.parent.mkdir(parents=True, exist_ok=True)
            try:
                shutil.copyfile(media / name, made)
            except FileNotFoundError:
                continue


def _gather(database: Path, media: Path, fields: Sequence[tuple[str, str]], folder: Path) -> set[str]:
    """Copy database and files of one moment; the files' names."""
    before = {str(path.relative_to(media)) for path in media.rglob("*") if path.is_file()} if media.is_dir() else set()
    _copy_files(media, before, folder / MEDIA)
    _copy_database(database, folder / DATABASE)
    names = _named_in(folder / DATABASE, fields)
    _copy_files(media, names, folder / MEDIA)
    missing = {name for name in names if not (folder / MEDIA / name).exists()}
    for extra in before - names:
        (folder / MEDIA / extra).unlink(missing_ok=True)
    return missing


def make_backup(
    database: Path, media: Path, backups: Path, fields: Sequence[tuple[str, str]], *, now: datetime
) -> BackupFile:
    """Make an archive, check it by reading it back, and rotate.

    Parameters
    ----------
    database, media, backups : Path
        The database's file, the folder of files, the folder of archives.
    fields : sequence of (table, column)
        Where rows name files.
    now : datetime

    Raises
    ------
    BackupError
        It could not be made; no archive is left.

    """
    _private(backups)
    with working_folder(backups, "making") as folder:
        for _ in range(TRIES):
            (folder / DATABASE).unlink(missing_ok=True)
            lost = sorted(_gather(database, media, fields, folder))
            if not lost:
                break
        # What is lost is named by rows and lies on no disk: the archive says so, and is made all the same.
        files = sorted(path for path in folder.rglob("*") if path.is_file())
        sums = {str(path.relative_to(folder)): sha256_of(path) for path in files}
        manifest = {"format": "rainfront-backup", "version": 1, "at": now.isoformat(), "sha256": sums, "missing": lost}
        (folder / MANIFEST).write_text(json.dumps(manifest, indent=1), encoding="utf-8")
        part = folder / "archive"
        with tarfile.open(part, "w:gz", compresslevel=5) as archive:
            for path in [folder / MANIFEST, *files]:
                archive.add(path, arcname=str(path.relative_to(folder)))
        part.chmod(0o600)
        target = backups / NAME.format(now)
        jobs = check_database(folder / DATABASE)
        part.rename(target)
    found = BackupFile(
        name=target.name,
        at=now.isoformat(),
        size=target.stat().st_size,
        jobs=jobs,
        files=len(sums) - 1,
        sha256=sha256_of(target),
    )
    _write(backups, found)
    rotate(backups, new=found.name)
    return found


def _write(backups: Path, found: BackupFile) -> None:
    beside = backups / f"{found.name}.json"
    beside.write_text(json.dumps(asdict(found), indent=1), encoding="utf-8")
    beside.chmod(0o600)


def list_backups(backups: Path) -> list[BackupFile]:
    """Every archive that lies there, the newest first."""
    found = []
    for path in sorted(backups.glob("rainfront-*.tar.gz"), reverse=True) if backups.is_dir() else ():
        beside = path.with_name(f"{path.name}.json")
        try:
            found.append(BackupFile(**json.loads(beside.read_text(encoding="utf-8"))))
        except (OSError, ValueError, TypeError):
            at = datetime.fromtimestamp(path.stat().st_mtime).astimezone().isoformat()
            found.append(
                BackupFile(
                    name=path.name,
                    at=at,
                    size=path.stat().st_size,
                    jobs=0,
                    files=0,
                    sha256="",
                    trouble="what was noted of it is gone",
                )
            )
    return found


def kept(at: Sequence[datetime]) -> set[datetime]:
    """Which of many moments stay: the newest of each of the last days, weeks and months that have one."""
    newest = sorted(at, reverse=True)
    stay = set(newest[:NEWEST])
    for shape, count in (("%Y-%j", DAYS), ("%G-%V", WEEKS), ("%Y-%m", MONTHS)):
        firsts: dict[str, datetime] = {}
        for moment in newest:
            firsts.setdefault(moment.strftime(shape), moment)
        stay.update(list(firsts.values())[:count])
    return stay


def rotate(backups: Path, new: str = "") -> list[str]:
    """Remove what is not kept; the names.

    The `new` one stays in any case: where the clock was set back, it bears an earlier moment than the others.
    """
    found = {datetime.fromisoformat(one.at): one.name for one in list_backups(backups)}
    gone = [name for moment, name in found.items() if moment not in kept(list(found)) and name != new]
    for name in gone:
        (backups / name).unlink(missing_ok=True)
        (backups / f"{name}.json").unlink(missing_ok=True)
    return gone


@contextmanager
def unpacked(archive: Path) -> Iterator[Path]:
    """The content of an archive, each file checked against its sum.

    Raises
    ------
    BackupError
        It is broken off, changed, or no backup of this program.

    """
    with working_folder(archive.parent, "reading") as folder:
        try:
            with tarfile.open(archive, "r:gz") as tar:
                _unpack(tar, folder, archive.name)
            manifest = json.loads((folder / MANIFEST).read_text(encoding="utf-8"))
            sums = {str(name): str(wanted) for name, wanted in manifest["sha256"].items()}
        except UNREADABLE as error:
            raise BackupError(f"the archive cannot be read ({error})", archive.name, "take another backup") from error
        there = {str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file()} - {MANIFEST}
        for name in sorted(there | sums.keys()):
            if name not in there or name not in sums or sha256_of(folder / name) != sums[name]:
                raise BackupError(f"{name} is not as it was packed", archive.name, "take another backup")
        yield folder


def _unpack(tar: tarfile.TarFile, folder: Path, where: str) -> None:
    """Unpack plain files and folders, one after the other, as long as the disk has room for them."""
    for member in tar:
        if not (member.isreg() or member.isdir()):
            raise BackupError(f"{member.name[:80]} is neither a file nor a folder", where, "take another backup")
        if member.size > shutil.disk_usage(folder).free - SPARE_BYTES:
            raise BackupError(f"the disk has no room for {member.name[:80]}", where, "free some space, then again")
        tar.extract(member, folder, filter="data")


def restore(archive: Path, database: Path, media: Path, known: Collection[tuple[str, str]] | None = None) -> int:
    """Put an archive into an empty place; how many jobs it holds.

    A restore that was killed left a note beside the database: what it had put there is removed first. `known` is what
    `check_database` takes.

    Raises
    ------
    BackupError
        Something lies there already, or the archive is not whole; nothing is written then.

    """
    note = database.with_name(".restoring")
    if note.exists() and not database.exists():
        shutil.rmtree(media, ignore_errors=True)
    if database.exists() or (media.is_dir() and any(media.iterdir())):
        raise BackupError(
            f"{database if database.exists() else media} is there already",
            "restore",
            "an empty place; move it away first",
        )
    with unpacked(archive) as folder:
        jobs = check_database(folder / DATABASE, known)
        _private(database.parent)
        note.touch(mode=0o600)
        _private(media)
        if (folder / MEDIA).is_dir():
            shutil.copytree(folder / MEDIA, media, dirs_exist_ok=True)
        for path in media.rglob("*"):
            path.chmod(0o700 if path.is_dir() else 0o600)
        part = database.with_name(f".{database.name}.part")
        shutil.copyfile(folder / DATABASE, part)
        part.chmod(0o600)
        os.replace(part, database)
        note.unlink()
    return jobs


def test_restore(backups: Path, found: BackupFile, *, now: datetime) -> BackupFile:
    """Read an archive back into a place of its own, as after a loss, and note how it went beside it."""
    try:
        with working_folder(backups, "testing") as made:
            jobs = restore(backups / found.name, made / "x" / DATABASE, made / "x" / MEDIA)
        trouble = "" if jobs == found.jobs else f"{jobs} jobs came back of {found.jobs}"
    except BackupError as error:
        trouble = str(error)
    tested = replace(found, tested_at=now.isoformat(), trouble=trouble)
    _write(backups, tested)
    return tested
