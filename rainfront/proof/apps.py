"""The app."""

from django.apps import AppConfig


class ProofConfig(AppConfig):
    """The proof of a job, its seal tests, and closing it."""

    name = "rainfront.proof"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Show itself on jobs."""
        from rainfront.jobs.extensions import register
        from rainfront.proof.extension import ProofPages

        register(ProofPages())
