"""What has been sent, so that nothing is stored twice."""

from django.db import models


class Sent(models.Model):
    """One form that was sent: its once-only key, what it held, and where its answer led; empty while under way."""

    key = models.CharField(max_length=64, unique=True)
    digest = models.CharField(max_length=64)
    answer = models.CharField(max_length=300, blank=True)
    at = models.DateTimeField(auto_now_add=True, db_index=True)

    def __str__(self) -> str:
        return self.key
