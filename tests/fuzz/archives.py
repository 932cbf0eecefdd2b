"""Archives of a shop with something in them that cannot be, from a fixed seed: values, structure, the file itself."""

from __future__ import annotations

import hashlib
import io
import json
import random
import zipfile
from typing import Any

MANIFEST = "manifest.json"
# What may stand where something else should.
WRONG: tuple[Any, ...] = (
    None, "", "x", "x" * 5000, 0, -1, 1e308, -1e308, 10**30, 0.1, True, [], {}, [[]], {"a": {"b": [1, {"c": None}]}},
    "\x00", "9e999", "0001-01-01T00:00:00Z", "9999-12-31T23:59:59Z", "9999-12-31", "not-a-date", "../secret.txt",
    "/etc/passwd", ".hidden", "a/../../b", ["toaster"], {"toaster": 1}, [None], [1, 2], "closed", "toaster", "NaN",
    "\ud800", "<script>", "unlock code 4711",
)  # fmt: skip


class Archives:
    """Makes broken archives of a whole one."""

    def __init__(self, whole: bytes, seed: int) -> None:
        self._draw = random.Random(seed)
        with zipfile.ZipFile(io.BytesIO(whole)) as archive:
            self._files = {entry.filename: archive.read(entry) for entry in archive.infolist()}
        self._whole = whole

    def one(self) -> tuple[str, bytes]:
        """What is wrong with it, and the archive."""
        how = self._draw.choice(
            (self._value, self._value, self._value, self._value, self._manifest, self._bytes, self._lines)
        )
        return how()

    def _packed(self, files: dict[str, bytes], *, summed: bool = True) -> bytes:
        if summed:
            manifest = json.loads(files[MANIFEST])
            manifest["sha256"] = {
                name: hashlib.sha256(raw).hexdigest()
                for name, raw in files.items()
                if name.startswith(("tables/", "files/"))
            }
            files = {**files, MANIFEST: json.dumps(manifest).encode()}
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
            for name, raw in files.items():
                made.writestr(name, raw)
        return out.getvalue()

    def _value(self) -> tuple[str, bytes]:
        """One value of one row is another, and the sums are right."""
        table = self._draw.choice([name for name, raw in self._files.items() if name.endswith(".jsonl") and raw])
        lines = self._files[table].decode().splitlines()
        at = self._draw.randrange(len(lines))
        row = json.loads(lines[at])
        key, value = self._draw.choice(sorted(row)), self._draw.choice(WRONG)
        row[key] = value
        lines[at] = json.dumps(row)
        raw = ("\n".join(lines) + "\n").encode("utf-8", "surrogatepass")
        return f"{table} {key} = {value!r:.40}", self._packed({**self._files, table: raw})

    def with_value(self, table: str, key: str, value: Any) -> bytes:
        """The whole archive with one value of a table's first row another one."""
        name = f"tables/{table}.jsonl"
        first, *rest = self._files[name].decode().splitlines()
        raw = "\n".join([json.dumps({**json.loads(first), key: value}), *rest, ""]).encode()
        return self._packed({**self._files, name: raw})

    def _manifest(self) -> tuple[str, bytes]:
        """The manifest says something else."""
        manifest = json.loads(self._files[MANIFEST])
        key = self._draw.choice(sorted(manifest))
        value = self._draw.choice(WRONG)
        if key == "rows" and self._draw.random() < 0.5:
            manifest["rows"][self._draw.choice(sorted(manifest["rows"]))] = value
        else:
            manifest[key] = value
        raw = json.dumps(manifest) if self._draw.random() < 0.9 else "[" * 100_000
        return f"manifest {key} = {value!r:.40}", self._packed({**self._files, MANIFEST: raw.encode()}, summed=False)

    def _lines(self) -> tuple[str, bytes]:
        """A table has a line too many, too few, twice, or one that is no row."""
        table = self._draw.choice([name for name, raw in self._files.items() if name.endswith(".jsonl") and raw])
        lines = self._files[table].splitlines(keepends=True)
        at = self._draw.randrange(len(lines))
        how = self._draw.choice(("gone", "twice", "deep", "text", "number"))
        put = {
            "gone": [],
            "twice": [lines[at]] * 2,
            "deep": [b"[" * 50_000 + b"\n"],
            "text": [b"row\n"],
            "number": [b"3\n"],
        }[how]
        raw = b"".join([*lines[:at], *put, *lines[at + 1 :]])
        return f"{table} line {how}", self._packed({**self._files, table: raw})

    def _bytes(self) -> tuple[str, bytes]:
        """Some bytes of the file are others, or its end is missing."""
        raw = bytearray(self._whole)
        if self._draw.random() < 0.2:
            return "cut off", bytes(raw[: self._draw.randrange(len(raw))])
        for _ in range(self._draw.randrange(1, 6)):
            raw[self._draw.randrange(len(raw))] = self._draw.randrange(256)
        return "bytes", bytes(raw)
