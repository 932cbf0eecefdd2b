"""The guardian: it starts the keeper, stands by with a pipe to it, and says OFF when the keeper dies or freezes.

Only the standard library is imported here, so that the first OFF goes out a tenth of a second after the start.
"""

from __future__ import annotations

import logging
import os
import select
import signal
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType

from benchwatch.known import Known
from benchwatch.line import Address, Line, LineError

# While the output may be on the keeper sends a sign at each question; so long without one, and it is frozen [s].
LEASE_S, LEAVES_S, AGAIN_S, FAILS_S = 3.5, 9.0, 0.1, 1.0
BUSY, IDLE = b"+", b"-"
LOG = logging.getLogger("benchwatch")


def switch_off(at: Address, *, tries: int = 3) -> str:
    """Tell a supply to switch off until it reads back off; returns 'off', 'on', or why nobody knows."""
    trouble = ""
    for _ in range(tries):
        try:
            with Line(at=at) as line:
                if line.off():
                    return "off"
                trouble = "on"
        except LineError as error:
            trouble = str(error)
        time.sleep(AGAIN_S)
    return trouble


def first_act(folder: Path) -> dict[str, str]:
    """Switch off every supply that is known and reads back on, the one that was feeding first."""
    known, found = Known.read(folder), {}
    for at in known.supplies:
        feeding = known.feeding is not None and at == known.supplies[0]
        try:
            with Line(at=at) as line:
                # A cell may hang on it: OFF before a question. Any other supply is asked whether it is on at all.
                on = feeding or line.is_on()
                found[str(at)] = ("off" if line.off() else "on") if on else "off"
        except LineError as error:
            found[str(at)] = switch_off(at) if feeding else str(error)
    return found


class Guardian:
    """Starts keepers until it is told to end."""

    def __init__(self, folder: Path) -> None:
        self.folder, self._ending = folder, False
        self._keeper: subprocess.Popen[bytes] | None = None

    def run(self) -> None:
        """Switch off, start the keeper, wait; over and over."""
        signal.signal(signal.SIGTERM, self._end)
        signal.signal(signal.SIGINT, self._end)
        while not self._ending:
            for at, how in first_act(self.folder).items():
                LOG.warning("first act: supply %s: %s", at, how)
            began = time.monotonic()
            self._stand_by()
            if not self._ending:
                LOG.error("the keeper is gone; switching off and starting another")
                # One that cannot even start is not started ten times a second.
                time.sleep(FAILS_S if time.monotonic() - began < FAILS_S else 0.0)

    def _end(self, number: int, frame: FrameType | None) -> None:
        self._ending = True
        if self._keeper is not None:
            self._keeper.terminate()

    def _stand_by(self) -> None:
        """Start one keeper and return once it is gone, or frozen and therefore killed."""
        signs, told = os.pipe()
        program = [sys.executable, "-m", "benchwatch.keep", str(self.folder), str(told)]
        # Its standard input ends when this process dies: that is how the keeper learns of it.
        self._keeper = keeper = subprocess.Popen(program, stdin=subprocess.PIPE, pass_fds=(told,))
        os.close(told)
        if self._ending:
            keeper.terminate()
        busy, left = False, None
        try:
            while True:
                ready, _, _ = select.select([signs], [], [], LEASE_S if busy else 1.0)
                if ready:
                    data = os.read(signs, 4096)
                    if not data:
                        break
                    busy = data.endswith(BUSY)
                elif busy:
                    LOG.error("the keeper is frozen: no sign for %.1f s", LEASE_S)
                    break
                if self._ending:
                    left = time.monotonic() + LEAVES_S if left is None else left
                    if time.monotonic() > left:
                        break
        finally:
            os.close(signs)
            keeper.kill()
            assert keeper.stdin is not None
            keeper.stdin.close()
            keeper.wait()
            self._keeper = None
