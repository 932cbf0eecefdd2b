"""Networks in which instruments may have an address. The program connects nowhere else, so that nobody can use an
address field to probe the network.
"""

from __future__ import annotations

import ipaddress

from django.core.exceptions import ValidationError

from chargepath.base.errors import ReadingError
from rainfront.people.models import Workshop

LOCAL_NAME = "localhost"


def allowed_host(host: str) -> str:
    """Return the address from a form if the owner allows instruments there; raise the form's own error if not."""
    try:
        if host:
            refuse_address(host)
    except ReadingError as error:
        raise ValidationError(str(error)) from error
    return host.strip()


def refuse_address(host: str) -> None:
    """Refuse an address outside the networks that the owner has named.

    Raises
    ------
    ReadingError
        It is a name, not an address, or the owner allows no meter there.

    """
    try:
        address = ipaddress.ip_address("127.0.0.1" if host.strip().lower() == LOCAL_NAME else host.strip())
    except ValueError as error:
        raise ReadingError(f"'{host}' is no address", "host", "four numbers, as in 192.168.4.20") from error
    if address.is_link_local:
        raise ReadingError(
            f"{host} is an address that a machine gives itself",
            "host",
            "one that the shop's network has given, as 192.168.4.20",
        )
    allowed = [name.strip() for name in Workshop.current().meter_networks.split(",") if name.strip()]
    if not any(address in ipaddress.ip_network(name, strict=False) for name in allowed):
        where = ", ".join(allowed) or "nowhere"
        raise ReadingError(f"{host} is not where meters may be", "host", f"{where}; the owner sets it under Keeping")
