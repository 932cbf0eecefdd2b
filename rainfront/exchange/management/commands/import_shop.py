"""`manage.py import_shop FILE`: a shop's archive into an empty installation."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from chargepath.base.errors import ChargepathError
from rainfront.exchange.reading import read_shop


class Command(BaseCommand):
    """Read the archive."""

    help = "read a shop's archive into an empty installation, as a whole or not at all"

    def add_arguments(self, parser: CommandParser) -> None:
        """FILE."""
        parser.add_argument("file", help="the archive, as `export_shop` writes it")

    def handle(self, *args: Any, **options: Any) -> None:
        """Read and say how much, and how people sign in."""
        try:
            counts = read_shop(Path(options["file"]))
        except ChargepathError as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"{counts['jobs.job']} jobs, {counts['jobs.entry']} log lines, {sum(counts.values())} rows")
        self.stdout.write("Nobody has a password yet: `manage.py make_owner NAME` prints the link for the first.")
