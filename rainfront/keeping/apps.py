"""The app."""

from django.apps import AppConfig


class KeepingConfig(AppConfig):
    """What keeps a shop's data."""

    name = "rainfront.keeping"
