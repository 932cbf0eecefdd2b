"""The application; it starts only with knowledge that holds together."""

from django.apps import AppConfig
from django.core.exceptions import ImproperlyConfigured

from chargepath.base.errors import KnowledgeError
from chargepath.knowledge.loader import shipped


class WorkshopConfig(AppConfig):
    """What the shop goes by."""

    name = "rainfront.workshop"

    def ready(self) -> None:
        """Read and check the knowledge once, at the start.

        Raises
        ------
        ImproperlyConfigured
            With every problem in the knowledge files, each naming file, table and key.

        """
        try:
            shipped()
        except KnowledgeError as error:
            raise ImproperlyConfigured(str(error)) from None
