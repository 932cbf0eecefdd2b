"""`manage.py restore ARCHIVE`: put a backup into an empty place."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connections
from django.db.migrations.loader import MigrationLoader

from chargepath.base.errors import ChargepathError
from rainfront.keeping import places
from rainfront.keeping.archive import restore


def _known() -> set[tuple[str, str]]:
    """The migrations that this version has, and those of earlier versions that they replace."""
    here = MigrationLoader(None).disk_migrations or {}
    return {*here, *((app, name) for migration in here.values() for app, name in migration.replaces)}


class Command(BaseCommand):
    """Read a backup back."""

    help = "put a backup into the place that the settings name, which has to be empty, and migrate it"
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: CommandParser) -> None:
        """ARCHIVE."""
        parser.add_argument("archive", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Restore, then bring it to this version."""
        try:
            jobs = restore(options["archive"], places.database(), places.files(), _known())
        except (ChargepathError, OSError) as error:
            raise CommandError(f"nothing was restored: {error}") from error
        connections.close_all()
        call_command("migrate", verbosity=0)
        self.stdout.write(f"{jobs} jobs are back, in {places.database()}")
