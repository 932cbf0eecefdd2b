"""A table of 100,000 known-good readings through the browser's address, against csv alone."""

import csv
import random
from collections.abc import Iterator
from io import StringIO
from time import perf_counter

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import Client

from rainfront.people.models import User
from rainfront.reference.models import DiodeMeter, GoodReading

ROWS = 100_000


def table() -> str:
    """A hundred thousand lines, one in a hundred of them wrong."""
    rng, lines = random.Random(1), ["model,revision,connector,place,pin,meter,reading,date"]
    pins = [f"{side}{k}" for side in "AB" for k in range(1, 13)]
    for k in range(ROWS):
        value = f"{rng.uniform(400, 700):.1f}" if k % 100 else ("moon", "-5", "99999")[k // 100 % 3]
        lines.append(f"Model {k % 40},B,usb_c,contact,{pins[k % 24]},Table meter,{value},2026-03-{1 + k % 28:02d}")
    return "\n".join(lines) + "\n"


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    call_command("migrate", verbosity=0)
    DiodeMeter.objects.get_or_create(name="Table meter", defaults={"style": "millivolts"})
    user, _ = User.objects.get_or_create(username="tables")
    client, text = Client(), table()
    client.force_login(user)
    before, start = GoodReading.objects.count(), perf_counter()
    page = client.post("/references/import/", {"file": SimpleUploadedFile("r.csv", text.encode(), "text/csv")})
    taken, stored = perf_counter() - start, GoodReading.objects.count() - before
    reported = page.content.count(b"\nline ") + 1
    start = perf_counter()
    alone = sum(1 for _ in csv.reader(StringIO(text)))
    ratio = taken / (perf_counter() - start)
    yield f"table of known-good readings: {alone - 1} lines, {stored} stored, {reported} reported"
    yield f"  brought in              {taken:7.1f} s    (target 10 s; {ratio:.0f} times csv alone)"
