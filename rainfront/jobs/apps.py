"""The app."""

from django.apps import AppConfig
from django.conf import settings


class JobsConfig(AppConfig):
    """The job: its log, its judgement, its repairs and proofs."""

    name = "rainfront.jobs"

    def ready(self) -> None:
        """Learn and reckon again where the numbers are others, and where a job was changed."""
        from rainfront.jobs.models import Job
        from rainfront.jobs.signals import job_changed
        from rainfront.jobs.tasks import learn, reckon_day
        from rainfront.web.later import soon
        from rainfront.workshop.signals import new_numbers, numbers_changed

        def again(**_: object) -> None:
            soon(learn)

        def changed(**_: object) -> None:
            if settings.KEEP_UP:
                soon(reckon_day)

        def others(**_: object) -> None:
            Job.objects.on_bench().update(day_due=True)
            changed()

        numbers_changed.connect(again, dispatch_uid="jobs.learn", weak=False)
        new_numbers.connect(others, dispatch_uid="jobs.numbers", weak=False)
        job_changed.connect(changed, dispatch_uid="jobs.day", weak=False)
