"""Every test database begins as a copy of one that was migrated once for this tree; making one takes seconds."""

from __future__ import annotations

import fcntl
import os
import sqlite3
import subprocess
import sys
from collections.abc import Iterator
from contextlib import closing, contextmanager
from hashlib import sha256
from pathlib import Path
from typing import Any

from django.db import connection
from django.test.runner import DiscoverRunner

ROOT = Path(__file__).resolve().parents[1]
KEPT = ROOT / "var" / "tests"


@contextmanager
def alone(what: str) -> Iterator[None]:
    """One process at a time; the others wait."""
    KEPT.mkdir(parents=True, exist_ok=True)
    with (KEPT / f"{what}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def empty_database() -> Path:
    """A migrated database with nothing in it, made anew where a migration or a package is another."""
    made_of = [*sorted((ROOT / "rainfront").glob("*/migrations/*.py")), *sorted((ROOT / "requirements").glob("*.txt"))]
    digest = sha256(b"".join(path.name.encode() + path.read_bytes() for path in made_of)).hexdigest()[:16]
    path = KEPT / f"empty-{digest}.sqlite3"
    with alone("empty"):
        if not path.exists():
            _migrate(path)
    return path


def _migrate(path: Path) -> None:
    whole = path.with_suffix(".whole")
    for old in KEPT.glob("empty-*"):
        old.unlink()
    settings = {"DJANGO_SETTINGS_MODULE": "rainfront.settings.demo", "RAINFRONT_DEMO_DATABASE": str(whole)}
    program = [sys.executable, str(ROOT / "manage.py"), "migrate", "--verbosity", "0"]
    subprocess.run(program, env={**os.environ, **settings}, cwd=ROOT, check=True)
    with closing(sqlite3.connect(whole)) as made:
        made.execute("VACUUM INTO ?", [str(path)])
    for old in KEPT.glob(f"{whole.name}*"):
        old.unlink()


class Runner(DiscoverRunner):
    """Django's, with the migrated database copied into the one in memory."""

    def setup_databases(self, **kwargs: Any) -> Any:
        """Fill the database before Django looks for what is left to migrate."""
        creation: Any = connection.creation
        create = creation._create_test_db

        def create_filled(*args: Any, **named: Any) -> str:
            name: str = create(*args, **named)
            # A shared database in memory lives as long as somebody holds it.
            self.held = sqlite3.connect(name, uri=True)
            with closing(sqlite3.connect(empty_database())) as empty:
                empty.backup(self.held)
            return name

        creation._create_test_db = create_filled
        made = super().setup_databases(**kwargs)
        if hasattr(self, "held"):
            self.held.close()
        return made
