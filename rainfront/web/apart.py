"""Work on what somebody sent in is done in a process of its own, with limits on time and memory, one at a time.

The program reads what was sent from its input. It writes a first line, then what it made: `ok` with words of its own,
or `no` and the refusal as JSON.
"""

from __future__ import annotations

import fcntl
import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from chargepath.base.errors import ChargepathError, ReadingError

ROOT = Path(__file__).resolve().parents[2]
WAIT_S = 30
OK, NO = b"ok", b"no"


@dataclass(frozen=True)
class Apart:
    """A program of ours that works on what was sent.

    Attributes
    ----------
    module : str
        Run as a program.
    what, right : str
        What is worked on, for an error, and what would be right.
    seconds : int
    memory_bytes : int

    """

    module: str
    what: str
    right: str
    seconds: int
    memory_bytes: int

    @contextmanager
    def _turn(self) -> Iterator[None]:
        """Wait until no other one is being worked on."""
        end = time.monotonic() + WAIT_S
        place = Path(tempfile.gettempdir()) / f"{self.module.replace('.', '-')}-{os.getuid()}.lock"
        with place.open("a") as lock:
            while True:
                try:
                    fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                except OSError as error:
                    if time.monotonic() > end:
                        raise ReadingError("others come first", self.what, "send it again in a minute") from error
                    time.sleep(0.05)
                else:
                    break
            yield

    def run(self, raw: bytes) -> tuple[list[bytes], bytes]:
        """What the program made of it: the words after `ok`, and what follows them.

        Raises
        ------
        ReadingError
            It refused, or it took too much time or memory.

        """
        with self._turn():
            try:
                made = subprocess.run(  # noqa: S603  (our own program)
                    [sys.executable, "-m", self.module],
                    input=raw,
                    capture_output=True,
                    timeout=self.seconds,
                    cwd=ROOT,
                    check=False,
                )
            except subprocess.TimeoutExpired as error:
                raise ReadingError(f"it cannot be opened within {self.seconds} s", self.what, self.right) from error
        head, _, body = made.stdout.partition(b"\n")
        words = head.split()
        if made.returncode == 0 and words[:1] == [OK]:
            return words[1:], body
        if words[:1] == [NO]:
            raise ReadingError(*json.loads(body))
        raise ReadingError(f"it takes more memory or time to open than a {self.what} does", self.what, self.right)

    def main(self, work: Callable[[bytes], tuple[bytes, bytes]]) -> None:
        """Within that program: do the work on what stands on the input.

        `work` gives the words of the first line and what follows them.
        """
        resource.setrlimit(resource.RLIMIT_AS, (self.memory_bytes, self.memory_bytes))
        resource.setrlimit(resource.RLIMIT_CPU, (self.seconds, self.seconds))
        out = sys.stdout.buffer
        try:
            words, made = work(sys.stdin.buffer.read())
        except ChargepathError as error:
            out.write(NO + b"\n" + json.dumps([error.what, error.where, error.right]).encode())
        else:
            out.write(OK + b" " + words + b"\n" + made)
