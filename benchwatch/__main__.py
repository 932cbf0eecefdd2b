"""`python -m benchwatch --folder FOLDER`: the watch over the bench supply."""

from __future__ import annotations

import argparse
import fcntl
import logging
import os
import sys
from pathlib import Path

from benchwatch.guardian import Guardian


def main() -> int:
    """Run until it is told to end; a second one for the same folder is refused."""
    asked = argparse.ArgumentParser(prog="benchwatch", description="Watch over the bench supply.")
    asked.add_argument("--folder", required=True, type=Path, help="where its socket and its notes are")
    folder: Path = asked.parse_args().folder
    os.umask(0o077)
    logging.basicConfig(level=logging.INFO, format="%(asctime)s watch: %(message)s")
    folder.mkdir(parents=True, exist_ok=True)
    lock = (folder / "lock").open("w", encoding="utf-8")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        sys.stderr.write(f"Another watch has {folder} already.\n")
        return 1
    Guardian(folder).run()
    return 0


if __name__ == "__main__":
    sys.exit(main())
