"""The app of people."""

from django.apps import AppConfig


class PeopleConfig(AppConfig):
    """Listens to who signs in from the start."""

    name = "rainfront.people"

    def ready(self) -> None:
        """Connect."""
        from rainfront.people import signals  # noqa: F401
