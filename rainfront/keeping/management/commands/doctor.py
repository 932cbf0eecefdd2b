"""`manage.py doctor`: what is missing for an installation to be trusted."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from rainfront.keeping.doctor import examine


class Command(BaseCommand):
    """Look at everything."""

    help = "say what is missing: rights of files, key, backups, migrations, free disk, and the proxy in front"

    def add_arguments(self, parser: CommandParser) -> None:
        """The front door."""
        parser.add_argument("--url", default=None, help="the health address from outside; 'none' to leave it out")

    def handle(self, *args: Any, **options: Any) -> None:
        """Say it; the exit code tells whether all is fine."""
        host = next((name for name in settings.ALLOWED_HOSTS if name.strip(".*")), "")
        url = f"https://{host}/health/" if options["url"] is None else options["url"]
        found = examine(now=timezone.now(), url="" if url == "none" else url)
        for one in found:
            self.stdout.write(f"{'fine   ' if one.fine else 'MISSING'} {one.text}")
        if not all(one.fine for one in found):
            raise CommandError("something is missing")
