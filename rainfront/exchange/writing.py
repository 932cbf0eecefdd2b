"""A whole shop written into an archive: the same shop, the same bytes."""

from __future__ import annotations

import hashlib
import json
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from django.core.files.storage import default_storage
from django.db import transaction

from rainfront.exchange.shape import described, fields_of, file_fields, name_of, tables
from rainfront.exchange.values import written

FORMAT, VERSION = "rainfront-shop", 1
MANIFEST, FIELDS = "manifest.json", "fields.json"
# Every entry bears the same moment, so that the same shop gives the same bytes.
MOMENT = (1980, 1, 1, 0, 0, 0)
ROWS = 2000


def _entry(name: str) -> zipfile.ZipInfo:
    made = zipfile.ZipInfo(name, MOMENT)
    made.compress_type, made.external_attr = zipfile.ZIP_DEFLATED, 0o600 << 16
    return made


def lines_of(model: type[Any]) -> Iterator[str]:
    """Rows of a table, one JSON object a line, in the order of their numbers."""
    fields = fields_of(model)
    names = [field.attname for field in fields]
    for row in model._base_manager.order_by("pk").values_list(*names).iterator(ROWS):
        plain = {name: written(field, value) for name, field, value in zip(names, fields, row, strict=True)}
        yield json.dumps(plain, ensure_ascii=False, separators=(",", ":")) + "\n"


@transaction.atomic
def write_shop(target: Path) -> dict[str, int]:
    """Write the whole shop as it stands at one moment; how many rows of each table.

    The archive is a ZIP file: `manifest.json` (format, version, rows and sums), `fields.json` (what each field is),
    `tables/APP.TABLE.jsonl` and `files/…`.
    """
    counts: dict[str, int] = {}
    sums: dict[str, str] = {}
    files: set[str] = set()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
        for model in tables():
            found, count = hashlib.sha256(), 0
            name = f"tables/{name_of(model)}.jsonl"
            with archive.open(_entry(name), "w", force_zip64=True) as opened:
                for line in lines_of(model):
                    raw = line.encode()
                    found.update(raw)
                    opened.write(raw)
                    count += 1
            counts[name_of(model)], sums[name] = count, found.hexdigest()
            for field in file_fields(model):
                rows = model._base_manager.exclude(**{field.name: ""}).values_list(field.name, flat=True)
                files.update(rows)
        for name in sorted(files):
            if default_storage.exists(name):
                with default_storage.open(name, "rb") as kept:
                    raw = kept.read()
                sums[f"files/{name}"] = hashlib.sha256(raw).hexdigest()
                archive.writestr(_entry(f"files/{name}"), raw)
        archive.writestr(_entry(FIELDS), json.dumps(described(), indent=1, sort_keys=True))
        manifest = {"format": FORMAT, "version": VERSION, "rows": counts, "sha256": dict(sorted(sums.items()))}
        archive.writestr(_entry(MANIFEST), json.dumps(manifest, indent=1))
    return counts
