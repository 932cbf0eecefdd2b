"""Eight people at the program as it is started in a shop, with fifty thousand jobs: how long they wait."""

from __future__ import annotations

import os
import random
import re
import signal
import subprocess
import sys
import time
import uuid
from collections.abc import Iterator
from functools import partial

import numpy as np

from tests.shop import Person, RunningShop, at_once

JOBS, PEOPLE = int(os.environ.get("JOBS", "50000")), 8
# How long it lasts, and the mean pause of people who read what they got; without one they only press buttons.
SECONDS, PAUSE_S = int(os.environ.get("SECONDS", "60")), 2.0
LINES = ("port lint", "i 0.41 5.0 20%", "wiggle drops", "flip same", "start starts", "port clean", "data recognised")
FILL = f"""
from rainfront.demo.play import load_demo
from bench.filling import fill
from rainfront.jobs.models import Job
from rainfront.logbook.index import follow_jobs
from rainfront.workshop.adapters import Shop
load_demo(now=now)
while follow_jobs(Shop.current()):
    pass
fill({JOBS})
Job.objects.filter(stage="closed").update(log_due=False, example_due=0)
"""
LOOK = """
from rainfront.jobs.models import Entry
print(json.dumps(list(Entry.objects.filter(text__startswith="token ").values_list("text", flat=True))))
"""
NAMES = {
    "/": "today", "/logbook/?q=lint": "search", "/logbook/": "logbook", "/stock/": "shelf", "/insights/": "insights",
}  # fmt: skip
DETAILS = {
    "model_name": "Tarn 4", "customer": "purser", "kind": "phone", "connector": "usb_c", "carrier": "flex",
    "value": "210.00", "complaint": "no charge", "backup": "done", "battery_percent": "20",
}  # fmt: skip


class _Crowd:
    """What the people do, and how long each answer took [ms], by kind."""

    def __init__(self, shop: RunningShop, pause_s: float) -> None:
        self.shop, self.end, self.pause_s = shop, time.monotonic() + SECONDS, pause_s
        self.taken: list[tuple[str, float]] = []
        self.bad: list[str] = []
        self.said: list[str] = []

    def ask(self, kind: str, call: partial[tuple[int, str, bytes]]) -> tuple[int, str, bytes]:
        time.sleep(random.uniform(0, 2) * self.pause_s)
        begun = time.perf_counter()
        answer = call()
        self.taken.append((kind, (time.perf_counter() - begun) * 1000))
        if answer[0] not in (200, 302):
            words = re.sub(rb"<[^>]+>|\s+", b" ", answer[2])[-200:]
            self.bad.append(f"{kind} {answer[0]}: {words!r}")
        return answer

    def work(self, name: str) -> None:
        """One person: takes in, enters lines, looks, searches, closes."""
        person, draw = self.shop.person(name), random.Random(name)
        while time.monotonic() < self.end:
            job = self.ask("take in", partial(person.post, "/jobs/new/", DETAILS))[1]
            if not job:
                return
            for number in range(12):
                if time.monotonic() > self.end:
                    return
                self._one(person, draw, job, number)
            self.ask("line", partial(person.post, f"{job}line/", {"line": "did clean_port yes"}))
            fields = {"faults": "port_fouled", "note": "lint"}
            self.ask("close", partial(person.post, f"{job}close/", fields))

    def _one(self, person: Person, draw: random.Random, job: str, number: int) -> None:
        """A quarter quick lines, some notes, the rest looking."""
        if number % 4 == 0:
            self.ask("line", partial(person.post, f"{job}line/", {"line": draw.choice(LINES)}))
        elif number % 12 == 3:
            token = f"token {uuid.uuid4().hex}"
            if self.ask("note", partial(person.post, f"{job}note/", {"text": token}))[0] == 302:
                self.said.append(token)
        else:
            page = draw.choice(
                ("/", job, job, f"{job}decide/", "/logbook/?q=lint", "/logbook/", "/stock/", "/insights/")
            )
            self.ask(NAMES.get(page, "bench" if page == job else "choose"), partial(person.get, page))

    def told(self, kept: str) -> Iterator[str]:
        """Yield how long they waited, and what of theirs is not there."""
        for kind in ("everything", *sorted({kind for kind, _ in self.taken})):
            rows = [lasted for found, lasted in self.taken if kind in (found, "everything")]
            middle, high, worst = np.percentile(rows, [50, 95, 100])
            goal = "   (target 500 ms)" if kind == "everything" else ""
            figures = f"p50 {middle:6.0f}   p95 {high:6.0f}   worst {worst:6.0f} ms"
            yield f"    {kind:<12} {len(rows):6d} answers   {figures}{goal}"
        lost = [token for token in self.said if token not in kept]
        yield f"    {len(self.bad)} refused or broken, {len(lost)} of {len(self.said)} notes lost"
        yield from (f"      {line}" for line in self.bad[:5])


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    shop = RunningShop()
    try:
        names = [f"bench{number}" for number in range(PEOPLE)]
        shop.run("migrate", "--verbosity", "0")
        shop.gather_static()
        begun = time.perf_counter()
        shop.code(FILL)
        built = time.perf_counter() - begun
        shop.run("work", "--until-done")
        caught_up = time.perf_counter() - begun - built
        shop.people(dict.fromkeys(names, "technician"))
        working = subprocess.Popen([sys.executable, "manage.py", "work"], env=shop.environment, start_new_session=True)
        shop.start(workers=2)
        time.sleep(5)
        crowds = []
        for pause_s in (0.0, PAUSE_S):
            crowds.append(_Crowd(shop, pause_s))
            at_once([partial(crowds[-1].work, name) for name in names])
        kept = shop.code(LOOK)
        # It may be at a long task; what a killed one was at is done by the next (tests/web/test_later.py).
        os.killpg(working.pid, signal.SIGKILL)
        working.wait(timeout=20)
    finally:
        shop.close()
    yield f"crowd: {PEOPLE} people for {SECONDS} s, {JOBS} jobs, the documented start"
    yield f"  built in {built:.0f} s, all taken up in {caught_up:.0f} s"
    for crowd in crowds:
        yield f"  {crowd.pause_s:g} s between an answer and the next question"
        yield from crowd.told(kept)
