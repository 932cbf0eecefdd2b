"""Serve one serial instrument of this computer over the network: `python bridge.py /dev/serial/by-id/... --port 7790`.

Needs the standard library and pyserial, and nothing else of this program, so that this one file can be copied to the
bench's computer. Whoever connects proves that it knows the secret, and the bridge proves it too; the secret itself is
never sent. One client at a time. When it has gone, or has said nothing for five seconds, the lines of `--safe` are said
to the instrument. Beyond this computer it is served under TLS only, with a certificate whose fingerprint the other side
knows.
"""

from __future__ import annotations

import argparse
import hashlib
import hmac
import os
import secrets
import select
import socket
import ssl
import sys
import threading
import time
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

HELLO, BUSY, WELCOME = b"rainfront-bridge 1 ", b"busy\n", b"welcome "
TOLD_BY = "RAINFRONT_BRIDGE_SECRET"
HERE = ("127.0.0.1", "::1", "localhost")
# Who does not prove itself in time is sent away [s]; how many bytes are passed on at once.
PROVES_S, AT_ONCE, LONGEST = 3.0, 4096, 200
# Where something has to be made safe, a client that says nothing for so long counts as gone [s]: one that lives asks
# several times a second. How often that is looked at [s].
LEASE_S, LOOKS_S = 5.0, 0.5


def proof(secret: str, side: str, ours: str, theirs: str) -> str:
    """What only one who knows the secret can say: of both numbers, and of the side that says it."""
    return hmac.new(secret.encode(), f"{side} {ours} {theirs}".encode(), hashlib.sha256).hexdigest()


def fingerprint(der: bytes) -> str:
    """The SHA-256 of a certificate in hexadecimal, by which a person says which certificate is the bridge's."""
    return hashlib.sha256(der).hexdigest()


def line_of(made: socket.socket) -> str:
    """A short line; '' where none comes in time."""
    found = b""
    with suppress(OSError):
        while not found.endswith(b"\n") and len(found) < LONGEST:
            data = made.recv(1)
            if not data:
                break
            found += data
    return found.decode("ascii", errors="replace").strip() if found.endswith(b"\n") else ""


class Bridge:
    """Serves one serial line.

    Parameters
    ----------
    open_line : callable
        Opens the serial line: something with `fileno`, `read`, `write` and `close`.
    secret : str
    safe : sequence of str
        Lines that are said when the client has gone.
    tls : ssl.SSLContext, optional

    """

    def __init__(
        self, open_line: Any, secret: str, safe: Sequence[str] = (), tls: ssl.SSLContext | None = None
    ) -> None:
        self._open_line, self._secret, self._safe, self._tls = open_line, secret, tuple(safe), tls
        self._taken = threading.Lock()

    def serve(self, listening: socket.socket) -> None:
        """Serve clients that connect to this socket, until somebody closes it."""
        while True:
            try:
                made, _ = listening.accept()
            except OSError:
                return
            threading.Thread(target=self._one, args=(made,), daemon=True).start()

    def _one(self, made: socket.socket) -> None:
        try:
            made.settimeout(PROVES_S)
            # A computer that has vanished without a word is found out too, and does not keep others away.
            made.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
            for name, value in (("TCP_KEEPIDLE", 5), ("TCP_KEEPINTVL", 2), ("TCP_KEEPCNT", 3)):
                if hasattr(socket, name):
                    made.setsockopt(socket.IPPROTO_TCP, getattr(socket, name), value)
            if self._tls is not None:
                made = self._tls.wrap_socket(made, server_side=True)
            welcome = self._welcome(made)
            if not welcome:
                return
            if not self._taken.acquire(blocking=False):
                made.sendall(BUSY)
                return
            try:
                made.sendall(welcome)
                self._pass_on(made)
            finally:
                self._taken.release()
        except OSError:
            pass
        finally:
            with suppress(OSError):
                made.close()

    def _welcome(self, made: socket.socket) -> bytes:
        """What proves the bridge to a client that has proved itself; nothing for one that has not."""
        ours = secrets.token_hex(16)
        made.sendall(HELLO + ours.encode() + b"\n")
        theirs, _, said = line_of(made).partition(" ")
        if not hmac.compare_digest(said, proof(self._secret, "client", ours, theirs)):
            return b""
        return WELCOME + proof(self._secret, "bridge", theirs, ours).encode() + b"\n"

    def _pass_on(self, made: socket.socket) -> None:
        line = self._open_line()
        heard = time.monotonic()
        try:
            while not self._safe or time.monotonic() - heard < LEASE_S:
                waiting = isinstance(made, ssl.SSLSocket) and made.pending() > 0
                ready = [made] if waiting else select.select([made, line], [], [], LOOKS_S)[0]
                if made in ready:
                    data = made.recv(AT_ONCE)
                    if not data:
                        return
                    heard = time.monotonic()
                    line.write(data)
                if line in ready:
                    data = line.read(AT_ONCE)
                    if data:
                        made.sendall(data)
        finally:
            with suppress(OSError):
                for text in self._safe:
                    line.write(text.encode() + b"\n")
                line.close()


def serial_line(path: str, baud: int) -> Any:
    """Open a serial line for this process alone; reading it does not wait."""
    import serial

    return serial.Serial(path, baud, timeout=0, write_timeout=1.0, exclusive=True)


def main(words: Sequence[str] | None = None) -> int:
    """Serve the line until the program is ended.

    Returns 2, and says why, where no secret is set or others on the network could read along.
    """
    asked = argparse.ArgumentParser(prog="bridge.py", description="Serve one serial instrument over the network.")
    asked.add_argument("line", help="as /dev/serial/by-id/...")
    asked.add_argument("--baud", type=int, default=9600)
    asked.add_argument("--host", default="127.0.0.1", help="where it is served; beyond this computer with --cert only")
    asked.add_argument("--port", type=int, default=7790)
    asked.add_argument("--safe", action="append", default=[], metavar="LINE", help="said when the client has gone")
    asked.add_argument("--cert", type=Path, help="certificate and key in one PEM file")
    told = asked.parse_args(words)
    secret = os.environ.get(TOLD_BY, "")
    if len(secret) < 16:
        sys.stderr.write(f"Set {TOLD_BY} to the secret that the page of the instrument shows.\n")
        return 2
    tls = None
    if told.cert is not None:
        tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        tls.load_cert_chain(told.cert)
        pem = told.cert.read_text(encoding="ascii")
        begin = pem.index("-----BEGIN CERTIFICATE-----")
        print("fingerprint", fingerprint(ssl.PEM_cert_to_DER_cert(pem[begin : pem.index("-----END CERT") + 25])))
    elif told.host not in HERE:
        sys.stderr.write("Beyond this computer it is served with --cert only: others could read along.\n")
        return 2
    listening = socket.create_server((told.host, told.port))
    print(f"{told.line} is served at {told.host}:{told.port}", flush=True)
    Bridge(lambda: serial_line(told.line, told.baud), secret, told.safe, tls).serve(listening)
    return 0


if __name__ == "__main__":
    with suppress(KeyboardInterrupt):
        sys.exit(main())
