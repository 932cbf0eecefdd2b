"""Board files are read in a process of their own: ten seconds, and little memory."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from chargepath.board.layout import BoardLayout
from chargepath.board.packed import pack, unpack
from chargepath.board.reading import WHAT, read_board
from rainfront.web.apart import Apart

BOARD_FILE = Apart("rainfront.board.reading", "board file", WHAT, 10, 600_000_000)


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


def _read(raw: bytes) -> tuple[bytes, bytes]:
    board = read_board(raw)
    notes = json.dumps(notes_of(board)).encode()
    return str(len(notes)).encode(), notes + pack(board)


if __name__ == "__main__":
    BOARD_FILE.main(_read)
