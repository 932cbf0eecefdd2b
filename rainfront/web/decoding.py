"""Pictures are decoded in a process of their own, with limits on time and memory, one at a time on the machine.

Run as a program it reads a picture from its input and writes a first line, then the clean JPEG: `ok WIDTH HEIGHT`, or
`no` and the refusal as JSON.
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
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from chargepath.base.errors import ReadingError
from rainfront.web.pictures import clean_picture

ROOT = Path(__file__).resolve().parents[2]
DECODE_S, WAIT_S, MEMORY_BYTES = 15, 30, 1_500_000_000
LOCK = Path(tempfile.gettempdir()) / f"rainfront-decoding-{os.getuid()}.lock"


@contextmanager
def _turn() -> Iterator[None]:
    """Wait until no other picture is being decoded."""
    end = time.monotonic() + WAIT_S
    with LOCK.open("a") as lock:
        while True:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError as error:
                if time.monotonic() > end:
                    raise ReadingError("other pictures come first", "photo", "send it again in a minute") from error
                time.sleep(0.05)
            else:
                break
        yield


def clean_apart(raw: bytes) -> tuple[bytes, int, int]:
    """`clean_picture`, where nothing that a picture does can hold or fill this process.

    Returns
    -------
    the JPEG, its width and height in pixels

    Raises
    ------
    ReadingError
        No picture, broken off, too large, or too much work; says what would be right.

    """
    program = [sys.executable, "-m", "rainfront.web.decoding"]
    right = "take it again, as JPEG, PNG or WebP"
    with _turn():
        try:
            made = subprocess.run(  # noqa: S603  (our own program)
                program, input=raw, capture_output=True, timeout=DECODE_S, cwd=ROOT, check=False
            )
        except subprocess.TimeoutExpired as error:
            raise ReadingError(f"it cannot be opened within {DECODE_S} s", "photo", right) from error
    head, _, body = made.stdout.partition(b"\n")
    words = head.split()
    if made.returncode == 0 and words[:1] == [b"ok"]:
        return body, int(words[1]), int(words[2])
    if words[:1] == [b"no"]:
        raise ReadingError(*json.loads(body))
    raise ReadingError("it takes more memory or time to open than a picture does", "photo", right)


def main() -> None:
    """Decode what stands on the input."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (DECODE_S, DECODE_S))
    out = sys.stdout.buffer
    try:
        picture, width, height = clean_picture(sys.stdin.buffer.read())
    except ReadingError as error:
        out.write(b"no\n" + json.dumps([error.what, error.where, error.right]).encode())
    else:
        out.write(f"ok {width} {height}\n".encode() + picture)


if __name__ == "__main__":
    main()
