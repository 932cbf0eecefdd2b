"""Simulated instruments on this machine, all on one simulated device: a USB meter, a multimeter that is asked, a bench
supply and a thermocouple that speak our own lines; a second power meter and a thermocouple reader that speak text.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Coroutine
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from benchtalk.standing_in import StandingIn
from chargepath.knowledge.pinmaps import PinMap
from chargepath.standin.bench import StandinBench
from chargepath.standin.bench_supply import StandinSupply, StandinThermocouple
from chargepath.standin.faults import BY_NAME, GOOD
from chargepath.standin.meter import StandinMeter
from chargepath.standin.multimeter import StandinMultimeter
from chargepath.standin.talkers import StandinPowerStream, StandinRemoteMultimeter, StandinThermoStream
from rainfront.instruments.serving import serve, serve_answers
from rainfront.workshop.adapters import Shop

THERMO_RATE = 2.0


def shipped_map(map_id: str) -> PinMap | None:
    """A shipped pin map; shops' own connectors are not on the simulated board."""
    known = Shop.as_shipped().known
    return known.connectors[map_id].map if map_id in known.connectors else known.points.get(map_id)


class Command(BaseCommand):
    """Serve those that have got a port over TCP (docs/instrument-protocols.md)."""

    help = "Serve simulated instruments over TCP on this machine, those that are given a port."
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: CommandParser) -> None:
        """The device, ports, and how many times faster than the clock time runs."""
        parser.add_argument("--device", default=GOOD, choices=list(BY_NAME), help="that lies on the bench at first")
        parser.add_argument("--percent", type=float, default=40.0, help="of its cell")
        parser.add_argument("--meter", type=int)
        parser.add_argument("--speed", type=float, default=1.0, help="of the meter's device")
        parser.add_argument("--probe", type=int)
        parser.add_argument("--power", type=int)
        parser.add_argument("--degrees", type=int)
        parser.add_argument("--supply", type=int)
        parser.add_argument("--thermo", type=int)
        parser.add_argument("--cell-speed", type=float, default=1.0, help="of the cell on the supply")

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until interrupted."""
        bench = StandinBench(options["device"], percent=options["percent"])
        served: list[Coroutine[Any, Any, None]] = []
        if options["meter"]:
            meter = StandinMeter(bench)
            served.append(serve(meter, options["meter"], meter.rate * options["speed"]))
        supply = StandinSupply(bench)
        supply.speed = options["cell_speed"]
        for name, talker in (
            ("probe", StandinRemoteMultimeter(StandinMultimeter(shipped_map, bench))),
            ("power", StandinPowerStream(StandinMeter(bench, seed=2))),
            ("degrees", StandinThermoStream(StandinThermocouple(supply))),
        ):
            if options[name]:
                StandingIn(talker, port=options[name]).start()
        if options["supply"]:
            served.append(serve_answers(supply, options["supply"]))
        if options["thermo"]:
            served.append(serve(StandinThermocouple(supply), options["thermo"], THERMO_RATE))

        async def every() -> None:
            await asyncio.gather(*served, asyncio.Event().wait())

        with contextlib.suppress(KeyboardInterrupt):
            asyncio.run(every())
