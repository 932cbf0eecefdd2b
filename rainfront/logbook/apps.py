"""The app."""

from django.apps import AppConfig
from django.conf import settings


class LogbookConfig(AppConfig):
    """Everything that is in any job, found again."""

    name = "rainfront.logbook"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Show itself on jobs, and follow them."""
        from rainfront.jobs.extensions import register
        from rainfront.jobs.signals import job_changed, words_redacted
        from rainfront.logbook.extension import Logbook
        from rainfront.logbook.tasks import follow, forget
        from rainfront.web.later import soon

        def changed(**_: object) -> None:
            if settings.KEEP_UP:
                soon(follow)

        def redacted(**_: object) -> None:
            soon(forget)

        register(Logbook())
        job_changed.connect(changed, dispatch_uid="logbook.follow", weak=False)
        words_redacted.connect(redacted, dispatch_uid="logbook.forget", weak=False)
