"""The app."""

from django.apps import AppConfig


class JobsConfig(AppConfig):
    """The job: its log, its judgement, what is decided on it."""

    name = "rainfront.jobs"
