"""`manage.py export_shop FILE`: the whole shop as an open archive."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from rainfront.exchange.writing import write_shop


class Command(BaseCommand):
    """Write the archive."""

    help = "write the whole shop into an open archive (docs/shop-archive.md); passwords stay here"

    def add_arguments(self, parser: CommandParser) -> None:
        """FILE."""
        parser.add_argument("file", help="where to write it, as in shop.zip")

    def handle(self, *args: Any, **options: Any) -> None:
        """Write and say how much."""
        target = Path(options["file"])
        if target.exists():
            raise CommandError(f"{target} is there already")
        counts = write_shop(target)
        self.stdout.write(f"{counts['jobs.job']} jobs, {counts['jobs.entry']} log lines, {sum(counts.values())} rows")
