"""Learning from closed jobs: each one's tally is added to the shop's, withdrawn where the job changes, and the numbers
are worked out anew once enough of them came together.

Nothing of it is done while somebody waits. What is still to be counted stands on the jobs themselves.
"""

from __future__ import annotations

from collections import Counter
from datetime import datetime
from typing import Any

from django.db import transaction

from chargepath.knowledge import Knowledge
from chargepath.learning.estimate import estimate
from chargepath.learning.tally import from_plain, tally_of, to_plain
from rainfront.jobs.models import Job
from rainfront.learning.examples import examples_due, examples_of
from rainfront.learning.models import Counted, Counting, Taught
from rainfront.workshop.actions import store_estimates
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import Learned

# The numbers are worked out anew once this share of the jobs behind them is new: at every job in the beginning, seldom
# later.
NEW_SHARE = 0.02
AT_ONCE = 100


def count_examples(*, now: datetime) -> Learned | None:
    """Count every example that is due, unless learning is frozen or off; the new numbers where there are any.

    The prior is the knowledge without anything learned: what ships, with the numbers that the shop has set by hand in
    their place. Where that is another than last time, or learning was begun anew, every closed job is due.
    """
    last = Learned.objects.first()
    if last is not None and last.state != Learned.State.ON:
        return None
    shop, since = Shop.current(), last.since if last else None
    _begin(f"{shop.prior} {since.isoformat() if since else ''}".strip())
    while _count_some(shop.changed, since):
        pass
    return _work_out(shop.changed, last, now)


def _begin(basis: str) -> None:
    """Have every closed job counted where the numbers or the beginning are others than last time."""
    with transaction.atomic():
        so_far, _ = Counting.objects.select_for_update().get_or_create(pk=1)
        if so_far.basis != basis:
            Job.objects.filter(stage="closed", example_due=0).update(example_due=1)
            so_far.basis, so_far.withdrawn = basis, True
            so_far.save(update_fields=["basis", "withdrawn"])


def _count_some(prior: Knowledge, since: datetime | None) -> int:
    """Count some of the examples that are due, together or not at all; how many there were."""
    jobs: list[Any] = list(examples_due()[:AT_ONCE])
    teach = set(Job.objects.filter(pk__in=[job.pk for job in jobs]).teaching(since).values_list("pk", flat=True))
    found = {job.pk: to_plain(tally_of(prior, examples_of(job, prior))) for job in jobs if job.pk in teach}
    with transaction.atomic():
        change: Counter[str] = Counter()
        before = {row.job_id: row.tally for row in Taught.objects.filter(job__in=jobs)}
        fresh, withdrawn = 0, False
        for job in jobs:
            # What has changed once more meanwhile stays due.
            if not Job.objects.filter(pk=job.pk, example_due=job.example_due).update(example_due=0):
                continue
            old, new = before.get(job.pk), found.get(job.pk)
            change.subtract(old or {})
            change.update(new or {})
            if new is None:
                Taught.objects.filter(job=job).delete()
            else:
                Taught.objects.update_or_create(job=job, defaults={"tally": new})
            withdrawn |= old is not None and new != old
            fresh += 1
        Counted.objects.add(change)
        so_far = Counting.objects.get(pk=1)
        so_far.fresh, so_far.withdrawn = so_far.fresh + fresh, so_far.withdrawn or withdrawn
        so_far.save(update_fields=["fresh", "withdrawn"])
    return len(jobs)


def _work_out(prior: Knowledge, last: Learned | None, now: datetime) -> Learned | None:
    """New numbers, where enough is new or something was withdrawn."""
    so_far = Counting.objects.get(pk=1)
    if not so_far.withdrawn and (not so_far.fresh or (last is not None and so_far.fresh < NEW_SHARE * last.jobs)):
        return None
    estimates = estimate(prior, from_plain(dict(Counted.objects.values_list("key", "count"))))
    if last is None and not estimates.jobs and not estimates.minutes:
        return None
    with transaction.atomic():
        made = store_estimates(estimates, user=None, now=now)
        Counting.objects.filter(pk=1).update(fresh=0, withdrawn=False)
    return made
