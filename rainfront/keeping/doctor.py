"""What is missing for an installation to be trusted: each finding says what would be right."""

from __future__ import annotations

import shutil
import stat
import urllib.error
import urllib.request
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django_tasks_db.models import DBTaskResult

from chargepath.base.errors import ReadingError
from rainfront.cell.models import CellRun
from rainfront.instruments.supply import ask_watch
from rainfront.jobs.models import Entry
from rainfront.keeping import archive, media, places
from rainfront.people.actions import LINK_MADE
from rainfront.people.models import PersonChange, User
from rainfront.stock.models import Item

LEAST_FREE_BYTES = 1_000_000_000
LATE, UNTESTED = timedelta(hours=36), timedelta(days=8)
TASKS_LATE = timedelta(minutes=10)
AHEAD = timedelta(minutes=10)
SECURE_HEADERS = ("Strict-Transport-Security", "Content-Security-Policy", "X-Content-Type-Options")


@dataclass(frozen=True)
class Finding:
    """One thing that was looked at."""

    fine: bool
    text: str


def _open_to_others(path: Path) -> bool:
    return bool(path.stat().st_mode & (stat.S_IRWXG | stat.S_IRWXO))


def _files() -> Iterator[Finding]:
    database = places.database()
    for what, path in (("database", database), ("files", places.files()), ("backups", places.backups())):
        if path.exists():
            open_to = _open_to_others(path)
            right = f"chmod {'700' if path.is_dir() else '600'} {path}"
            said = f"others on the machine can read it: {right}" if open_to else "private"
            yield Finding(not open_to, f"{what}: {said}")
    free = shutil.disk_usage(database.parent if database.parent.exists() else Path("/")).free
    enough = free > LEAST_FREE_BYTES
    yield Finding(enough, f"free disk: {free / 1e9:.1f} GB" + ("" if enough else ", 1 GB or more is needed"))


def _owner(now: datetime) -> Finding:
    """Whether an owner can sign in, or has a one-time link that still opens."""
    owners = User.objects.filter(role=User.Role.OWNER, is_active=True)
    if any(person.has_usable_password() for person in owners):
        return Finding(True, "owner: there")
    since = now - timedelta(seconds=settings.PASSWORD_RESET_TIMEOUT)
    asked = PersonChange.objects.filter(person__in=owners, text__contains=LINK_MADE, at__gt=since).first()
    if asked is not None:
        return Finding(True, f"owner: {asked.person} has a one-time link and has not set a password yet")
    return Finding(False, "owner: nobody can sign in as one: manage.py make_owner NAME")


def _rows(now: datetime) -> Iterator[Finding]:
    executor = MigrationExecutor(connection)
    waiting = executor.migration_plan(executor.loader.graph.leaf_nodes())
    yield Finding(not waiting, "migrations: " + (f"{len(waiting)} wait: make upgrade" if waiting else "all applied"))
    if waiting:
        return
    yield _owner(now)
    gone = media.missing_files()
    yield Finding(not gone, "files of rows: " + (f"{len(gone)} are missing: restore them" if gone else "all there"))


def _kept(now: datetime) -> Iterator[Finding]:
    """What is kept beside the rows that it is the sum of, and whether somebody does what nobody waits for."""
    off = Item.objects.all().off_balance()
    yield Finding(not off, "shelf: " + (f"{len(off)} counts are not the sums of their moves" if off else "adds up"))
    late = DBTaskResult.objects.ready().filter(enqueued_at__lt=now - TASKS_LATE).count()
    yield Finding(not late, "work: " + (f"{late} tasks wait: is rainfront-work running?" if late else "nothing waits"))


def _clock(now: datetime) -> Iterator[Finding]:
    """Whether the last line of a log lies ahead: the clock was set back since, or was wrong then."""
    last = Entry.objects.order_by("-pk").values_list("at", flat=True).first()
    fine = last is None or last < now + AHEAD
    ahead = "" if fine else f"the last line of a log is from {last:%Y-%m-%d %H:%M} UTC, which lies ahead: set the clock"
    yield Finding(fine, f"clock: {ahead or 'goes on from what is stored'}")


def _backups(now: datetime) -> Iterator[Finding]:
    found = archive.list_backups(places.backups())
    if not found:
        yield Finding(False, "backup: none yet: manage.py nightly, and its timer")
        return
    newest = found[0]
    age = now - datetime.fromisoformat(newest.at)
    hours = age.total_seconds() / 3600
    yield Finding(age < LATE, f"backup: {hours:.0f} h old" + ("" if age < LATE else ", a night was missed"))
    tested = next((one for one in found if one.tested_at and not one.trouble), None)
    late = tested is None or now - datetime.fromisoformat(tested.tested_at) > UNTESTED
    yield Finding(
        not late and not newest.trouble,
        f"backup read back: {newest.trouble or 'not lately' if late or newest.trouble else 'yes'}",
    )


def _watch() -> Iterator[Finding]:
    """Whether the watch over the supply answers, and holds nothing that is not confirmed off."""
    try:
        state = ask_watch("state")
    except ReadingError:
        fine = not CellRun.objects.exists()
        yield Finding(
            fine, "watch: it does not answer, so no cell can be charged from the supply; start rainfront-watch"
        )
        return
    doubt = state["doubt"]
    says = f"the supply at {doubt['supply']} is not confirmed off: switch it off by hand" if doubt else ""
    yield Finding(not doubt, f"watch: {says or 'it answers'}")


def _front(url: str) -> Iterator[Finding]:
    """Ask the program through its front door whether a proxy stands there."""
    if not url.startswith("https://"):
        yield Finding(False, f"front door: {url or 'nothing'} is no https address")
        return
    try:
        with urllib.request.urlopen(url, timeout=5) as answer:  # noqa: S310  (https only, checked above)
            headers, body = answer.headers, answer.read(2000)
    except (urllib.error.URLError, OSError, ValueError) as error:
        yield Finding(False, f"front door: {url} does not answer ({type(error).__name__})")
        return
    missing = [name for name in SECURE_HEADERS if name not in headers]
    yield Finding(b'"proxy": true' in body, "proxy: " + ("seen" if b'"proxy": true' in body else "none in front"))
    yield Finding(not missing, "headers: " + (f"missing {', '.join(missing)}" if missing else "set"))


def examine(*, now: datetime, url: str = "") -> list[Finding]:
    """Everything that can be looked at from here.

    Parameters
    ----------
    now : datetime
    url : str
        The health address through the front door, '' to leave that out.

    """
    key = settings.SECRET_KEY
    strong = len(key) >= 50 and len(set(key)) >= 12
    found = [
        Finding(
            not settings.DEBUG, "debug: " + ("on, which shows everything to everybody" if settings.DEBUG else "off")
        ),
        Finding(strong, "key: " + ("strong" if strong else "too short or too plain: 50 characters at random")),
        *_files(),
        *_rows(now),
        *_kept(now),
        *_clock(now),
        *_backups(now),
        *_watch(),
    ]
    return found + (list(_front(url)) if url else [])
