"""How the web application talks with the watch: a line of JSON there, a line of JSON back, over a socket of this
machine.
"""

from __future__ import annotations

import json
import socket
import time
from pathlib import Path
from typing import Any

SOCKET, ANSWER_BYTES = "socket", 4_000_000


class WatchAwayError(Exception):
    """The process that was asked, mostly the watch, does not run or did not answer in time."""


def ask(folder: Path, act: str, *, socket_name: str = SOCKET, within: float = 1.0, **fields: Any) -> dict[str, Any]:
    """Ask the watch, or another process that answers at a socket of this folder.

    Parameters
    ----------
    folder : Path
        Where the socket is.
    act : str
        What it is to do, as in `benchwatch.desk.Desk`.
    socket_name : str
        The socket's name in the folder.
    within : float
        The answer is waited for so long, as a whole [s].
    **fields
        What the act needs; numbers, text, lists and dicts.

    Returns
    -------
    dict
        The answer; `error` in it says what was refused.

    Raises
    ------
    WatchAwayError
        There is none, or not in time.

    """
    end, found = time.monotonic() + within, b""
    try:
        with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as made:
            made.settimeout(within)
            made.connect(str(folder / socket_name))
            made.sendall(json.dumps({"act": act, **fields}).encode() + b"\n")
            while not found.endswith(b"\n"):
                left = end - time.monotonic()
                if left <= 0 or len(found) > ANSWER_BYTES:
                    raise WatchAwayError("it does not answer in time")
                made.settimeout(left)
                data = made.recv(65_536)
                if not data:
                    raise WatchAwayError("it hung up")
                found += data
        answer = json.loads(found)
    except (OSError, ValueError) as error:
        raise WatchAwayError(str(error)) from error
    if not isinstance(answer, dict):
        raise WatchAwayError("it answers nonsense")
    return answer
