"""A simulated USB power meter on this machine, a process of its own."""

from __future__ import annotations

import asyncio
import contextlib
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from chargepath.standin.meter import StandinMeter
from rainfront.instruments.serving import serve


class Command(BaseCommand):
    """Serve the stand-in meter's lines over TCP (docs/meter-protocol.md)."""

    help = "Serve a simulated USB power meter over TCP on this machine."
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: CommandParser) -> None:
        """Port, and how many times faster than the clock its time runs."""
        parser.add_argument("--port", type=int, default=7711)
        parser.add_argument("--speed", type=float, default=1.0)

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until interrupted."""
        meter = StandinMeter()
        with contextlib.suppress(KeyboardInterrupt):
            asyncio.run(serve(meter, options["port"], meter.rate * options["speed"]))
