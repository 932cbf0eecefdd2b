"""Where instruments may stand: the program connects nowhere else, so that no address field tries the network out."""

from __future__ import annotations

import ipaddress

from django.core.exceptions import ValidationError

from chargepath.base.errors import ReadingError
from rainfront.people.models import Workshop

LOCAL_NAME = "localhost"


def allowed_host(host: str) -> str:
    """The address that a form was given, where the owner allows meters there; else the form's own error."""
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
    allowed = [name.strip() for name in Workshop.current().meter_networks.split(",") if name.strip()]
    if not any(address in ipaddress.ip_network(name, strict=False) for name in allowed):
        where = ", ".join(allowed) or "nowhere"
        raise ReadingError(f"{host} is not where meters may be", "host", f"{where}; the owner sets it under Keeping")
