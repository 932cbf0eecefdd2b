"""Which files belong to rows, and which were left behind."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

from django.apps import apps
from django.db import models

from rainfront.keeping import places


def file_fields() -> Iterator[tuple[type[models.Model], str]]:
    """Each model with a field that names a file."""
    for model in apps.get_models():
        for field in model._meta.get_fields():
            if isinstance(field, models.FileField):
                yield model, field.name


def columns() -> list[tuple[str, str]]:
    """Table and column of each such field."""
    return [(model._meta.db_table, model._meta.get_field(name).column) for model, name in file_fields()]  # type: ignore


def named_files() -> set[str]:
    """Paths below the media folder that rows name."""
    found: set[str] = set()
    for model, field in file_fields():
        found.update(name for name in model._base_manager.values_list(field, flat=True) if name)
    return found


def stored_files(root: Path) -> set[str]:
    """Paths below the media folder that lie there."""
    return {str(path.relative_to(root)) for path in root.rglob("*") if path.is_file()} if root.is_dir() else set()


def remove_orphans(older_than_s: float) -> list[str]:
    """Remove files that no row names, where they are older than so many seconds; their names."""
    root = places.files()
    latest, removed = time.time() - older_than_s, []
    for name in sorted(stored_files(root) - named_files()):
        path = root / name
        if path.stat().st_mtime <= latest:
            path.unlink(missing_ok=True)
            removed.append(name)
    return removed


def missing_files() -> list[str]:
    """Files that rows name and that do not lie there."""
    return sorted(named_files() - stored_files(places.files()))
