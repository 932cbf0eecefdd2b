"""The application."""

from django.apps import AppConfig


class BoardConfig(AppConfig):
    """Boards."""

    name = "rainfront.board"

    def ready(self) -> None:
        """Show itself on the pages of a job."""
        from rainfront.board.extension import Boards
        from rainfront.jobs.extensions import register

        register(Boards())
