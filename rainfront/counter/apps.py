"""The app."""

from django.apps import AppConfig


class CounterConfig(AppConfig):
    """What happens with the customer, at the counter."""

    name = "rainfront.counter"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Show itself on jobs."""
        from rainfront.counter.extension import Counter
        from rainfront.jobs.extensions import register

        register(Counter())
