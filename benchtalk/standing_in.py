"""Serving a stand-in over a real TCP port or a real pseudo-terminal, well behaved or in one of twelve ways not."""

from __future__ import annotations

import contextlib
import os
import pty
import re
import socket
import threading
import time
import tty
from pathlib import Path
from typing import Protocol

from benchtalk.wire import SERIAL, TCP, WirePlace

# How a stand-in misbehaves.
MISBEHAVIOURS = (
    "silent", "drip", "endless", "garbage", "nan", "huge", "overload", "late", "double", "gone", "other", "slow_start",
)  # fmt: skip
DRIP_S, LATE_S, BOOTS_S, TICK_S = 0.3, 2.5, 1.5, 0.005
NUMBER = re.compile(rb"\d+(?:\.\d+)?(?:[eE][+-]?\d+)?")
NONSENSE = b"\x00\xfe#4%!~ERR\x07"


class Talks(Protocol):
    """What is served: see `chargepath.standin.talkers`."""

    rate_hz: float

    def line(self) -> str:
        """What it says next by itself."""
        ...

    def answer(self, line: str) -> str | None:
        """What it says to a line."""
        ...


class _Client:
    """The other end of a connection: bytes in and out, both without waiting."""

    def __init__(self, handle: int, made: socket.socket | None = None) -> None:
        self.handle, self.made, self.rest = handle, made, b""
        self.queued: list[tuple[float, bytes]] = []
        self.begun = time.monotonic()

    def send(self, data: bytes) -> None:
        with contextlib.suppress(BlockingIOError, OSError):
            if self.made is not None:
                self.made.send(data)
            else:
                os.write(self.handle, data)

    def take(self) -> list[str] | None:
        """Whole lines that came in; None where the other side has gone."""
        try:
            data = self.made.recv(4096) if self.made is not None else os.read(self.handle, 4096)
        except BlockingIOError:
            return []
        except OSError:
            return None if self.made is not None else []
        if not data and self.made is not None:
            return None
        *whole, self.rest = (self.rest + data).split(b"\n")
        return [line.decode("utf-8", errors="replace") for line in whole]

    def close(self) -> None:
        with contextlib.suppress(OSError):
            if self.made is not None:
                self.made.close()
            else:
                os.close(self.handle)


class StandingIn:
    """Serves one talker on a thread of its own.

    Parameters
    ----------
    talker : Talks
    way : str
        'tcp' or 'serial'.
    path : Path, optional
        Name of the serial line; it stays while the line behind it is pulled out and put in again.
    port : int, optional
        On TCP; a free one where it is 0.

    Attributes
    ----------
    how : str
        One of `MISBEHAVIOURS`, '' while it behaves. May be changed at any time.

    """

    def __init__(self, talker: Talks, way: str = TCP, path: Path | None = None, port: int = 0) -> None:
        self.talker, self.way, self.how = talker, way, ""
        self._path, self._over = path, threading.Event()
        self._clients: list[_Client] = []
        self._listening: socket.socket | None = None
        self._slave = -1
        if way == TCP:
            self._listening = socket.create_server(("127.0.0.1", port))
            self._listening.setblocking(False)
            self.place = WirePlace(TCP, "127.0.0.1", self._listening.getsockname()[1])
        else:
            assert path is not None
            self._plug_in()
            self.place = WirePlace(SERIAL, path=str(path), baud=115_200)
        self._due, self._drips = time.monotonic(), 0.0
        self._thread = threading.Thread(target=self._serve, name=f"standing in at {self.place}", daemon=True)

    def start(self) -> StandingIn:
        """Begin to serve."""
        self._thread.start()
        return self

    def stop(self) -> None:
        """Serve no more."""
        self._over.set()
        self._thread.join(timeout=2)

    # On its own thread.

    def _serve(self) -> None:
        was = ""
        while not self._over.wait(TICK_S):
            if self.how != was:
                was = self.how
                self._changed(was)
            self._accept()
            for client in list(self._clients):
                self._talk(client)
            self._by_itself()
        for client in self._clients:
            client.close()
        if self._slave >= 0:
            os.close(self._slave)
        if self._listening is not None:
            self._listening.close()

    def _changed(self, how: str) -> None:
        if how in ("gone", "slow_start"):
            for client in self._clients:
                client.close()
            self._clients.clear()
            if self.way == SERIAL:
                os.close(self._slave)
                self._slave = -1
                assert self._path is not None
                self._path.unlink(missing_ok=True)
        if self.way == SERIAL and how != "gone" and self._slave < 0:
            self._plug_in()

    def _plug_in(self) -> None:
        master, self._slave = pty.openpty()
        tty.setraw(self._slave)
        os.set_blocking(master, False)
        assert self._path is not None
        made = self._path.with_suffix(".new")
        made.unlink(missing_ok=True)
        made.symlink_to(os.ttyname(self._slave))
        made.replace(self._path)
        self._clients.append(_Client(master))

    def _accept(self) -> None:
        if self._listening is None:
            return
        try:
            made, _ = self._listening.accept()
        except OSError:
            return
        made.setblocking(False)
        made.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        if self.how == "gone":
            made.close()
        else:
            client = _Client(made.fileno(), made)
            self._clients.append(client)
            greets = getattr(self.talker, "hello", None)
            if greets is not None:
                self._say(client, greets())

    def _talk(self, client: _Client) -> None:
        lines = client.take()
        if lines is None:
            client.close()
            self._clients.remove(client)
            return
        for line in lines:
            answer = self.talker.answer(line)
            if answer is not None:
                self._say(client, "rainfront,another,0,1" if self.how == "other" and "IDN" in line else answer)
        now = time.monotonic()
        if client.queued and (client.queued[0][0] <= now or self.how != "late"):
            # What was held back comes at once.
            client.send(b"".join(raw for _, raw in client.queued))
            client.queued.clear()

    def _by_itself(self) -> None:
        now = time.monotonic()
        if self.how in ("drip", "endless") and now >= self._drips:
            self._drips = now + (DRIP_S if self.how == "drip" else TICK_S)
            for client in self._clients:
                client.send(b"1" if self.how == "drip" else b"1" * 200)
        if not self.talker.rate_hz or now < self._due:
            return
        self._due = max(self._due + 1 / self.talker.rate_hz, now)
        line = self.talker.line()
        for client in self._clients:
            self._say(client, "CH1 = 12.3 bar" if self.how == "other" else line)

    def _say(self, client: _Client, line: str) -> None:
        how, raw = self.how, line.encode() + b"\n"
        if how in ("silent", "drip", "endless", "gone"):
            return
        if how == "slow_start" and time.monotonic() - client.begun < BOOTS_S:
            raw = b"boot 0x3f\r\n"
        if how == "garbage":
            raw = NONSENSE + b"\n"
        if how in ("nan", "huge", "overload"):
            words = {"nan": b"nan", "huge": b"9e99", "overload": b"OVLD"}
            # Its name and its errors are no readings, and stay.
            raw = raw if b"rainfront" in raw or b'"' in raw else NUMBER.sub(words[how], raw)
        if how == "late":
            client.queued.append((time.monotonic() + LATE_S, raw))
            return
        client.send(raw * (2 if how == "double" else 1))
