"""The app."""

from django.apps import AppConfig


class InsightsConfig(AppConfig):
    """What closed jobs say of the shop."""

    name = "rainfront.insights"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Follow the logbook."""
        from rainfront.insights.facts import keep_facts
        from rainfront.logbook.signals import page_written

        page_written.connect(keep_facts, dispatch_uid="insights.facts")
