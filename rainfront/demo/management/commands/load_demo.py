"""Load the Brinholm Quay demo."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from rainfront.demo.play import load_demo
from rainfront.instruments.models import BenchInstrument, Supply
from rainfront.reference.models import DiodeMeter

INSTRUMENTS = ("meter", "probe", "supply", "thermo", "degrees")


class Command(BaseCommand):
    """Load the demo where there are no jobs yet."""

    help = "Load the Brinholm Quay demo where there are no jobs yet."

    def add_arguments(self, parser: CommandParser) -> None:
        """Ports of this machine that the simulated instruments have got."""
        for name in INSTRUMENTS:
            parser.add_argument(f"--{name}", type=int)

    def handle(self, *args: Any, **options: Any) -> None:
        """Load it, and say where the simulated instruments are."""
        if not settings.DEMO:
            raise CommandError("the demo makes people whose password everybody knows: only under the demo's settings")
        made = load_demo(now=timezone.now())
        self.stdout.write(f"{made} demo jobs made" if made else "jobs are there already, nothing changed")
        point(**{name: options[name] for name in INSTRUMENTS})


def point(
    meter: int | None = None,
    probe: int | None = None,
    supply: int | None = None,
    thermo: int | None = None,
    degrees: int | None = None,
) -> None:
    """Point the workshop's instruments at ports of this machine, those that are named."""
    here = "127.0.0.1"
    first = DiodeMeter.objects.first()
    if probe and first:
        BenchInstrument.objects.update_or_create(
            sheet_meter=first,
            defaults={"name": str(first), "profile": "remote_multimeter", "host": here, "port": probe},
        )
    for port, name, profile in (
        (meter, "Power meter on the mat", "json_lines"),
        (degrees, "Thermocouple at the preheater", "thermocouple_reader"),
    ):
        if port:
            BenchInstrument.objects.update_or_create(
                name=name, defaults={"profile": profile, "host": here, "port": port}
            )
    if supply:
        defaults = {"host": here, "port": supply, "thermo_port": thermo}
        Supply.objects.update_or_create(pk=Supply.current().pk, defaults=defaults)
