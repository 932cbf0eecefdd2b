"""Load the Brinholm Quay demo."""

from typing import Any

from django.core.management.base import BaseCommand
from django.utils import timezone

from rainfront.demo.play import load_demo


class Command(BaseCommand):
    """Load the demo where there are no jobs yet."""

    help = "Load the Brinholm Quay demo where there are no jobs yet."

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        made = load_demo(now=timezone.now())
        self.stdout.write(f"{made} demo jobs made" if made else "jobs are there already, nothing changed")
