"""The application."""

from django.apps import AppConfig


class InstrumentsConfig(AppConfig):
    """Instruments."""

    name = "rainfront.instruments"

    def ready(self) -> None:
        """Show itself on the pages of a job."""
        from rainfront.instruments.extension import Instruments
        from rainfront.jobs.extensions import register

        register(Instruments())
