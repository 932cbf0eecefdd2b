"""What is learned while nobody waits."""

from django.utils import timezone
from django_tasks import task

from rainfront.learning.actions import count_examples
from rainfront.web.later import at_start


@at_start
@task()
def learn() -> None:
    """Count what closed jobs teach."""
    count_examples(now=timezone.now())
