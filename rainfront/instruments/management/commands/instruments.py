"""`manage.py instruments`: the one process that reads the instruments."""

from __future__ import annotations

import fcntl
import signal
import threading
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from rainfront.instruments.readers import Readers


class Command(BaseCommand):
    """Read meters into records and pass on what is asked of instruments, until the process is ended."""

    help = "read the instruments: one process for a database"

    def handle(self, *args: Any, **options: Any) -> None:
        """Run; a second one for the same folder is refused."""
        settings.WATCH_FOLDER.mkdir(mode=0o700, parents=True, exist_ok=True)
        with (settings.WATCH_FOLDER / "readers.lock").open("w", encoding="utf-8") as lock:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError as error:
                raise CommandError("another process reads the instruments already") from error
            over = threading.Event()
            for number in (signal.SIGTERM, signal.SIGINT):
                signal.signal(number, lambda *_: over.set())
            readers = Readers(settings.WATCH_FOLDER)
            readers.start()
            readers.bench.renew(now=True)
            over.wait()
            readers.stop()
