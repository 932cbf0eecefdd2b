"""`manage.py tidy`: what runs before the program starts."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand
from django.utils import timezone

from rainfront.keeping.actions import tidy
from rainfront.web.ready import get_ready


class Command(BaseCommand):
    """Clear away what a broken-off run has left."""

    help = "before the program starts: remove files without a row, old drafts, sessions and keys"

    def handle(self, *args: Any, **options: Any) -> None:
        """Nothing else runs now, so no file is under way."""
        get_ready()
        done = tidy(now=timezone.now(), orphans_older_s=0.0)
        self.stdout.write(f"cleared: {done.orphans} files, {done.drafts} drafts")
