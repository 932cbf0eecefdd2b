"""`manage.py make_owner NAME`: the first account, or a way back in for who holds the machine."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from chargepath.base.errors import ChargepathError
from rainfront.people.actions import make_owner


class Command(BaseCommand):
    """Make an owner and print the page on which the password is set."""

    help = "make somebody the owner and print a one-time link, good for a day, at which they set their password"

    def add_arguments(self, parser: CommandParser) -> None:
        """NAME, and where the program is reached."""
        parser.add_argument("name", help="the name to sign in with")
        parser.add_argument("--at", default="", help="where people reach the program, as in https://bench.example")

    def handle(self, *args: Any, **options: Any) -> None:
        """Make and print."""
        try:
            person, path = make_owner(options["name"], now=timezone.now())
        except ChargepathError as error:
            raise CommandError(str(error)) from error
        host = next((name for name in settings.ALLOWED_HOSTS if name.strip(".*")), "")
        at = (options["at"] or (f"https://{host}" if host else "")).rstrip("/")
        self.stdout.write(f"{person.username} is an owner. Within a day, set the password here, once:\n{at}{path}")
