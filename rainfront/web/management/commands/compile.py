"""`manage.py compile`: what is compiled is kept, so that the next start reads it; needs no database."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from rainfront.web.ready import get_ready


class Command(BaseCommand):
    """Compile the computation's inner loops."""

    help = "compile the inner loops of the computation and keep them for later starts"
    requires_system_checks: list[str] = []

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        get_ready()
