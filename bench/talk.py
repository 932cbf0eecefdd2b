"""Instruments that misbehave in twelve ways: false readings, how soon it is shown and read again, what others feel.

Times are of this machine; what the process of the instruments takes is against Django set up and nothing else.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory

from benchtalk.standing_in import MISBEHAVIOURS
from benchtalk.wire import SERIAL, TCP
from tests.runner import ROOT
from tests.talk.rigs import WAYS, Rig, Seen

RUNS, AT_ONCE, WRONG_S, PATIENCE_S = 30, 24, 3.0, 20.0
SIX = 6
# A process of Django alone, then one that reads six instruments at ten readings a second: kB and seconds of a core.
WEIGHED = """
import resource, sys, time
import django
django.setup()
def kept():
    with open("/proc/self/statm") as file:
        return int(file.read().split()[1]) * resource.getpagesize() // 1024
bare = kept()
from rainfront.instruments.readers import Readers
from benchtalk.running import Running
from benchtalk.wire import WirePlace
from tests.talk.rigs import profile_of
ports = [int(word) for word in sys.argv[1:]]
made = [Running(profile_of("stream"), WirePlace("tcp", "127.0.0.1", port)) for port in ports]
for one in made:
    one.start()
time.sleep(3)
begun, spent = time.monotonic(), time.process_time()
time.sleep(10)
print(kept() - bare, (time.process_time() - spent) / (time.monotonic() - begun))
"""


def _grid() -> Iterator[tuple[tuple[str, str, str], Seen, float]]:
    with TemporaryDirectory() as folder, ThreadPoolExecutor(AT_ONCE) as hands:

        def drive(numbered: tuple[int, tuple[str, str, str]]) -> tuple[tuple[str, str, str], Seen, float]:
            number, job = numbered
            rig = Rig(job[0], job[1], Path(folder), number)
            seen = rig.misbehave(job[2], WRONG_S, PATIENCE_S)
            return job, seen, rig.close()

        jobs = [(way, acquire, how) for _ in range(RUNS) for way, acquire in WAYS for how in MISBEHAVIOURS]
        yield from hands.map(drive, enumerate(jobs))


def _beside() -> tuple[float, float]:
    """The longest gap of one that behaves beside sixteen that do not, and beside none, in periods of it."""
    gaps = []
    for others in (16, 0):
        with TemporaryDirectory() as folder:
            bad = [Rig((TCP, SERIAL)[n % 2], ("ask", "stream")[n // 2 % 2], Path(folder), n + 1) for n in range(others)]
            for n, rig in enumerate(bad):
                rig.standing.how = MISBEHAVIOURS[n % len(MISBEHAVIOURS)]
            good = Rig(TCP, "ask", Path(folder), 0)
            time.sleep(12)
            times = good.times[10:]
            gaps.append(max(b - a for a, b in pairwise(times)) * 10)
            for rig in (good, *bad):
                rig.close()
    return gaps[0], gaps[1]


def _weighed() -> tuple[float, float]:
    """What six instruments at ten readings a second take: MB above Django alone, and the share of a core."""
    with TemporaryDirectory() as folder:
        rigs = [Rig(TCP, "stream", Path(folder), number) for number in range(SIX)]
        ports = [str(rig.standing.place.port) for rig in rigs]
        made = {**os.environ, "DJANGO_SETTINGS_MODULE": "rainfront.settings.test"}
        words = [sys.executable, "-c", WEIGHED, *ports]
        said = subprocess.run(words, cwd=ROOT, env=made, capture_output=True, text=True, check=True).stdout.split()
        for rig in rigs:
            rig.close()
    return int(said[0]) / 1000, float(said[1])


def run() -> Iterator[str]:
    """Lines of the table."""
    yield f"Instruments that misbehave for {WRONG_S:g} s, {RUNS} runs of each, {AT_ONCE} beside each other"
    rows: dict[tuple[str, str], list[tuple[str, Seen, float]]] = {}
    for (way, acquire, how), seen, stopped in _grid():
        rows.setdefault((way, acquire), []).append((how, seen, stopped))
    for (way, acquire), found in rows.items():
        false, taken = sum(seen.false for _, seen, _ in found), sum(seen.taken for _, seen, _ in found)
        shown = [seen.shown_s for how, seen, _ in found if (acquire, how) != ("stream", "double")]
        again = [seen.again_s for _, seen, _ in found]
        yield (
            f"  {way:6} {acquire:6} {len(found):4} runs: {false} false of {taken}; shown within {max(shown):4.2f} s, "
            f"read again within {max(again):4.2f} s, stopped within {max(row[2] for row in found):4.2f} s"
        )
    beside, alone = _beside()
    yield f"  longest gap of one beside sixteen that misbehave {beside:4.2f} periods, alone {alone:4.2f}"
    heavy, busy = _weighed()
    yield f"  six at ten readings a second: {heavy:4.1f} MB above Django set up, {100 * busy:3.1f} % of a core"
