"""What is done for the list of the day while nobody waits."""

from django_tasks import task

from rainfront.day.standing import keep_up
from rainfront.web.later import at_start
from rainfront.workshop.adapters import Shop

AT_ONCE = 20


@at_start
@task()
def reckon_day() -> None:
    """Reckon every open job that is not reckoned as it stands, for the list of the day."""
    while keep_up(Shop.current(), AT_ONCE):
        pass
