"""Board files are read in a process of their own: ten seconds, and little memory."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from chargepath.board.layout import BoardLayout, LayoutError
from chargepath.board.packed import from_data, pack, unpack
from chargepath.board.reading import WHAT, read_board
from rainfront.web.apart import Apart

FORMAT, VERSION = "rainfront-board-map", 1
# A map of the largest board holds a quarter of these; its pictures are one value each.
MOST_VALUES = 1_000_000
RIGHT = "a map as another shop takes it out"
BOARD_FILE = Apart("rainfront.board.reading", "board file", WHAT, 10, 160_000_000)


@dataclass(frozen=True)
class ReadApart:
    """A board that was read: compressed, and what is to be said of it."""

    packed: bytes
    notes: dict[str, Any]

    @property
    def board(self) -> BoardLayout:
        """The board itself."""
        return unpack(self.packed)


def read_apart(raw: bytes) -> ReadApart:
    """`read_board`, where nothing that a file does can hold or fill this process.

    Raises
    ------
    ReadingError
        It is no board file, or too large; says what would be right.

    """
    words, body = BOARD_FILE.run(raw)
    length = int(words[0])
    return ReadApart(body[length:], json.loads(body[:length]))


def notes_of(board: BoardLayout) -> dict[str, Any]:
    """What is to be said of a board that was read."""
    return {
        "left_out": [[row.line, row.why, row.text] for row in board.left_out],
        "more_left_out": board.more_left_out,
        "unit_doubt": board.unit_doubt,
    }


def sent_parts(sent: Any) -> dict[str, Any]:
    """What came with the pads of a map that another shop took out.

    Raises
    ------
    LayoutError
        It is no such map.

    """
    if not isinstance(sent, dict) or (sent.get("format"), sent.get("version")) != (FORMAT, VERSION):
        raise LayoutError("it holds no map of a board", right=RIGHT)
    tables = {key: sent.get(key) for key in ("lines", "parts")}
    rows = {key: sent.get(key) for key in ("ties", "covers", "pictures")}
    if not all(isinstance(one, dict) for one in tables.values()) or not all(isinstance(r, list) for r in rows.values()):
        raise LayoutError("something in it does not fit together", right=RIGHT)
    words = {"model_name": 80, "name": 40, "revision": 20}
    told = {key: str(sent.get(key.removesuffix("_name"), ""))[:most].strip() for key, most in words.items()}
    made = "picture" if sent.get("made") == "picture" else "file"
    return {**told, **tables, **rows, "made": made, "scaled": bool(sent.get("scaled", True))}


def _read(raw: bytes) -> tuple[bytes, bytes]:
    told = {}
    if raw.lstrip()[:1] == b"{":
        if raw.count(b",") > MOST_VALUES:
            raise LayoutError("it holds more than a map does", right=RIGHT)
        try:
            sent = json.loads(raw)
        except (ValueError, RecursionError) as error:
            raise LayoutError("it is no JSON", right=RIGHT) from error
        told = {"sent": sent_parts(sent)}
        board = from_data(sent.get("board"))
    else:
        board = read_board(raw)
    notes = json.dumps(notes_of(board) | told).encode()
    return str(len(notes)).encode(), notes + pack(board)


if __name__ == "__main__":
    BOARD_FILE.main(_read)
