"""Point the first multimeter at a port of this machine."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from rainfront.reference.models import DiodeMeter


class Command(BaseCommand):
    """Set the first multimeter's live address; the demo does this with the port its simulated one got."""

    help = "Point the first multimeter at a port of this machine."

    def add_arguments(self, parser: CommandParser) -> None:
        """Port."""
        parser.add_argument("port", type=int)

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        first = DiodeMeter.objects.first()
        if first:
            DiodeMeter.objects.filter(pk=first.pk).update(host="127.0.0.1", port=options["port"])
