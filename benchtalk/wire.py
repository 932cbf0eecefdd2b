"""Bytes to and from an instrument, over TCP or a serial line."""

from __future__ import annotations

import contextlib
import hmac
import secrets
import socket
import ssl
from dataclasses import dataclass, field
from typing import Any, Protocol

from benchtalk import bridge
from benchtalk.trouble import Trouble, TroubleKind

CONNECT_S, SENDS_S, AT_ONCE = 2.0, 1.0, 4096
SERIAL, TCP, BRIDGE = "serial", "tcp", "bridge"


@dataclass(frozen=True)
class WirePlace:
    """Where an instrument is: an address on the network, or a serial line of this computer.

    Attributes
    ----------
    way : str
        'tcp', 'serial' or 'bridge'.
    host, port : str, int
        On TCP.
    path, baud : str, int
        On a serial line.
    secret, pin : str
        Of a bridge: what both sides know, and the fingerprint of its certificate, '' on this computer.

    """

    way: str = TCP
    host: str = ""
    port: int = 0
    path: str = ""
    baud: int = 9600
    secret: str = field(default="", repr=False)
    pin: str = ""

    def __str__(self) -> str:
        return self.path if self.way == SERIAL else f"{self.host}:{self.port}"


class Wire(Protocol):
    """A connection that is open."""

    def wait(self, seconds: float) -> bytes:
        """Wait at most so long [s] for bytes and return them at once; b'' where none came.

        Raises `Trouble` where the instrument is gone.
        """
        ...

    def send(self, data: bytes) -> None:
        """Send all of it. `Trouble` where it cannot be."""
        ...

    def wake(self) -> None:
        """Wake whoever waits, from another thread; nothing comes in after that."""
        ...

    def close(self) -> None:
        """Close it; nothing happens where it is closed already."""
        ...


class TcpWire:
    """A connection over the network."""

    def __init__(self, place: WirePlace) -> None:
        try:
            self._made = socket.create_connection((place.host, place.port), timeout=CONNECT_S)
        except (OSError, ValueError, OverflowError) as error:
            raise Trouble(TroubleKind.GONE, f"{place} cannot be reached ({_detail(error)})") from error
        self._made.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def wait(self, seconds: float) -> bytes:
        """What came in within so long, as soon as anything has."""
        try:
            self._made.settimeout(max(seconds, 0.001))
            data = self._made.recv(AT_ONCE)
        except TimeoutError:
            return b""
        except OSError as error:
            raise Trouble(TroubleKind.GONE, f"the connection broke ({_detail(error)})") from error
        if not data:
            raise Trouble(TroubleKind.GONE, "it closed the connection")
        return data

    def send(self, data: bytes) -> None:
        """Send all of it."""
        try:
            self._made.settimeout(SENDS_S)
            self._made.sendall(data)
        except OSError as error:
            raise Trouble(TroubleKind.GONE, f"it takes no command ({_detail(error)})") from error

    def wake(self) -> None:
        """Wake whoever waits."""
        with contextlib.suppress(OSError):
            # Closing alone wakes nobody who waits.
            self._made.shutdown(socket.SHUT_RDWR)

    def close(self) -> None:
        """Close it."""
        self.wake()
        self._made.close()


class BridgeWire(TcpWire):
    """A connection to a bridge (`benchtalk.bridge`): proved on both sides, under TLS beyond this computer."""

    def __init__(self, place: WirePlace) -> None:
        super().__init__(place)
        try:
            self._made.settimeout(bridge.PROVES_S)
            if place.pin or place.host not in bridge.HERE:
                self._made = _pinned(self._made, place.pin)
            self._prove(place.secret)
        except OSError as error:
            self.close()
            raise Trouble(TroubleKind.GONE, f"the bridge broke off ({_detail(error)})") from error
        except Trouble:
            self.close()
            raise

    def _prove(self, secret: str) -> None:
        theirs = bridge.line_of(self._made).removeprefix(bridge.HELLO.decode())
        ours = secrets.token_hex(16)
        if not theirs or " " in theirs:
            raise Trouble(TroubleKind.OTHER, "that is no bridge")
        self._made.sendall(f"{ours} {bridge.proof(secret, 'client', theirs, ours)}\n".encode())
        said = bridge.line_of(self._made)
        wanted = bridge.WELCOME.decode() + bridge.proof(secret, "bridge", ours, theirs)
        if said == bridge.BUSY.decode().strip():
            raise Trouble(TroubleKind.REFUSED, "somebody else uses the bridge")
        if not said:
            raise Trouble(TroubleKind.REFUSED, "the bridge has another secret")
        if not hmac.compare_digest(said, wanted):
            raise Trouble(TroubleKind.OTHER, "it answers as no bridge of this shop does")


def _pinned(made: socket.socket, pin: str) -> ssl.SSLSocket:
    """The connection under TLS, with the one certificate that is known."""
    if not pin:
        raise Trouble(TroubleKind.REFUSED, "a bridge on another computer needs the fingerprint of its certificate")
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    # The certificate itself is known, whoever signed it and whatever it is called.
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    wrapped = context.wrap_socket(made)
    shown = wrapped.getpeercert(binary_form=True) or b""
    if not hmac.compare_digest(bridge.fingerprint(shown), pin.lower().replace(":", "")):
        wrapped.close()
        raise Trouble(TroubleKind.OTHER, "its certificate is another one than the one that is known")
    return wrapped


class SerialWire:
    """A serial line of this computer, for this process alone."""

    def __init__(self, place: WirePlace) -> None:
        import serial

        self._over = False
        try:
            self._made: Any = serial.Serial(place.path, place.baud, timeout=0.0, write_timeout=SENDS_S, exclusive=True)
            self._made.reset_input_buffer()
        except (OSError, ValueError) as error:
            raise Trouble(TroubleKind.GONE, f"{place} cannot be opened ({_detail(error)})") from error

    def wait(self, seconds: float) -> bytes:
        """What came in within so long, as soon as anything has."""
        try:
            self._made.timeout = max(seconds, 0.001)
            first = self._made.read(1)
            found: bytes = first + self._made.read(min(self._made.in_waiting, AT_ONCE)) if first else b""
        except (OSError, TypeError) as error:
            raise Trouble(TroubleKind.GONE, f"the serial line broke ({_detail(error)})") from error
        if self._over and not found:
            raise Trouble(TroubleKind.GONE, "it is being closed")
        return found

    def send(self, data: bytes) -> None:
        """Send all of it."""
        try:
            self._made.write(data)
        except OSError as error:
            raise Trouble(TroubleKind.GONE, f"it takes no command ({_detail(error)})") from error

    def wake(self) -> None:
        """Wake whoever waits."""
        self._over = True
        with contextlib.suppress(OSError, TypeError, AttributeError):
            self._made.cancel_read()

    def close(self) -> None:
        """Close it."""
        self.wake()
        with contextlib.suppress(OSError, TypeError):
            self._made.close()


def open_wire(place: WirePlace) -> Wire:
    """Open a connection.

    Raises
    ------
    Trouble
        There is nothing, or nobody may open it.

    """
    if place.way == SERIAL:
        return SerialWire(place)
    return BridgeWire(place) if place.way == BRIDGE else TcpWire(place)


def serial_lines() -> list[tuple[str, str]]:
    """Serial lines that the system lists, by their lasting names, with what they are; nothing is sent to any."""
    from pathlib import Path

    from serial.tools import list_ports

    lasting = {}
    for link in sorted(Path("/dev/serial/by-id").glob("*")):
        lasting[str(link.resolve())] = str(link)
    found = [(lasting.get(row.device, row.device), row.description or "") for row in list_ports.comports()]
    return sorted((path, what if what != "n/a" else "") for path, what in found)


def _detail(error: Exception) -> str:
    return (getattr(error, "strerror", None) or str(error) or type(error).__name__)[:120]
