"""Plant defects into a copy of the tree, one at a time, and see which of them the tests catch (`make defects`).

`python -m bench.defects rainfront/stock "by age"` runs the rows whose file or name holds one of the words. With
`--first` only the tests that should see a defect are run, not all of its side: for a row whose tests are being written.
"""

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
COPIED = ("chargepath", "benchtalk", "benchwatch", "rainfront", "tests", "bench", "docs")
WORKERS = 2
WANTED = 0.92
# How long the tests of one row may take before they are stopped [s]. A defect that makes them hang is caught.
LIMIT_S = 900
# The tests of an app that are run first; all of the web room's follow where those see nothing.
OF_APP = {
    "web": ("once", "one_of_each", "verdicts", "regional", "keeping", "later"),
    "people": ("people", "signing_in", "pages"),
    "workshop": ("workshop", "one_of_each"),
    "stock": ("stock", "work"),
    "jobs": ("job", "work", "proof", "one_of_each", "decide", "day", "worked_once", "pages", "dangers"),
    "reference": ("references", "inside"),
    "work": ("work", "guards", "proof", "worked_once"),
    "learning": ("later", "counter", "workshop"),
    "proof": ("ending", "proof", "job", "later", "work"),
    "day": ("day",),
    "instruments": ("records", "cell"),
    "board": ("boards",),
    "inside": ("inside", "photos", "worked_once", "one_of_each"),
    "heat": ("heat",),
    "cell": ("cell", "verdicts"),
    "counter": ("counter", "privacy", "keeping"),
    "logbook": ("logbook",),
    "insights": ("insights",),
    "exchange": ("exchange",),
    "keeping": ("keeping",),
}
# The tests that come first for one file of an app with many.
OF_FILE = {
    "jobs/actions/quotes.py": ("ending", "decide"),
    "jobs/actions/log.py": ("day", "dangers", "job"),
    "counter/actions/dropoff.py": ("drop_off",),
    "jobs/actions/returns.py": ("counter",),
    "jobs/planning.py": ("own_steps", "work"),
    "jobs/actions/take_in.py": ("counter", "job", "pages"),
    "counter/actions/orders.py": ("extras", "counter"),
    "jobs/forms.py": ("own_device", "pages"),
    "day/standing.py": ("extras", "day"),
    "workshop/levels.py": ("first_things",),
    "workshop/adapters.py": ("first_things", "workshop"),
    "jobs/judging.py": ("ending", "one_of_each", "decide", "job"),
    "jobs/writing.py": ("one_of_each", "job", "dangers", "inside"),
    "jobs/adapters.py": ("job", "dangers", "pages"),
    "jobs/models.py": ("one_of_each",),
    "web/middleware.py": ("keeping",),
    "stock/actions.py": ("stock", "people"),
    "stock/bench.py": ("bench_tools",),
    "workshop/ownsteps.py": ("own_steps",),
    "workshop/ownphotos.py": ("own_steps",),
    "stock/adapters.py": ("stock",),
    "people/rights.py": ("people",),
    "people/actions.py": ("people", "signing_in"),
    "people/middleware.py": ("keeping", "signing_in"),
    "web/spellings.py": ("erase",),
    "web/apart.py": ("photos", "boards"),
    "work/actions/photo.py": ("open_photo",),
    "web/fields.py": ("privacy",),
    "exchange/actions.py": ("erase", "exchange"),
    "web/forms.py": ("privacy", "once"),
    "counter/everywhere.py": ("erase", "privacy"),
    "counter/actions/erase.py": ("erase", "counter"),
    "instruments/readers.py": ("records",),
    "instruments/recording.py": ("records", "profiles"),
    "instruments/bench.py": ("bench_instruments", "inside"),
    "instruments/presenters_bench.py": ("bench_instruments",),
}


@dataclass(frozen=True)
class Defect:
    """One planted defect: a text in a file and its replacement; `survives` says why no test needs to see it.

    `file` is a path under `chargepath/`, or begins with `rainfront/` or `benchwatch/`.
    """

    name: str
    file: str
    find: str
    put: str
    survives: str = ""

    @property
    def path(self) -> Path:
        """The file within the tree."""
        whole = self.file.startswith(("rainfront/", "benchtalk/", "benchwatch/"))
        return Path(self.file) if whole else Path("chargepath") / self.file

    def labels(self, folder: Path) -> list[tuple[str, list[str]]]:
        """Groups of tests to run in turn, each with a name and labels; those that should see the defect come first."""
        room = self.path.parts[1]
        if self.file.startswith("benchwatch/"):
            return [("watch", ["tests.web.test_cell"]), ("web", ["tests.web"])]
        if self.file.startswith("benchtalk/"):
            return [("talk", ["tests.talk"])]
        if self.file.startswith("rainfront/"):
            first = OF_FILE.get(self.file.removeprefix("rainfront/"), OF_APP[room])
            return [(room, [f"tests.web.test_{name}" for name in first]), ("web", ["tests.web"])]
        rooms = [name for name in ROOMS if (folder / "tests" / "core" / name).is_dir()]
        others = [f"tests.core.{name}" for name in rooms if name != room]
        own = [(room, [f"tests.core.{room}"])] if room in rooms else []
        return [*own, ("core", [*others, "tests.core.test_examples"])]


def defects() -> list[Defect]:
    """The table."""
    return [Defect(**row) for row in tomllib.loads((ROOT / "bench" / "defects.toml").read_text("utf-8"))["defect"]]


def misplaced(table: list[Defect]) -> list[str]:
    """Defects whose place is not there, or there more than once."""
    return [
        f"{defect.name}: stands {count} times in {defect.file}"
        for defect in table
        if (count := (ROOT / defect.path).read_text("utf-8").count(defect.find)) != 1
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
    program = [sys.executable, "manage.py", "test", "--settings", "rainfront.settings.test", "--failfast", "-v0"]
    try:
        done = subprocess.run(
            [*program, "--exclude-tag", "exhaustive", *labels],
            cwd=folder,
            env=environment,
            capture_output=True,
            check=False,
            timeout=LIMIT_S,
        )
    except subprocess.TimeoutExpired:
        return True
    return done.returncode != 0


ROOMS = (
    "base",
    "knowledge",
    "case",
    "electrical",
    "board",
    "instrument",
    "grading",
    "hazards",
    "trace",
    "repair",
    "proving",
    "diagnosis",
    "decision",
    "learning",
    "insight",
    "standin",
)


def caught_by(folder: Path, defect: Defect, first: bool = False) -> str:
    """Which tests catch a defect: those of its room or app, or all of its side's; '' for none."""
    path = folder / defect.path
    whole = path.read_text("utf-8")
    path.write_text(whole.replace(defect.find, defect.put), "utf-8")
    try:
        asked = defect.labels(folder)[:1] if first else defect.labels(folder)
        return next((name for name, labels in asked if fails(folder, *labels)), "")
    finally:
        path.write_text(whole, "utf-8")


def main() -> int:
    """Run the table, or the rows whose name or file holds a word given; exit status 1 where too few are caught."""
    first, wanted = "--first" in sys.argv, [word for word in sys.argv[1:] if word != "--first"]
    table = [row for row in defects() if not wanted or any(word in f"{row.path} {row.name}" for word in wanted)]
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
            return defect, caught_by(folder, defect, first)
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
