"""What is done for jobs while nobody waits."""

from django.utils import timezone
from django_tasks import task

from rainfront.web.later import at_start
from rainfront.workshop.adapters import Shop

AT_ONCE = 20


@at_start
@task()
def learn() -> None:
    """Count what closed jobs teach."""
    from rainfront.jobs.actions.learn import count_examples  # Actions ask for it.

    count_examples(now=timezone.now())


@at_start
@task()
def reckon_day() -> None:
    """Reckon every open job that is not reckoned as it stands, for the list of the day."""
    from rainfront.jobs.standing import keep_up

    while keep_up(Shop.current(), AT_ONCE):
        pass
