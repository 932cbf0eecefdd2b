"""`python -m benchwatch.keep FOLDER SIGNS`: the keeper's process, as the guardian starts it."""

from __future__ import annotations

import contextlib
import fcntl
import logging
import os
import signal
import sys
import threading
from pathlib import Path

from benchwatch.desk import Desk
from benchwatch.guardian import BUSY, IDLE
from benchwatch.keeper import LEAVES_S, Keeper

# How often the main thread looks whether the supply's thread is still at work [s].
AWAKE_S = 0.5


def main(folder: str, signs: str) -> int:
    """Run for the guardian: `signs` is the file to which its signs go; its own input ends with the guardian."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s keeper: %(message)s")
    told = int(signs)
    os.set_blocking(told, False)

    def sign(busy: bool) -> None:
        with contextlib.suppress(BlockingIOError, BrokenPipeError):
            os.write(told, BUSY if busy else IDLE)

    # A keeper whose guardian was killed may still be switching off: its notes and its socket are its own until it ends.
    alone = (Path(folder) / "keeper").open("w", encoding="utf-8")
    fcntl.flock(alone, fcntl.LOCK_EX)
    keeper = Keeper(Path(folder), sign)
    gone = threading.Event()
    why = ["the watch was told to end"]
    signal.signal(signal.SIGTERM, lambda *_: gone.set())
    signal.signal(signal.SIGINT, lambda *_: gone.set())

    def guard() -> None:
        # The guardian never writes: this returns once it is dead.
        while os.read(0, 1024):
            pass
        if not gone.is_set():
            why[0] = "the guardian of the watch was killed"
        gone.set()

    threading.Thread(target=guard, daemon=True).start()
    desk = Desk(keeper, Path(folder))
    desk.start()
    speaking = threading.Thread(target=keeper.run, name="supply", daemon=True)
    speaking.start()
    while not gone.wait(AWAKE_S):
        if not speaking.is_alive():
            return 1
    keeper.end(why[0])
    speaking.join(LEAVES_S + 2)
    desk.stop()
    return 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
