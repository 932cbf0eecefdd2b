"""What it costs that the disk is asked before each answer: one note, stored through its action, on a real file."""

import os
import secrets
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
NOTES = 300
CODE = f"""
import django; django.setup()
from time import perf_counter
from django.core.management import call_command
from django.utils import timezone
from rainfront.jobs import actions
from rainfront.people.models import User
call_command("migrate", verbosity=0)
user = User.objects.create(username="tech", role="technician")
now = timezone.now()
details = {{"model_name": "Tarn 4", "customer": "k", "kind": "phone", "connector": "usb_c", "carrier": "none"}}
details |= {{"value": 100, "complaint": "dead", "history": [], "traits": [], "wireless": False}}
job = actions.take_in(details, user=user, now=now)
times = []
for number in range({NOTES}):
    begun = perf_counter()
    actions.add_note(job, f"note {{number}}", user=user, now=now)
    times.append(perf_counter() - begun)
print(sorted(times)[{NOTES} // 2] * 1e3)
"""


def _median(synchronous: str) -> float:
    """Milliseconds for one note."""
    with tempfile.TemporaryDirectory(dir=ROOT / "var" if (ROOT / "var").is_dir() else None) as place:
        environment = {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "rainfront.settings.production",
            "RAINFRONT_SECRET_KEY": secrets.token_urlsafe(50),
            "RAINFRONT_ALLOWED_HOSTS": "localhost",
            "RAINFRONT_DATABASE": f"{place}/shop.sqlite3",
            "RAINFRONT_SYNCHRONOUS": synchronous,
        }
        program = [sys.executable, "-c", CODE]
        made = subprocess.run(program, env=environment, cwd=ROOT, capture_output=True, text=True, check=True)
        return float(made.stdout.split()[-1])


def run() -> Iterator[str]:
    """One line a way of keeping, the usual one as the reference."""
    usual = _median("NORMAL")
    full = _median("FULL")
    yield f"writes: one note, median of {NOTES} on this disk"
    yield f"  kept through a kill (NORMAL)               {usual:6.2f} ms   1.00"
    yield f"  kept through a loss of power too (FULL)    {full:6.2f} ms   {full / usual:.2f}"
