"""Every test database begins as a copy of one that was migrated once for this tree; making one takes seconds."""

from __future__ import annotations

import fcntl
import json
import math
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import ExitStack, closing, contextmanager, suppress
from hashlib import sha256
from io import StringIO
from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.db import connection
from django.test.runner import DiscoverRunner

from rainfront.logbook import alike
from tests.results import QuietResult, TimedParallelSuite, tests_of

ROOT = Path(__file__).resolve().parents[1]
KEPT = ROOT / "var" / "tests"
SHARED = KEPT / "shared.json"


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


def share(make: Callable[[Path], tuple[int, str]]) -> str:
    """Where something answers that all processes of a run share: made by the first that needs it, stopped at the end.

    `make` takes a folder and returns a process (leader of its group) and an address.
    """
    with alone("shared"):
        if not SHARED.exists():
            folder = tempfile.mkdtemp()
            process, address = make(Path(folder))
            SHARED.write_text(json.dumps([process, address, folder]))
        return str(json.loads(SHARED.read_text())[1])


def stop_shared() -> None:
    """Stop what is shared, if anything is."""
    if SHARED.exists():
        process, _, folder = json.loads(SHARED.read_text())
        with suppress(ProcessLookupError):
            os.killpg(process, signal.SIGTERM)
        shutil.rmtree(folder, ignore_errors=True)
        SHARED.unlink()


class Runner(DiscoverRunner):
    """Django's runner: the migrated database is copied into each test database, and a run prints a line a module."""

    parallel_test_suite = TimedParallelSuite

    def get_resultclass(self) -> type[QuietResult]:
        """Return the result that is quiet about what passes."""
        return QuietResult

    def run_checks(self, databases: Any) -> None:
        """Run the system checks; they print only what is wrong."""
        call_command("check", databases=databases, verbosity=0, stdout=StringIO())

    def run_suite(self, suite: Any, **kwargs: Any) -> Any:
        """Tell the result which tests will run, then run them."""
        runner = self.test_runner(**self.get_test_runner_kwargs())
        make = runner._makeResult

        def make_expecting() -> QuietResult:
            result: QuietResult = make()
            result.expect(tests_of(suite))
            return result

        runner._makeResult = make_expecting
        try:
            return runner.run(suite)
        finally:
            if self._shuffler is not None:
                self.log(f"Used shuffle seed: {self._shuffler.seed_display}")

    def setup_test_environment(self, **kwargs: Any) -> None:
        """Nothing of a run that was killed is left."""
        super().setup_test_environment(**kwargs)
        stop_shared()
        # Pages look for what other processes wrote to the logbook after a second has gone by: how many queries a page
        # takes would depend on the clock. What this process writes is seen at once by a signal.
        alike.SEEN_AFTER_S = math.inf

    def setup_databases(self, **kwargs: Any) -> Any:
        """Fill the database before Django looks for what is left to migrate, and before it is copied."""
        creation: Any = connection.creation
        named_file = Path(creation._get_test_db_name())
        if named_file.is_absolute():  # A killed run leaves its files; an old log beside a new file spoils it.
            for left in named_file.parent.glob(f"{named_file.stem}*{named_file.suffix}*"):
                left.unlink()
        create, clone = creation._create_test_db, creation._clone_test_db
        with ExitStack() as held:

            def create_filled(*args: Any, **named: Any) -> str:
                name: str = create(*args, **named)
                # A shared database in memory lives as long as somebody holds it.
                made = held.enter_context(closing(sqlite3.connect(name, uri=name.startswith("file:"))))
                with closing(sqlite3.connect(empty_database())) as empty:
                    empty.backup(made)
                return name

            def clone_whole(*args: Any, **named: Any) -> None:
                with connection.cursor() as cursor:
                    # What is still in the log beside the file would not be copied with it.
                    cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
                clone(*args, **named)

            creation._create_test_db, creation._clone_test_db = create_filled, clone_whole
            return super().setup_databases(**kwargs)

    def teardown_databases(self, *args: Any, **kwargs: Any) -> None:
        """Stop what tests have started for all of them."""
        super().teardown_databases(*args, **kwargs)
        stop_shared()
