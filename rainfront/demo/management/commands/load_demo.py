"""Load the Brinholm Quay demo."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from rainfront.demo.play import load_demo


class Command(BaseCommand):
    """Load the demo where there are no jobs yet."""

    help = "Load the Brinholm Quay demo where there are no jobs yet."

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        if not settings.DEMO:
            raise CommandError("the demo makes people whose password everybody knows: only under the demo's settings")
        made = load_demo(now=timezone.now())
        self.stdout.write(f"{made} demo jobs made" if made else "jobs are there already, nothing changed")
