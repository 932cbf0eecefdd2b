"""Point the workshop's meter at a port of this machine."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from rainfront.instruments.models import Meter


class Command(BaseCommand):
    """Set the meter's address; the demo does this with the port its simulated meter got."""

    help = "Point the meter at a port of this machine."

    def add_arguments(self, parser: CommandParser) -> None:
        """Port."""
        parser.add_argument("port", type=int)

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        Meter.objects.update_or_create(pk=Meter.current().pk, defaults={"host": "127.0.0.1", "port": options["port"]})
