"""Looking for instruments that announce themselves (mDNS), on one interface and only when a person asks for it."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass
from typing import Any

# Services of instruments that take text commands: IANA's registry of service names (from memory).
SERVICES = ("_scpi-raw._tcp.local.", "_scpi-telnet._tcp.local.")
# How long it is listened for answers [s]; so many are kept, so much of a name.
LOOKS_FOR_S, MOST, LONGEST_NAME = 3.0, 40, 60


@dataclass(frozen=True)
class Announced:
    """An instrument that has announced itself.

    Attributes
    ----------
    name : str
        What it calls itself.
    host : str
        Its IPv4 address.
    port : int

    """

    name: str
    host: str
    port: int


def own_addresses() -> list[tuple[str, str]]:
    """The interfaces of this computer: address and name, its own loopback last."""
    import ifaddr

    found = [
        (str(one.ip), str(adapter.nice_name)) for adapter in ifaddr.get_adapters() for one in adapter.ips if one.is_IPv4
    ]
    return sorted(found, key=lambda row: row[0].startswith("127."))


def look_for(address: str, seconds: float = LOOKS_FOR_S) -> list[Announced]:
    """What announces itself within so long on the interface that has this address.

    Raises
    ------
    OSError
        There is no such interface, or it cannot be used.

    """
    # It takes 4 MB and a fifth of a second that nobody needs who never looks.
    from zeroconf import IPVersion, ServiceBrowser, ServiceListener, Zeroconf

    found, lock = dict[tuple[str, int], Announced](), threading.Lock()

    class Listens(ServiceListener):
        def add_service(self, zc: Zeroconf, type_: str, name: str) -> None:
            info: Any = zc.get_service_info(type_, name, timeout=int(1000 * seconds))
            for host in info.parsed_addresses(IPVersion.V4Only) if info else ():
                with lock:
                    if len(found) < MOST:
                        said = name.removesuffix(f".{type_}")[:LONGEST_NAME]
                        found.setdefault((host, info.port), Announced(said, host, info.port))

        def update_service(self, zc: Zeroconf, type_: str, name: str) -> None:
            pass

        def remove_service(self, zc: Zeroconf, type_: str, name: str) -> None:
            pass

    asked = Zeroconf(interfaces=[address], ip_version=IPVersion.V4Only)
    try:
        ServiceBrowser(asked, list(SERVICES), Listens())
        time.sleep(seconds)
    finally:
        asked.close()
    with lock:
        return sorted(found.values(), key=lambda one: (one.name, one.host, one.port))
