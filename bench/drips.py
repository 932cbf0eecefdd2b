"""Sixteen people at instruments that drip a byte at a time: how long everybody else waits, with and without them."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import suppress

import numpy as np

from tests.runner import ROOT
from tests.shop import RunningShop
from tests.watched import until

# Turns of so many seconds, without and with; how often each of those at the instruments asks, as their pages do [s].
TURNS, TURN_S, ASKERS, EVERY_S, DRIP_S = 6, 10.0, 16, 1.5, 0.3
SET_UP = """
from rainfront.instruments.models import BenchInstrument, Supply
from rainfront.people.models import User
from tests.builders import make_job
Supply.objects.update_or_create(pk=1, defaults={{"port": {port}}})
for number in range({askers}):
    fields = {{"profile": "usb_power_meter", "host": "127.0.0.1", "port": {port}}}
    BenchInstrument.objects.create(name=f"drips {{number}}", **fields)
job = make_job(User.objects.first(), ("port lint", "i 0.2 5.0 18%"))
print(job.pk)
"""


def _drip() -> int:
    """An instrument that says a byte now and then and never ends a line; its port."""
    server = socket.create_server(("127.0.0.1", 0))

    def talk(made: socket.socket) -> None:
        with suppress(OSError):
            while True:
                made.sendall(b"1")
                time.sleep(DRIP_S)

    def serve() -> None:
        while True:
            made, _ = server.accept()
            threading.Thread(target=talk, args=(made,), daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    return int(server.getsockname()[1])


def run() -> Iterator[str]:
    """The table's lines."""
    shop, port = RunningShop(), _drip()
    shop.environment["RAINFRONT_WATCH"] = str(shop.place / "w")
    shop.people({"owner": "owner"})
    job = int(shop.code(SET_UP.format(port=port, askers=ASKERS)).splitlines()[-1])
    beside = [
        subprocess.Popen([sys.executable, *words], env=shop.environment, cwd=ROOT, stderr=subprocess.DEVNULL)
        for words in (("-m", "benchwatch", "--folder", str(shop.place / "w")), ("manage.py", "instruments"))
    ]
    shop.start()
    try:
        until(lambda: all((shop.place / "w" / name).exists() for name in ("socket", "readers")))
        waited: dict[bool, list[float]] = {False: [], True: []}
        asking, over = threading.Event(), threading.Event()
        answers: list[float] = []

        def ask(number: int) -> None:
            person = shop.person("owner")
            while not over.is_set():
                if not asking.wait(0.2):
                    continue
                begun = time.perf_counter()
                if number % 3 == 1:
                    person.get("/supply/now/")
                elif number % 3 == 2:
                    person.get("/instruments/now/")
                else:
                    person.post(f"/jobs/{job}/live/", {})
                answers.append(time.perf_counter() - begun)
                time.sleep(EVERY_S)

        threads = [threading.Thread(target=ask, args=(number,), daemon=True) for number in range(ASKERS)]
        for thread in threads:
            thread.start()
        person, paths = shop.person("owner"), ("/", f"/jobs/{job}/", f"/jobs/{job}/decide/", "/logbook/", "/stock/")
        for path in paths * 3:
            person.get(path)
        for turn in range(2 * TURNS):
            drips = bool(turn % 2)
            asking.set() if drips else asking.clear()
            time.sleep(1.0)
            end = time.monotonic() + TURN_S
            while time.monotonic() < end:
                for path in paths:
                    begun = time.perf_counter()
                    status, _, _ = person.get(path)
                    assert status == 200, (path, status)
                    waited[drips].append((time.perf_counter() - begun) * 1000)
        over.set()
    finally:
        for process in beside:
            process.terminate()
        shop.close()
        for process in beside:
            process.wait(20)
    yield f"Sixteen at dripping instruments, {TURNS} turns of {TURN_S:g} s with and without [ms]"
    for drips, name in ((False, "without"), (True, "with them")):
        half, late = np.percentile(waited[drips], (50, 95))
        yield f"  {name:<10} {len(waited[drips]):>5} pages  median {half:>6.1f}  95 % {late:>6.1f}"
    ratio = np.percentile(waited[True], 95) / np.percentile(waited[False], 95)
    yield f"  ratio at 95 %: {ratio:.2f} (at most 1.2); those at the instruments: longest answer {max(answers):.1f} s"


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rainfront.settings.test")
    for line in run():
        print(line)
