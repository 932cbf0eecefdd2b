"""A supply that misbehaves while the program, the watch, the line or the database fails: OFF is said in time, always.

The whole grid runs in `make exhaustive`; `test_cell` has a sample of it in `make test`.
"""

import json
import os
import signal
import sqlite3
import time
from contextlib import closing, suppress

from django.test import SimpleTestCase

from benchwatch import client
from tests.shop import RunningShop
from tests.sizes import exhaustive
from tests.watched import WatchedBench, until

MISBEHAVES = (
    "overshoot", "stuck", "silent", "garbage", "hot", "short", "open", "nan", "mute", "drip", "late", "endless",
)  # fmt: skip
FAILURES = (
    "nothing", "web", "keeper", "guardian", "both", "web and watch", "freeze", "end", "end web", "locked",
)  # fmt: skip
# OFF goes out so soon after what calls for it, or after the line is back [s]; a program that is gone is missed for ten.
OFF_S, MISSED_S, SLACK_S = 5.0, 10.0, 0.15
SET_UP = """
from rainfront.instruments.models import Supply
from rainfront.people.models import User
from tests.builders import make_job
Supply.objects.update_or_create(pk=1, defaults={at!r})
print(make_job(User.objects.get()).pk)
"""
TYPED = {"kind": "v420", "capacity": "3000", "volts": "4,0", "temp": "22", "by": "supply"}


@exhaustive
class EvilSupplyEvilSystem(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        cls.rig, cls.shop = WatchedBench(cls), RunningShop()
        cls.addClassCleanup(cls.shop.close)
        cls.shop.environment["RAINFRONT_WATCH"] = str(cls.rig.folder)
        cls.shop.people({"bench": "technician"})
        cls.job = int(cls.shop.code(SET_UP.format(at=cls.rig.at)).splitlines()[-1])
        cls.rig.start_watch()
        cls.shop.start()
        super().setUpClass()

    def begin(self):
        """A cell on a supply that has nothing of its own but its two limits; when it is fed."""
        if self.shop.served is None:
            self.shop.start()
        self.rig.mended()
        self.rig.tell("SIM:PLAIN 1", "SIM:SPEED 500", "SIM:CELL 4.0,3000")
        path = f"/jobs/{self.job}/cell/"
        person = self.shop.person("bench")

        def begun():
            status, where, _ = person.post(path, TYPED)
            return where if status == 302 else ""

        where = until(begun)
        until(lambda: self.rig.truth()["on"])
        return person, where

    def off_after(self, since, within):
        """How long after the moment `since` of the monotonic clock the first OFF arrived [s]; a late one fails.

        The supply says when it arrived: this process may be slow to ask.
        """

        def arrived():
            with suppress(OSError, ValueError):
                now, ages = time.monotonic(), self.rig.truth().get("off_ages", ())
                return [now - age - since for age in ages if now - age >= since - SLACK_S]
            return []

        took = max(min(until(arrived, within + 20)), 0.0)
        self.assertLess(took, within)
        return took

    def fails(self, what):
        """Let something fail; whether the line is cut, and from when OFF is due."""
        pid, due = self.rig.answering()["pid"], 0.0
        if what in ("web", "web and watch"):
            self.shop.kill(signal.SIGKILL)
            due = MISSED_S if what == "web" else 0.0
        if what in ("keeper", "guardian", "both", "freeze", "end"):
            self.rig.strike(what, pid)
        elif what == "web and watch":
            self.rig.strike("both", pid)
        elif what == "end web":
            os.kill(self.shop.served.pid, signal.SIGTERM)
            self.shop.served.wait(30)
            self.shop.served, due = None, MISSED_S
        return due

    def stopped_by_hand(self):
        state = self.rig.answering()
        if state["run"]:
            self.rig.ask("stop", run=state["run"]["id"])

    def test_off_is_said_in_time_whatever_fails(self):
        took = {}
        for how in MISBEHAVES:
            for what in FAILURES:
                with self.subTest(misbehaves=how, fails=what):
                    self.begin()
                    since = time.monotonic()
                    self.rig.tell(f"SIM:MISB {how}")
                    with closing(sqlite3.connect(self.shop.environment["RAINFRONT_DATABASE"])) as held:
                        if what == "locked":
                            held.execute("BEGIN IMMEDIATE")
                        due = self.fails(what)
                        # Not to switch off is no reason to switch off: somebody has to want it.
                        if how == "stuck" and what in ("nothing", "locked"):
                            self.stopped_by_hand()
                        took[how, what] = self.off_after(since, OFF_S + due)
                    self.sure()
        for seconds in (1, 5, 60):
            for how in MISBEHAVES if seconds < 60 else MISBEHAVES[:3]:
                with self.subTest(misbehaves=how, line=seconds):
                    self.begin()
                    self.rig.tell(f"SIM:MISB {how}")
                    self.rig.line_gone(gone=True)
                    time.sleep(seconds)
                    since = time.monotonic()
                    self.rig.line_gone(gone=False)
                    if how == "stuck":
                        self.stopped_by_hand()
                    took[how, seconds] = self.off_after(since, OFF_S)
                    self.sure()
        longest, mean = max(took.values()), sum(took.values()) / len(took)
        print(f"{len(took)} times: OFF arrived after {longest:.1f} s at most, {mean:.1f} s on average")

    def sure(self):
        """Nobody says that it is off while it is on; and it goes off once the supply behaves."""
        with suppress(client.WatchAwayError):
            state = self.rig.ask("state")
            if self.rig.truth()["on"]:
                self.assertTrue(state["doubt"] or state["run"], json.dumps(state))
        self.rig.tell("SIM:MISB none")
        until(lambda: not self.rig.truth()["on"])
