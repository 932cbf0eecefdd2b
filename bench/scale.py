"""Does anything get slower because the shop has worked? Every page with a thousand jobs and with fifty thousand."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from functools import partial
from time import perf_counter
from typing import Any

import numpy as np

SIZES = tuple(int(size) for size in os.environ.get("SIZES", "1000 50000").split())
TIMES = 20
OF_ONE_JOB, LISTS = 1.3, 2.0


def _child(size: int) -> dict[str, Any]:
    """Build and measure one shop in a process and database of its own."""
    with tempfile.TemporaryDirectory(prefix="scale-") as folder:
        environment = {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "rainfront.settings.demo",
            "RAINFRONT_DEMO_DATABASE": f"{folder}/demo.sqlite3",
        }
        program = [sys.executable, "-c", f"from bench.scale import measure; measure({size})"]
        made = subprocess.run(program, env=environment, capture_output=True, text=True, check=False)
        if made.returncode:
            raise RuntimeError(made.stderr[-3000:])
        found: dict[str, Any] = json.loads(made.stdout.splitlines()[-1])
        return found


def measure(size: int) -> None:
    """Build a shop of so many jobs here, ask every page, print what was measured as JSON."""
    import django

    django.setup()
    from django.conf import settings
    from django.core.management import call_command
    from django.db import connection

    settings.ALLOWED_HOSTS = ["testserver"]
    settings.KEEP_UP = False
    settings.SESSION_COOKIE_SECURE = False
    from bench.filling import fill
    from rainfront.demo.play import load_demo

    call_command("migrate", verbosity=0)
    from django.utils import timezone

    load_demo(now=timezone.now())
    _follow()
    begun = perf_counter()
    counts = fill(size)
    built = perf_counter() - begun
    found: dict[str, Any] = {"size": size, **counts, "built_s": built, "pages": _pages(), **_closing()}
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA page_count")
        pages = cursor.fetchone()[0]
    found["database_mb"] = pages * 4096 / 1e6
    print(json.dumps(found))


def _follow() -> None:
    """Everything that is kept beside jobs brought up to date."""
    from rainfront.day.standing import keep_up
    from rainfront.logbook.index import follow_jobs
    from rainfront.workshop.adapters import Shop

    shop = Shop.current()
    while follow_jobs(shop):
        pass
    while keep_up(shop, 50):
        pass


def _addresses() -> dict[str, tuple[str, list[str]]]:
    """Pages by name: whether they are of one job or a list, and addresses to ask in turn."""
    from rainfront.jobs.models import Job, Repair
    from rainfront.stock.models import Item

    open_jobs = list(Job.objects.on_bench().order_by("pk").values_list("pk", flat=True))
    closed = list(Job.objects.filter(stage="closed").order_by("-pk").values_list("pk", flat=True)[:400:20])
    repairing = list(
        Repair.objects.filter(finished_at=None, dropped_at=None, job__in=open_jobs).values_list("job_id", flat=True)
    )
    proving = list(Job.objects.filter(stage="prove").values_list("pk", flat=True))
    item = Item.objects.order_by("pk").values_list("pk", flat=True)[0]
    middle = Job.objects.order_by("pk").values_list("pk", flat=True)[Job.objects.count() // 2]

    def of(jobs: list[int], tail: str) -> list[str]:
        return [f"/jobs/{pk}/{tail}" for pk in jobs]

    return {
        "job: bench": ("one", of(open_jobs, "")),
        "job: closed": ("one", of(closed, "")),
        "job: record": ("one", of(closed, "record/")),
        "job: decide": ("one", of(open_jobs, "decide/")),
        "job: why": ("one", of(open_jobs, "why/")),
        "job: a step": ("one", of(repairing, "repair/")),
        "job: proof": ("one", of(proving, "prove/")),
        "job: outside": ("one", of(open_jobs, "outside/")),
        "job: inside": ("one", of(open_jobs, "inside/")),
        "job: counter": ("one", of(closed, "counter/")),
        "today's bench": ("list", ["/", "/?stage=decide", "/?by=promised", "/?q=port"]),
        "take in": ("list", ["/jobs/new/"]),
        "models": ("list", ["/models/"]),
        "a model": ("list", ["/models/Orvane%20D2%20deck%20handheld/"]),
        "logbook": ("list", ["/logbook/", f"/logbook/?before={middle}"]),
        "logbook: a common word": (
            "list",
            ["/logbook/?q=lint", "/logbook/?q=port+cleaned", "/logbook/?q=port&before=900000"],
        ),
        "logbook: a rare word": ("list", ["/logbook/?q=zzqqx", "/logbook/?q=residue+beside+the+shield+before"]),
        "logbook: by facts": (
            "list",
            ["/logbook/?fault=port_fouled&route=clean_port", "/logbook/?ended=back&station=port"],
        ),
        "logbook: by a reading": ("list", ["/logbook/?value=charger_current.amps&low=0.2&high=0.3"]),
        "insights, a year": ("list", ["/insights/"]),
        "insights, everything": ("list", ["/insights/?period=all"]),
        "parts": ("list", ["/stock/"]),
        "a part": ("list", [f"/stock/{item}/"]),
        "references": ("list", ["/references/"]),
        "knowledge": ("list", ["/knowledge/"]),
        "learned": ("list", ["/learned/"]),
        "prices": ("list", ["/costs/"]),
        "people": ("list", ["/people/all/"]),
        "in and out": ("list", ["/exchange/"]),
    }


def _pages() -> dict[str, dict[str, Any]]:
    from django.db import connection
    from django.test import Client
    from django.test.utils import CaptureQueriesContext

    from rainfront.people.models import User

    client, out = Client(), {}
    client.force_login(User.objects.get(username="owner"))
    for name, (kind, addresses) in _addresses().items():
        taken, queries, size = [], 0, 0
        for turn in range(TIMES + len(addresses)):
            address = addresses[turn % len(addresses)]
            begun = perf_counter()
            answer = client.get(address)
            lasted = (perf_counter() - begun) * 1000
            assert answer.status_code == 200, (address, answer.status_code)
            size = max(size, len(answer.content))
            if turn >= len(addresses):
                taken.append(lasted)
        with CaptureQueriesContext(
            connection,
        ) as caught:
            client.get(addresses[0])
            queries = len(caught)
        low, high = np.percentile(taken, [50, 95])
        out[name] = {"kind": kind, "p50": low, "p95": high, "queries": queries, "bytes": size}
    return out


def _closing() -> dict[str, float]:
    """Closing a job through its page, what it teaches counted, and a quick line."""
    from django.utils import timezone

    from rainfront.jobs import actions
    from rainfront.jobs.models import Job
    from rainfront.learning import actions as learning_actions
    from rainfront.people.models import User
    from rainfront.proof import actions as proof_actions

    user, now = User.objects.get(username="tech"), timezone.now()
    closing, counting, lines = [], [], []
    details: dict[str, Any] = {"model_name": "Orvane D2 deck handheld", "customer": "bench", "kind": "phone"}
    details |= {"connector": "usb_c", "carrier": "sub_board", "value": 160, "complaint": "dead", "history": []}
    hand: dict[str, Any] = {"user": user, "now": now}
    for _ in range(8):
        job = actions.take_in({**details, "traits": [], "wireless": False}, **hand)
        for line in ("port lint", "i 0.02 5.0 20%"):
            lines.append(_timed(partial(actions.record_line, job, line, **hand)))
        actions.record_line(job, "did clean_port yes", **hand)
        job = Job.objects.get(pk=job.pk)
        closing.append(_timed(partial(proof_actions.close_job, job, ["port_fouled"], **hand)))
        counting.append(_timed(partial(learning_actions.count_examples, now=now)))
    return {
        "closing_ms": float(np.median(closing)),
        "closing_worst_ms": max(closing),
        "counting_ms": float(np.median(counting[1:])),
        "line_ms": float(np.median(lines[2:])),
    }


def _timed(call: Callable[[], object]) -> float:
    begun = perf_counter()
    call()
    return (perf_counter() - begun) * 1000


def run() -> Iterator[str]:
    """Yield the table: both sizes side by side, with how much each page grew."""
    found = [_child(size) for size in SIZES]
    for one in found:
        yield (
            f"scale: {one['jobs']} jobs, {one['entries']} log lines, {one['database_mb']:.0f} MB, "
            f"built in {one['built_s']:.0f} s"
        )
        yield (
            f"  closing {one['closing_ms']:.0f} ms (worst {one['closing_worst_ms']:.0f}), counting what it taught "
            f"{one['counting_ms']:.0f} ms, a quick line {one['line_ms']:.0f} ms"
        )
    small, large = found[0], found[-1]
    heads = " ".join(f"{one['jobs']:>7} p50    p95" for one in found)
    yield f"  {'page [ms]':<26} {heads}   growth   queries       KB"
    for name, row in large["pages"].items():
        rows = [one["pages"][name] for one in found]
        times = " ".join(f"{one['p50']:11.1f} {one['p95']:6.1f}" for one in rows)
        growth = row["p50"] / small["pages"][name]["p50"]
        most = OF_ONE_JOB if row["kind"] == "one" else LISTS
        wrong = [f"grew over {most}"] if growth > most else []
        wrong += ["over 300 ms"] if row["p95"] > 300 else []
        wrong += ["over 100 ms"] if name == "job: bench" and row["p95"] > 100 else []
        wrong += ["over 150 KB"] if row["bytes"] > 150_000 else []
        queries = f"{rows[0]['queries']}" + (f" to {row['queries']}" if row["queries"] != rows[0]["queries"] else "")
        yield f"  {name:<26} {times} {growth:8.2f} {queries:>9} {row['bytes'] / 1000:8.0f}   {', '.join(wrong)}"
