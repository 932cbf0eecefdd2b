"""The app."""

from django.apps import AppConfig


class ExchangeConfig(AppConfig):
    """In and out."""

    name = "rainfront.exchange"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Show itself on jobs."""
        from rainfront.exchange.actions import drop_archive
        from rainfront.exchange.extension import CaseFile
        from rainfront.jobs.extensions import register
        from rainfront.jobs.signals import words_redacted

        register(CaseFile())
        words_redacted.connect(drop_archive, dispatch_uid="exchange.redacted", weak=False)
