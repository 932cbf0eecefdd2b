"""A server on a socket of this machine: each client sends one line of JSON and gets one line of JSON back.

Nobody who connects and says nothing, or too much, holds up the others.
"""

from __future__ import annotations

import contextlib
import json
import socket
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

LISTENS_S, AT_ONCE, LONGEST_BYTES = 1.0, 16, 100_000


class Answering:
    """Serves `answer` at a path until it is stopped."""

    def __init__(self, path: Path, answer: Callable[[dict[str, Any]], dict[str, Any]]) -> None:
        self._path, self._answer = path, answer
        self._places = threading.BoundedSemaphore(AT_ONCE)
        self._listening: socket.socket | None = None

    def start(self) -> None:
        """Listen; a socket that a killed process left is taken over."""
        with contextlib.suppress(FileNotFoundError):
            self._path.unlink()
        self._listening = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self._listening.bind(str(self._path))
        self._path.chmod(0o600)
        self._listening.listen(64)
        threading.Thread(target=self._listen, name=f"answering {self._path.name}", daemon=True).start()

    def stop(self) -> None:
        """Listen no more."""
        if self._listening is not None:
            with contextlib.suppress(OSError):
                self._listening.shutdown(socket.SHUT_RDWR)
            self._listening.close()

    def _listen(self) -> None:
        assert self._listening is not None
        while True:
            try:
                made, _ = self._listening.accept()
            except OSError:
                return
            if self._places.acquire(blocking=False):
                threading.Thread(target=self._serve, args=(made,), daemon=True).start()
            else:
                made.close()

    def _serve(self, made: socket.socket) -> None:
        try:
            with made:
                made.settimeout(LISTENS_S)
                asked = _asked(made)
                if asked is not None:
                    made.sendall(json.dumps(self._answer(asked)).encode() + b"\n")
        except OSError:
            pass
        finally:
            self._places.release()


def _asked(made: socket.socket) -> dict[str, Any] | None:
    """What is asked; None where nothing whole comes in time."""
    found, end = b"", time.monotonic() + LISTENS_S
    while not found.endswith(b"\n"):
        data = made.recv(65_536)
        found += data
        if not data or len(found) > LONGEST_BYTES or time.monotonic() > end:
            return None
    try:
        asked = json.loads(found)
    except (ValueError, RecursionError):
        return {}
    return asked if isinstance(asked, dict) else {}
