"""The app."""

from django.apps import AppConfig


class CellConfig(AppConfig):
    """Flat cells on the bench supply."""

    name = "rainfront.cell"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Show itself on jobs."""
        from rainfront.cell.extension import CellDesk
        from rainfront.jobs.extensions import register

        register(CellDesk())
