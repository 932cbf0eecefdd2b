"""What the logbook does while nobody waits."""

from django_tasks import task

from rainfront.logbook.index import follow_jobs, forget_words, make_anew
from rainfront.web.later import at_start
from rainfront.workshop.adapters import Shop


@at_start
@task()
def follow() -> None:
    """Make the pages of jobs that were written on."""
    shop = Shop.current()
    make_anew(shop)
    while follow_jobs(shop):
        pass


@task()
def forget() -> None:
    """Make the pages of what was redacted anew, and take it out of the search's own table."""
    follow.call()
    forget_words()
