"""Run benchmarks and print their tables: those named, or those that answer within ten minutes."""

import os
import sys
from importlib import import_module
from time import perf_counter

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rainfront.settings.test")

import django

django.setup()

SHORT = ("advice", "traces", "boards", "maps", "pages", "tables", "writes")
LONG = (
    "optimum",
    "examples",
    "shaken",
    "devices",
    "conduct",
    "proofs",
    "scale",
    "crowd",
    "stations",
    "redraw",
    "drips",
    "hands",
    "talk",
)


def main(names: list[str]) -> int:
    """Print all tables; exit status 2 with the names there are where one is not known."""
    unknown = [name for name in names if name not in SHORT + LONG]
    if unknown:
        print(f"There is no table {', '.join(unknown)}. There are {', '.join(SHORT + LONG)}.")
        return 2
    for name in names or SHORT:
        start = perf_counter()
        for line in import_module(f"bench.{name}").run():
            print(line, flush=True)
        print(f"  ({name}: {perf_counter() - start:.0f} s)\n", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
