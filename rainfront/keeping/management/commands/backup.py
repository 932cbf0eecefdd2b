"""`manage.py backup`: one checked archive of database and files, while people work."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from chargepath.base.errors import ChargepathError
from rainfront.keeping.actions import backup


class Command(BaseCommand):
    """Make a backup."""

    help = "make one checked archive of database and files, while people work; older ones are rotated"

    def handle(self, *args: Any, **options: Any) -> None:
        """Make it."""
        try:
            made = backup(now=timezone.now())
        except (ChargepathError, OSError) as error:
            raise CommandError(f"no backup was made: {error}") from error
        self.stdout.write(f"{made.name}: {made.jobs} jobs, {made.files} files, {made.size / 1e6:.1f} MB")
