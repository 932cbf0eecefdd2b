"""Making and removing a shop's archive."""

from __future__ import annotations

import logging
import os
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from django.conf import settings

from rainfront.exchange.reading import read_shop
from rainfront.exchange.shape import ArchiveError
from rainfront.exchange.writing import write_shop
from rainfront.people.models import User
from rainfront.people.rights import Right, needs

LOG = logging.getLogger("rainfront.exchange")
NAME, WANTED = "shop.zip", "shop.wanted"


@dataclass(frozen=True)
class Made:
    """The archive that lies ready: when it was made and how large it is [bytes]."""

    path: Path
    at: datetime
    size: int


def folder() -> Path:
    """Where the archive lies, beside the backups; nobody else on the machine reads it."""
    path = Path(settings.BACKUPS) / "exchange"
    path.mkdir(parents=True, exist_ok=True)
    path.chmod(0o700)
    return path


def made_archive() -> Made | None:
    """The archive that lies ready, None for none."""
    path = folder() / NAME
    if not path.is_file():
        return None
    found = path.stat()
    return Made(path, datetime.fromtimestamp(found.st_mtime, UTC), found.st_size)


def is_wanted() -> bool:
    """Whether one is asked for and not made yet."""
    return (folder() / WANTED).exists()


@needs(Right.KEEP)
def want_archive(*, user: User, now: datetime) -> None:
    """Ask for an archive; it is made while nobody waits."""
    (folder() / WANTED).touch(mode=0o600)


def make_wanted() -> bool:
    """Make the archive that is asked for; whether there was one to make."""
    if not is_wanted():
        return False
    part = folder() / f".{NAME}.part"
    counts = write_shop(part)
    part.chmod(0o600)
    os.replace(part, folder() / NAME)
    (folder() / WANTED).unlink(missing_ok=True)
    LOG.info("shop written", extra={"data": {"rows": sum(counts.values())}})
    return True


def drop_archive(**signal: object) -> None:
    """Remove the archive that lies ready: it holds what has just been taken out."""
    for name in (NAME, f".{NAME}.part"):
        (folder() / name).unlink(missing_ok=True)


@needs(Right.KEEP)
def remove_archive(*, user: User, now: datetime) -> None:
    """Remove the archive that lies ready: it holds everything about everybody."""
    (folder() / NAME).unlink(missing_ok=True)


@needs(Right.KEEP)
def import_shop(path: Path, *, user: User, now: datetime) -> dict[str, int]:
    """Read a shop's archive into this installation, where there is none yet.

    Raises
    ------
    ArchiveError

    """
    if not path.is_file():
        raise ArchiveError("no file came with it", "file", "the archive of a shop")
    counts = read_shop(path)
    LOG.info("shop read", extra={"data": {"rows": sum(counts.values())}})
    return counts
