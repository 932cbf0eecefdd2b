"""What nobody waits for: learning one job at a time, outside the request, safe against a kill."""

import fcntl
import json
import os
import signal
import subprocess
import sys
import time
from datetime import timedelta

from django.apps import apps
from django.test import SimpleTestCase, TestCase, override_settings
from django.utils import timezone

from chargepath.learning.estimate import learn
from chargepath.learning.examples import to_json
from rainfront.day.tasks import reckon_day
from rainfront.jobs.actions import link_return
from rainfront.jobs.models import Job
from rainfront.learning import actions as learning_actions
from rainfront.learning.examples import examples_of
from rainfront.learning.models import Counted, Taught
from rainfront.logbook.tasks import follow
from rainfront.proof import actions as proof_actions
from rainfront.web.later import LEFT_LYING_S, left_lying, soon, take_up
from rainfront.workshop.actions import change_number
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import Learned
from tests.builders import NOW, make_job, make_user
from tests.shop import ROOT, RunningShop
from tests.sizes import sized
from tests.web.test_pages import Signed


class OneByOne(Signed):
    def closed(self, faults=("port_fouled",), lines=("port lint", "did clean_port yes"), **more):
        job = make_job(self.user, lines, **more)
        return proof_actions.close_job(job, list(faults), user=self.user, now=NOW + timedelta(hours=1))

    def scratch(self):
        """What all closed jobs teach, counted anew."""
        prior = Shop.current().changed
        jobs = Job.objects.filter(pk__in=Job.objects.teaching()).prefetch_related(
            "entries", "repairs__steps", "came_back_as"
        )
        return to_json(learn(prior, [example for job in jobs for example in examples_of(job, prior)]))

    def same(self):
        self.assertEqual(to_json(Shop.current().estimates), self.scratch())

    def test_added_changed_withdrawn_and_come_back_is_as_counted_anew(self):
        first, _, third = (
            self.closed(),
            self.closed(("battery_worn",), ("cell 2.9", "did swap_battery yes")),
            self.closed(),
        )
        self.same()
        proof_actions.reopen_job(first, "wrong box", came_back=False, user=self.user, now=NOW)
        self.assertFalse(Taught.objects.filter(job=first).exists())
        self.same()
        proof_actions.close_job(
            Job.objects.get(pk=first.pk), ["port_worn"], user=self.user, now=NOW + timedelta(hours=2)
        )
        self.same()
        again = make_job(self.user)
        link_return(again, third.pk, True, user=self.user, now=NOW)
        self.same()
        self.assertIn("back", "".join(Counted.objects.values_list("key", flat=True)))

    def test_a_number_that_the_lead_changes_has_everything_counted_by_it(self):
        lead = make_user("lead", role="lead")
        for _ in range(3):
            self.closed()
        change_number("faults.port_fouled.weight", 0.4, "here", user=lead, now=NOW)
        self.same()

    def test_nothing_is_counted_twice_nor_kept_of_earlier_numbers(self):
        for _ in range(4):
            self.closed()
            learning_actions.count_examples(now=NOW)
        self.assertEqual((Learned.objects.count(), Learned.objects.get().jobs), (1, 4))
        self.assertFalse(Job.objects.filter(example_due__gt=0).exists())

    def test_what_changes_while_it_is_counted_stays_due(self):
        job = self.closed()
        Job.objects.filter(pk=job.pk).update(example_due=1)
        from rainfront.learning import actions as counting

        real = counting.tally_of

        def meanwhile(*args):
            Job.objects.teach_again(job.case_id)
            counting.tally_of = real
            return real(*args)

        counting.tally_of = meanwhile
        try:
            self.assertEqual(counting._count_some(Shop.current().changed, None), 1)
        finally:
            counting.tally_of = real
        self.assertEqual(Job.objects.get(pk=job.pk).example_due, 2)
        learning_actions.count_examples(now=NOW)
        self.same()


FILL = """
from tests.builders import make_job
from rainfront.people.models import User
from rainfront.jobs.models import Job
from rainfront.proof import actions as proof_actions
user = User.objects.get(username="tech")
for number in range(12):
    job = make_job(user, ("port lint", "did clean_port yes"))
    proof_actions.close_job(job, ["port_fouled"], user=user, now=now)
print(Job.objects.filter(example_due__gt=0).count())
"""
LOOK = """
from rainfront.day.tasks import reckon_day
from rainfront.jobs.models import Job
from rainfront.learning.models import Counted, Taught
from rainfront.logbook.tasks import follow
from rainfront.logbook.models import Page
from django_tasks_db.models import DBTaskResult
print(json.dumps({
    "due": Job.objects.filter(example_due__gt=0).count(), "taught": Taught.objects.count(),
    "jobs": dict(Counted.objects.values_list("key", "count")).get('["jobs"]', 0), "pages": Page.objects.count(),
    "left": DBTaskResult.objects.exclude(status__in=("SUCCESSFUL", "FAILED")).count(),
    "failed": list(DBTaskResult.objects.failed().values_list("traceback", flat=True)),
}))
"""


class LeftLying(TestCase):
    def test_a_task_is_nobodys_once_it_has_waited_too_long(self):
        results = apps.get_model("django_tasks_database", "DBTaskResult")
        backend = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}}
        with override_settings(TASKS=backend, KEEP_UP=True):
            self.assertFalse(left_lying(follow))
            soon(follow)
            soon(follow)
            self.assertEqual(results.objects.count(), 1)
            self.assertFalse(left_lying(follow))
            results.objects.update(enqueued_at=timezone.now() - timedelta(seconds=LEFT_LYING_S + 1))
            self.assertTrue(left_lying(follow))
            self.assertFalse(left_lying(reckon_day))
        self.assertTrue(left_lying(reckon_day), "where nothing keeps up, pages do it")

    def test_a_task_of_a_name_that_is_gone_is_dropped_when_the_worker_starts(self):
        results = apps.get_model("django_tasks_database", "DBTaskResult")
        with override_settings(TASKS={"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}}):
            soon(follow)
            results.objects.update(task_path="rainfront.jobs.tasks.learn")
            take_up()
            waiting = list(results.objects.ready().order_by("enqueued_at").values_list("task_path", flat=True))
        self.assertNotIn("rainfront.jobs.tasks.learn", waiting)
        self.assertIn("rainfront.learning.tasks.learn", waiting)
        # The list of the day is reckoned before hundreds of pages of the logbook are written.
        self.assertLess(waiting.index(reckon_day.module_path), waiting.index(follow.module_path))


def taken(lock):
    """Whether somebody holds it."""
    if not lock.exists():
        return False
    with lock.open("a") as tried:
        try:
            fcntl.flock(tried, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return True
    return False


class Killed(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        cls.shop = RunningShop()
        cls.addClassCleanup(cls.shop.close)
        cls.shop.people({"tech": "technician"})
        super().setUpClass()

    def test_what_a_killed_process_was_at_is_done_by_the_next_one_and_once(self):
        shop = self.shop
        self.assertEqual(shop.code(FILL), "12")
        program = [sys.executable, str(ROOT / "manage.py"), "work"]
        for after in sized((1.8,), (1.2, 1.8, 2.6)):
            working = subprocess.Popen(program, env=shop.environment, cwd=ROOT, start_new_session=True)
            time.sleep(after)
            os.killpg(working.pid, signal.SIGKILL)
            working.wait(timeout=30)
        shop.run("work", "--until-done")
        found = json.loads(shop.code(LOOK).splitlines()[-1])
        self.assertEqual(found, {"due": 0, "taught": 12, "jobs": 12, "pages": 12, "left": 0, "failed": []})

    def test_only_one_works_for_a_database(self):
        shop = self.shop
        first = subprocess.Popen(
            [sys.executable, str(ROOT / "manage.py"), "work"], env=shop.environment, cwd=ROOT, start_new_session=True
        )
        lock = shop.place / "data" / "shop.sqlite3.working"
        end = time.monotonic() + 30
        while not taken(lock) and time.monotonic() < end:
            time.sleep(0.05)
        self.assertIn("another process works", shop.run("work", check=False))
        os.killpg(first.pid, signal.SIGTERM)
        first.wait(timeout=30)
