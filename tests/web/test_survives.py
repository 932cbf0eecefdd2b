"""What was acknowledged is there after a kill, and nothing is lost or doubled when many write at once.

Each runs the program in processes of its own on a database file, since a kill and locks are real only there.
"""

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time

from django.test import SimpleTestCase

from tests.runner import ROOT, empty_database
from tests.sizes import exhaustive, sized

BEGIN = """
import os, sys, json, threading
import django
django.setup()
from datetime import timedelta
from django.db import connection
from django.utils import timezone
from chargepath.knowledge.loader import shipped
from rainfront.jobs import actions
from rainfront.work import actions as work_actions
from rainfront.jobs.models import Repair
from rainfront.work.models import StepRun, Timer
from rainfront.stock import actions as stock
from rainfront.stock.models import Item, Move
from tests.builders import make_job, make_user
from rainfront.people.models import User
now = timezone.now()
"""
SET_UP = """
user = make_user()
stock.take_in(shipped(), "swap_battery", "", 5, user=user, now=now)
stock.take_in(shipped(), "replace_port", "", 400, user=user, now=now)
job = make_job(user, ("i 0.2 5.0 18%",), carrier="none", connector="micro_b")
actions.choose_route(job, "replace_port", "worn", user=user, now=now)
"""
# Does a step, starts a timer and moves stock, over and over, and says each once it is stored.
WRITE = """
user, repair = User.objects.get(), Repair.objects.get()
item = Item.objects.get(route="replace_port")
for n in range(100000):
    done = n % 2 == 0
    (work_actions.do_step if done else work_actions.undo_step)(repair, "off", user=user, now=timezone.now())
    print(json.dumps(["step", done]), flush=True)
    timer = work_actions.start_timer(repair, "cool_pads", user=user, now=timezone.now())
    print(json.dumps(["timer", timer.pk]), flush=True)
    move = stock.bin_parts(item, 1, "bent", user=user, now=timezone.now())
    print(json.dumps(["move", move.pk]), flush=True)
"""
LOOK = """
item = Item.objects.get(route="replace_port")
print(json.dumps({
    "steps": sorted(StepRun.objects.settled(Repair.objects.get().pk)),
    "running": list(Timer.objects.running().values_list("pk", flat=True)),
    "moves": list(Move.objects.values_list("pk", flat=True)),
    "sums": [[i.count, sum(m.change for m in i.moves.all())] for i in Item.objects.all()],
}))
"""
# Eight people at once want the five batteries that lie there, each for a job of their own.
RUSH = """
user = User.objects.get()
jobs = [make_job(user) for _ in range(8)]
got, wrong = [], []
def want(job):
    try:
        got.append(stock.reserve(job.pk, "swap_battery", job.kind, job.model_name, job.connector, user=user, now=now))
        for _ in range(5):
            stock.bin_parts(Item.objects.get(route="replace_port"), 1, "bent", user=user, now=now)
    except Exception as error:
        wrong.append(repr(error))
    finally:
        connection.close()
threads = [threading.Thread(target=want, args=(job,)) for job in jobs]
[thread.start() for thread in threads]
[thread.join() for thread in threads]
print(json.dumps({"got": sum(got), "wrong": wrong}))
"""


class Survives(SimpleTestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.environment = {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "rainfront.settings.demo",
            "RAINFRONT_DEMO_DATABASE": f"{folder.name}/shop.sqlite3",
            "PYTHONPATH": str(ROOT),
        }
        shutil.copy(empty_database(), self.environment["RAINFRONT_DEMO_DATABASE"])
        self.run_in_one(SET_UP)

    def run_in_one(self, code):
        """Run to the end in a process of its own; what it printed last."""
        made = subprocess.run(
            [sys.executable, "-c", BEGIN + code],
            env=self.environment,
            cwd=ROOT,
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(made.returncode, 0, made.stderr[-2000:])
        lines = made.stdout.strip().splitlines()
        return json.loads(lines[-1]) if lines else None

    def test_a_kill_in_the_middle_loses_nothing_that_was_said_to_be_stored(self):
        for wait in sized((0.13,), (0.0, 0.13, 0.31)):
            writer = subprocess.Popen(
                [sys.executable, "-c", BEGIN + WRITE], env=self.environment, cwd=ROOT, stdout=subprocess.PIPE, text=True
            )
            told = [json.loads(writer.stdout.readline()) for _ in range(7)]
            time.sleep(wait)  # Somewhere in the middle of the next writes.
            writer.send_signal(signal.SIGKILL)
            rest = [line for line in writer.stdout.read().splitlines() if line.endswith("]")]
            writer.wait()
            writer.stdout.close()
            told += [json.loads(line) for line in rest]
            found = self.run_in_one(LOOK)
            with self.subTest(wait=wait, said=len(told)):
                self.assertTrue({pk for kind, pk in told if kind == "move"} <= set(found["moves"]))
                self.assertTrue(all(count == moved for count, moved in found["sums"]), found["sums"])
                # The timer that was started last, or the one after it that nobody heard of any more.
                last = [pk for kind, pk in told if kind == "timer"][-1]
                self.assertEqual(len(found["running"]), 1)
                self.assertIn(found["running"][0], (last, last + 1))
                self.assertLessEqual(set(found["steps"]), {"off"})

    @exhaustive
    def test_eight_at_once_never_get_the_same_last_part(self):
        said = self.run_in_one(RUSH)
        self.assertEqual(said, {"got": 5, "wrong": []})
        found = self.run_in_one(LOOK)
        self.assertTrue(all(count == moved and count >= 0 for count, moved in found["sums"]), found["sums"])
        self.assertIn([359, 359], found["sums"])
