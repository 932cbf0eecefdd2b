"""Play the demo in a database of its own and keep it as rainfront/demo/brinholm_quay.zip (`make demo-shop`)."""

from __future__ import annotations

import os
import sys
import tempfile
import uuid
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))
NAMES = uuid.UUID("6f2c1c1e-52a7-4a0e-9a4e-6a8f4b1d0b11")


def main() -> None:
    """Play, tidy and write."""
    with tempfile.TemporaryDirectory() as made:
        os.environ["DJANGO_SETTINGS_MODULE"] = "rainfront.settings.demo"
        os.environ["RAINFRONT_DEMO_DATABASE"] = f"{made}/demo.sqlite3"
        import django

        django.setup()
        from django.conf import settings
        from django.core.management import call_command

        settings.KEEP_UP = False
        settings.TASKS = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}
        call_command("migrate", verbosity=0)
        from rainfront.demo.play import ARCHIVE, MADE_FOR, play_demo
        from rainfront.exchange.writing import write_shop
        from rainfront.jobs.models import Job
        from rainfront.learning.actions import count_examples
        from rainfront.logbook.index import follow_jobs
        from rainfront.workshop.adapters import Shop
        from rainfront.workshop.models import Edition

        print(play_demo(), "jobs played", flush=True)
        for job in Job.objects.all():
            Job.objects.filter(pk=job.pk).update(case_id=uuid.uuid5(NAMES, f"job {job.pk}"))
        count_examples(now=MADE_FOR)
        while follow_jobs(Shop.current()):
            pass
        Edition.objects.update(token="brinholmquay")  # noqa: S106  (names the numbers)
        counts = write_shop(ARCHIVE)
        print(sum(counts.values()), "rows,", ARCHIVE.stat().st_size, "bytes")


if __name__ == "__main__":
    main()
