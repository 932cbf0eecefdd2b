"""Plant defects into a copy of the core, one at a time, and see which of them the tests catch (`make defects`)."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import tomllib
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue
from time import perf_counter

ROOT = Path(__file__).resolve().parents[1]
COPIED = ("chargepath", "rainfront", "tests", "bench", "docs")
WORKERS = 2
WANTED = 0.90


@dataclass(frozen=True)
class Defect:
    """One thing that is wrong: where, what stands there, what is put there, and why it is left where it survives."""

    name: str
    file: str
    find: str
    put: str
    survives: str = ""

    @property
    def room(self) -> str:
        """The room whose tests see it first."""
        return self.file.split("/")[0]


def defects() -> list[Defect]:
    """The table."""
    return [Defect(**row) for row in tomllib.loads((ROOT / "bench" / "defects.toml").read_text("utf-8"))["defect"]]


def misplaced(table: list[Defect]) -> list[str]:
    """Defects whose place is not there, or there more than once."""
    return [
        f"{defect.name}: stands {count} times in {defect.file}"
        for defect in table
        if (count := (ROOT / "chargepath" / defect.file).read_text("utf-8").count(defect.find)) != 1
    ]


def copy_tree() -> Path:
    """A copy of everything that the tests need, to be broken."""
    folder = Path(tempfile.mkdtemp(prefix="defects-"))
    for name in COPIED:
        shutil.copytree(ROOT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__", "screenshots"))
    shutil.copy(ROOT / "manage.py", folder)
    return folder


def fails(folder: Path, *labels: str) -> bool:
    """Whether any of those tests fails there."""
    environment = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "PYTHONDONTWRITEBYTECODE": "1"}
    done = subprocess.run(
        [sys.executable, "manage.py", "test", "--settings", "rainfront.settings.test", "--failfast", "-v0", *labels],
        cwd=folder,
        env=environment,
        capture_output=True,
        check=False,
    )
    return done.returncode != 0


ROOMS = (
    "base",
    "knowledge",
    "case",
    "electrical",
    "grading",
    "hazards",
    "trace",
    "repair",
    "proving",
    "diagnosis",
    "decision",
    "learning",
)


def caught_by(folder: Path, defect: Defect) -> str:
    """Which tests catch a defect: its room's, or the core's; '' for none."""
    path = folder / "chargepath" / defect.file
    whole = path.read_text("utf-8")
    path.write_text(whole.replace(defect.find, defect.put), "utf-8")
    try:
        own = f"tests.core.{defect.room}"
        if (folder / "tests" / "core" / defect.room).is_dir() and fails(folder, own):
            return defect.room
        others = [
            f"tests.core.{room}" for room in ROOMS if room != defect.room and (folder / "tests/core" / room).is_dir()
        ]
        return "core" if fails(folder, *others, "tests.core.test_examples") else ""
    finally:
        path.write_text(whole, "utf-8")


def main() -> int:
    """Run the table, or those whose names hold a word given; exit status 1 under nine in ten."""
    wanted = sys.argv[1:]
    table = [defect for defect in defects() if not wanted or any(word in defect.name for word in wanted)]
    problems = misplaced(table)
    if problems:
        print("\n".join(problems))
        return 2
    start, folders = perf_counter(), Queue[Path]()
    for _ in range(WORKERS):
        folders.put(copy_tree())

    def run(defect: Defect) -> tuple[Defect, str]:
        folder = folders.get()
        try:
            return defect, caught_by(folder, defect)
        finally:
            folders.put(folder)

    with ThreadPoolExecutor(WORKERS) as pool:
        found = []
        for defect, by in pool.map(run, table):
            found.append((defect, by))
            if not by:
                print(f"  SURVIVES  {defect.file}: {defect.name}  {defect.survives}", flush=True)
    while not folders.empty():
        shutil.rmtree(folders.get())
    caught = sum(bool(by) for _, by in found)
    print(
        f"{caught} of {len(found)} planted defects caught ({caught / len(found):.0%}), {perf_counter() - start:.0f} s"
    )
    return 0 if caught >= WANTED * len(found) else 1


if __name__ == "__main__":
    sys.exit(main())
