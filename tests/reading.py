"""The process that reads instruments, on threads of a test's own process."""

from __future__ import annotations

import tempfile
from pathlib import Path
from unittest import TestCase

from django.test import override_settings

from rainfront.instruments.readers import Readers


def read_instruments(test: TestCase) -> Readers:
    """Have somebody read the instruments until the test ends."""
    folder = tempfile.TemporaryDirectory(prefix="r")
    test.addCleanup(folder.cleanup)
    patch = override_settings(WATCH_FOLDER=Path(folder.name))
    patch.enable()
    test.addCleanup(patch.disable)
    readers = Readers(Path(folder.name))
    readers.start()
    test.addCleanup(readers.stop)
    return readers
