"""What has been sent, so that nothing is stored twice."""

from django.db import models


class Sent(models.Model):
    """A form that is stored: its once-only key, a digest of what it held, and the page where its answer leads."""

    key = models.CharField(max_length=64)
    digest = models.CharField(max_length=64)
    answer = models.CharField(max_length=300, blank=True)
    at = models.DateTimeField(auto_now_add=True, db_index=True)

    class Meta:
        """A key with other content is another form: a page that stays open may send several."""

        constraints = [models.UniqueConstraint(fields=["key", "digest"], name="sent_once")]

    def __str__(self) -> str:
        return self.key
