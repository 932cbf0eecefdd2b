"""The application."""

from django.apps import AppConfig


class InsideConfig(AppConfig):
    """Inside."""

    name = "rainfront.inside"

    def ready(self) -> None:
        """Show itself on the pages of a job."""
        from rainfront.inside.extension import Inside
        from rainfront.jobs.extensions import register

        register(Inside())
