"""Where the data lies."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings


def database() -> Path:
    """The database's file."""
    return Path(str(settings.DATABASES["default"]["NAME"]))


def files() -> Path:
    """The folder of photos and records."""
    return Path(settings.MEDIA_ROOT)


def backups() -> Path:
    """The folder of archives."""
    return Path(settings.BACKUPS)
