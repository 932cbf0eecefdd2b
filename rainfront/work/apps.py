"""The app."""

from django.apps import AppConfig


class WorkConfig(AppConfig):
    """The work on a device: the steps of a repair, its waits, its screws."""

    name = "rainfront.work"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Show itself on jobs."""
        from rainfront.jobs.extensions import register
        from rainfront.work.extension import Work

        register(Work())
