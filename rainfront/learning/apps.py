"""The app."""

from django.apps import AppConfig


class LearningConfig(AppConfig):
    """What closed jobs teach."""

    name = "rainfront.learning"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Count again where an example has changed, and where the numbers are others that learning begins from."""
        from rainfront.jobs.signals import examples_changed
        from rainfront.learning.tasks import learn
        from rainfront.web.later import soon
        from rainfront.workshop.signals import numbers_changed

        def again(**_: object) -> None:
            soon(learn)

        numbers_changed.connect(again, dispatch_uid="learning.numbers", weak=False)
        examples_changed.connect(again, dispatch_uid="learning.examples", weak=False)
