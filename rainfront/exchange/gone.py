"""What archives of earlier versions have and this one has not: fields and tables, and where it is kept now."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rainfront.instruments.models import BenchInstrument

# By table. A meter of sheets with an address is an instrument of the bench now.
GONE: Mapping[str, frozenset[str]] = {"reference.diodemeter": frozenset({"host", "port"})}
# Tables. The meter that records were read from is an instrument of the bench now.
GONE_TABLES = frozenset({"instruments.meter"})
Found = list[tuple[str, dict[str, Any]]]


def without_gone(table: str, row: dict[str, Any], found: Found) -> dict[str, Any]:
    """A row without the fields that are gone; where they held anything, the whole row is added to `found`."""
    gone = GONE.get(table, frozenset()) & row.keys()
    if not gone:
        return row
    if all(row[name] for name in gone):
        found.append((table, row))
    return {name: value for name, value in row.items() if name not in gone}


def keep_gone(found: Found) -> None:
    """Keep what stood in fields and tables that are gone where it is kept now."""
    for table, row in found:
        if table == "reference.diodemeter":
            fields = {"name": row["name"], "profile": "json_multimeter", "host": row["host"], "port": row["port"]}
            BenchInstrument.objects.create(sheet_meter_id=row["id"], **fields)
        elif table == "instruments.meter":
            place = {"host": row["host"], "port": row["port"]}
            if not BenchInstrument.objects.filter(**place).exists():
                taken = BenchInstrument.objects.filter(name="Power meter").exists()
                fields = {
                    "name": "Power meter of records" if taken else "Power meter",
                    "profile": row.get("profile", "json_lines"),
                    **place,
                }
                BenchInstrument.objects.create(**fields)
