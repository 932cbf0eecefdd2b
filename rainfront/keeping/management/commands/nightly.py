"""`manage.py nightly`: what a timer runs by night."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from chargepath.base.errors import ChargepathError
from rainfront.keeping.actions import backup, test_newest, tidy


class Command(BaseCommand):
    """Tidy, back up, and read the backup back."""

    help = "clear away what nobody needs, make a backup, read it back as after a loss"

    def handle(self, *args: Any, **options: Any) -> None:
        """All three; what failed is told by the exit code."""
        now = timezone.now()
        done = tidy(now=now)
        self.stdout.write(
            f"cleared: {done.orphans} files, {done.drafts} drafts; {done.erased} jobs lost their customer by age"
        )
        try:
            made = backup(now=now)
            tested = test_newest(now=now)
        except (ChargepathError, OSError) as error:
            raise CommandError(f"no backup was made: {error}") from error
        if tested is None or tested.trouble:
            raise CommandError(f"{made.name} could not be read back: {tested.trouble if tested else 'it is gone'}")
        self.stdout.write(f"{made.name}: {made.jobs} jobs, {made.files} files, read back")
