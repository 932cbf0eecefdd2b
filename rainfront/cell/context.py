"""What every page is given of cells on the supply."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from rainfront.cell.tending import alarms


def supply_alarms(request: HttpRequest) -> dict[str, Any]:
    """`supply_alarms`: outputs that may be on over a cell, for whoever is signed in."""
    return {"supply_alarms": alarms() if request.user.is_authenticated else ()}
