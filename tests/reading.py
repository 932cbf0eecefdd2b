"""The process that reads instruments, on threads of a test's own process."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase
from unittest.mock import patch

from django.test import override_settings

from benchtalk.wire import WirePlace
from chargepath.instrument.profile import InstrumentProfile
from rainfront.instruments import asking, bench
from rainfront.instruments.models import BenchInstrument
from rainfront.instruments.readers import Readers

PATIENCE_S = 60.0


def be_patient(test: TestCase) -> None:
    """Wait as long as it takes for an answer, and for a reading that stands: a busy machine is no trouble."""
    usual = bench.wanted_of

    def wanted_of(row: BenchInstrument) -> tuple[InstrumentProfile, WirePlace]:
        profile, place = usual(row)
        return replace(profile, acquire=replace(profile.acquire, deadline_s=PATIENCE_S)), place

    for patched in (
        patch.object(bench, "wanted_of", wanted_of),
        patch.object(bench, "WAIT_S", PATIENCE_S),
        patch.object(asking, "TAKES_S", 2 * PATIENCE_S),
    ):
        patched.start()
        test.addCleanup(patched.stop)


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
