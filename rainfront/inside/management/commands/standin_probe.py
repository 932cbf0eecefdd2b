"""A simulated multimeter in diode mode on this machine, a process of its own."""

from __future__ import annotations

import asyncio
import contextlib
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from chargepath.knowledge.pinmaps import PinMap
from chargepath.standin.board import BOARD_FAULTS
from chargepath.standin.faults import GOOD
from chargepath.standin.multimeter import RATE, StandinMultimeter
from rainfront.instruments.serving import serve
from rainfront.practice.adapters import Practice


def shipped_map(map_id: str) -> PinMap | None:
    """A shipped pin map; shops' own connectors are not on the simulated board."""
    known = Practice.as_shipped().known
    return known.connectors[map_id].map if map_id in known.connectors else known.points.get(map_id)


class Command(BaseCommand):
    """Serve the stand-in multimeter's lines over TCP (docs/meter-protocol.md)."""

    help = "Serve a simulated multimeter over TCP on this machine."
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: CommandParser) -> None:
        """Port and the board under the probe."""
        parser.add_argument("--port", type=int, default=7712)
        parser.add_argument("--board", default=GOOD, choices=[GOOD, *BOARD_FAULTS])

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until interrupted."""
        meter = StandinMultimeter(shipped_map)
        meter.fault = options["board"]
        with contextlib.suppress(KeyboardInterrupt):
            asyncio.run(serve(meter, options["port"], RATE))
