"""Learning from closed jobs: a new snapshot once enough of them came together."""

from __future__ import annotations

from datetime import datetime

from chargepath.learning.estimate import learn
from rainfront.jobs.lessons import lessons_of
from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User
from rainfront.practice.actions import store_lessons
from rainfront.practice.adapters import Practice
from rainfront.practice.models import Learned

# A snapshot is made anew once this share of the jobs behind it is new: at every job in the beginning, seldom later.
NEW_SHARE = 0.02


def learn_again(
    *, user: User, now: datetime, practice: Practice | None = None, withdrawn: bool = False
) -> Learned | None:
    """Learn from every closed job, unless learning is frozen or off, or hardly anything is new.

    A lesson that is `withdrawn`, since its job was opened again, is forgotten at once.

    The prior is the knowledge without anything learned: what ships, with the numbers that the shop has set by hand in
    their place.
    """
    last = Learned.objects.first()
    if last is not None and last.state != Learned.State.ON:
        return None
    fresh, newest = Entry.objects.lessons_since(last.seen if last else 0)
    if last is not None and not withdrawn and fresh < NEW_SHARE * last.jobs:
        return None
    jobs = Job.objects.teaching(last.since if last else None)
    prior = (practice or Practice.current()).changed
    lessons = [lesson for job in jobs for lesson in lessons_of(job, prior)]
    return store_lessons(learn(prior, lessons), newest, user=user, now=now)
