"""What is reckoned for insights while nobody waits."""

from django.utils import timezone
from django_tasks import task

from rainfront.insights.reckoning import PERIODS, figures_for, reckon


@task()
def reckon_figures() -> None:
    """Make the figures of every period anew that closed jobs have changed since."""
    now = timezone.now()
    for period in PERIODS:
        if figures_for(period, now).late:
            reckon(period, now)
