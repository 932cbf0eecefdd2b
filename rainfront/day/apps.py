"""The app."""

from django.apps import AppConfig
from django.conf import settings


class DayConfig(AppConfig):
    """The list of the day."""

    name = "rainfront.day"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Reckon again where a job was changed, and every open job where the numbers are others."""
        from rainfront.day.tasks import reckon_day
        from rainfront.jobs.models import Job
        from rainfront.jobs.signals import job_changed
        from rainfront.web.later import soon
        from rainfront.workshop.signals import new_numbers

        def changed(**_: object) -> None:
            if settings.KEEP_UP:
                soon(reckon_day)

        def others(**_: object) -> None:
            Job.objects.on_bench().update(day_due=True)
            changed()

        new_numbers.connect(others, dispatch_uid="day.numbers", weak=False)
        job_changed.connect(changed, dispatch_uid="day.jobs", weak=False)
