"""The app."""

from django.apps import AppConfig


class ExchangeConfig(AppConfig):
    """In and out."""

    name = "rainfront.exchange"
    default_auto_field = "django.db.models.BigAutoField"
