"""What a run of the tests prints: a line for each module once its tests are through, then whatever failed, in full."""

from __future__ import annotations

import os
import time
from collections import Counter, defaultdict
from typing import Any
from unittest import TestCase, TestSuite, TextTestResult

from django.test.runner import ParallelTestSuite, RemoteTestResult, RemoteTestRunner

# A module that passes in less than this has no line of its own [s].
QUICK_S = 8.0
# `SLOWEST=20 make test` adds the twenty slowest tests, each with its seconds.
SLOWEST = int(os.environ.get("SLOWEST", "0"))


def module_of(test: TestCase) -> str:
    """Where a test stands, as it is printed: a core test by its room, any other by its module."""
    parts = type(test).__module__.split(".")
    return ".".join(parts[:3])


class QuietResult(TextTestResult):
    """Prints nothing for a test that passes and one line for a module that is through.

    A worker process reports its tests class by class, so a test's seconds are measured there (`TimedRemoteResult`)
    and arrive by `addDuration`; in a run of one process they are measured here.
    """

    def __init__(self, stream: Any, descriptions: bool, verbosity: int, **named: Any) -> None:
        super().__init__(stream, descriptions, 0, **named)
        self._left: Counter[str] = Counter()
        self._seconds: dict[str, float] = defaultdict(float)
        self._count: Counter[str] = Counter()
        self._bad: Counter[str] = Counter()
        self._of_tests: list[tuple[float, str]] = []
        self._begun: float | None = None
        self._measured = False
        self._quick: list[str] = []

    def expect(self, tests: list[TestCase]) -> None:
        """Say which tests will run, so that the end of a module is known."""
        self._left.update(module_of(test) for test in tests)

    def startTest(self, test: TestCase) -> None:
        super().startTest(test)
        self._begun, self._measured = time.perf_counter(), False

    def addDuration(self, test: TestCase, elapsed: float) -> None:
        """Take a test's seconds from the process that ran it."""
        self._measured = True
        self._seconds[module_of(test)] += elapsed
        self._of_tests.append((elapsed, test.id()))

    def stopTest(self, test: TestCase) -> None:
        super().stopTest(test)
        if not self._measured and self._begun is not None:
            self.addDuration(test, time.perf_counter() - self._begun)
        name = module_of(test)
        self._count[name] += 1
        self._left[name] -= 1
        if self._left[name] == 0:
            if self._seconds[name] < QUICK_S and not self._bad[name]:
                self._quick.append(name)
                return
            bad = f"  {self._bad[name]} FAILED" if self._bad[name] else ""
            self.stream.writeln(f"{name:<34}{self._count[name]:>4} tests{self._seconds[name]:>8.1f} s{bad}")
            self.stream.flush()

    def addError(self, test: TestCase, err: Any) -> None:
        super().addError(test, err)
        self._bad[module_of(test)] += 1

    def addFailure(self, test: TestCase, err: Any) -> None:
        super().addFailure(test, err)
        self._bad[module_of(test)] += 1

    def addSubTest(self, test: TestCase, subtest: TestCase, err: Any) -> None:
        super().addSubTest(test, subtest, err)
        if err is not None:
            self._bad[module_of(test)] += 1

    def printErrors(self) -> None:
        if self._quick:
            count = sum(self._count[name] for name in self._quick)
            self.stream.writeln(f"and {count} tests of {len(self._quick)} modules that took under {QUICK_S:g} s each")
        super().printErrors()
        for seconds, name in sorted(self._of_tests, reverse=True)[:SLOWEST]:
            self.stream.writeln(f"{seconds:8.2f} s  {name}")


class TimedRemoteResult(RemoteTestResult):
    """Django's result of a worker process, with the seconds of each test."""

    def startTest(self, test: TestCase) -> None:
        super().startTest(test)
        self._begun = time.perf_counter()

    def stopTest(self, test: TestCase) -> None:
        self.events.append(("addDuration", self.test_index, time.perf_counter() - self._begun))
        super().stopTest(test)


class TimedRemoteRunner(RemoteTestRunner):
    """Runs one class's tests in a worker process."""

    resultclass = TimedRemoteResult


class TimedParallelSuite(ParallelTestSuite):
    """Django's suite for several processes, with each test's seconds."""

    runner_class = TimedRemoteRunner


def tests_of(suite: TestSuite | TestCase) -> list[TestCase]:
    """Every test of a suite, in the order in which it would run."""
    if isinstance(suite, TestCase):
        return [suite]
    parts = suite.subsuites if isinstance(suite, ParallelTestSuite) else suite
    return [test for part in parts for test in tests_of(part)]
