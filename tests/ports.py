"""Ports for what tests start."""

from __future__ import annotations

import socket

from tests.runner import KEPT, alone

# Below the ports that the system gives to outgoing connections (from 32768), so that none of those can take one first.
FIRST, BEYOND = 20_000, 32_000


def free_port() -> int:
    """Return a port that nobody listens on and that no other process of this tree's tests was given lately.

    A counter in a file goes round the range. A port that was found by binding to port 0 and closing again can be lost
    to somebody else before it is used.
    """
    with alone("ports"):
        counter = KEPT / "ports.last"
        port = int(counter.read_text()) if counter.exists() else FIRST
        while True:
            port = port + 1 if port + 1 < BEYOND else FIRST
            with socket.socket() as tried:
                try:
                    tried.bind(("127.0.0.1", port))
                except OSError:
                    continue
            counter.write_text(str(port))
            return port
