"""What the page of backups shows."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from rainfront.keeping import archive, places
from rainfront.keeping.doctor import LATE


@dataclass(frozen=True)
class BackupRow:
    """One archive."""

    at: datetime
    size: str
    jobs: int
    files: int
    tested: datetime | None
    trouble: str


@dataclass(frozen=True)
class BackupsPage:
    """All of them, and where they lie."""

    rows: list[BackupRow]
    folder: str
    late: bool


def backups_page(now: datetime) -> BackupsPage:
    """Read the folder."""
    folder = places.backups()
    rows = [
        BackupRow(
            at=datetime.fromisoformat(one.at),
            size=f"{one.size / 1e6:.1f} MB",
            jobs=one.jobs,
            files=one.files,
            tested=datetime.fromisoformat(one.tested_at) if one.tested_at else None,
            trouble=one.trouble,
        )
        for one in archive.list_backups(folder)
    ]
    return BackupsPage(rows, str(folder), not rows or now - rows[0].at > LATE)
