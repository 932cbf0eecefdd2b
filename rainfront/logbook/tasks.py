"""What the logbook does while nobody waits."""

from django_tasks import task

from rainfront.logbook.index import follow_jobs, forget_words, make_anew
from rainfront.practice.adapters import Practice
from rainfront.web.later import at_start


@at_start
@task()
def follow() -> None:
    """Make the pages of jobs that were written on."""
    practice = Practice.current()
    make_anew(practice)
    while follow_jobs(practice):
        pass


@task()
def forget() -> None:
    """Make the pages of what was redacted anew, and take it out of the search's own table."""
    follow.call()
    forget_words()
