"""What is written out while nobody waits."""

from django_tasks import task

from rainfront.exchange.actions import make_wanted
from rainfront.web.later import at_start


@at_start
@task()
def write_archive() -> None:
    """Make the shop's archive where one is asked for."""
    make_wanted()
