"""The app."""

from django.apps import AppConfig


class HeatConfig(AppConfig):
    """How hot and how long."""

    name = "rainfront.heat"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Show itself on the steps of repairs."""
        from rainfront.heat.extension import Heat
        from rainfront.jobs.extensions import register

        register(Heat())
