"""`manage.py work`: the one process that does what nobody waits for."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import connection

from rainfront.web.later import take_up


class Command(BaseCommand):
    """Take up what a killed process left, then do tasks as they come."""

    help = "do the tasks that nobody waits for, one process for a database"

    def add_arguments(self, parser: Any) -> None:
        """`--until-done` ends once nothing is left."""
        parser.add_argument("--until-done", action="store_true", help="end once nothing is left")

    def handle(self, *args: Any, **options: Any) -> None:
        """Run; a second one for the same database is refused."""
        with Path(f"{connection.settings_dict['NAME']}.working").open("w", encoding="utf-8") as lock:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError as error:
                raise CommandError("another process works for this database already") from error
            os.nice(10)
            take_up()
            call_command("db_worker", interval=0.5, batch=options["until_done"], startup_delay=False, verbosity=0)
