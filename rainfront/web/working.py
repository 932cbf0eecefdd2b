"""Working folders beside what is made in them: each bears the number of its process, and goes with it.

A killed process leaves its folder behind, and it may hold what was erased since; whoever works in the same place next,
or tidies, removes it.
"""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

LEFT = re.compile(r"\.(?:making|reading|testing)-(\d+)-")


@contextmanager
def working_folder(place: Path, what: str) -> Iterator[Path]:
    """A folder in `place` for one piece of work: `what` is making, reading or testing."""
    clear_left(place)
    with tempfile.TemporaryDirectory(dir=place, prefix=f".{what}-{os.getpid()}-") as made:
        yield Path(made)


def _is_alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def clear_left(place: Path) -> list[str]:
    """Remove what killed processes left in a place; the names."""
    gone = []
    for path in place.iterdir() if place.is_dir() else ():
        found = LEFT.match(path.name)
        if found and not _is_alive(int(found[1])):
            shutil.rmtree(path, ignore_errors=True)
            path.unlink(missing_ok=True) if path.is_file() else None
            gone.append(path.name)
    return gone
