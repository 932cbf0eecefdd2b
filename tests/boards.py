"""A made-up board, stored and named through the program's own actions, for tests of its pages."""

from __future__ import annotations

from typing import Any

from chargepath.board.layout import BoardLayout
from chargepath.knowledge.loader import shipped
from chargepath.standin.layouts import as_netlist, made_board
from rainfront.board import actions
from rainfront.board.adapters import proposed
from rainfront.board.models import BoardMap, Meaning
from tests.builders import NOW, make_job

KNOWN, MODEL = shipped(), "Hestral Tab 11"
LAYOUT = made_board(300, 11)


def again(board: BoardMap) -> BoardMap:
    """A map with everything that was confirmed of it, fetched anew."""
    found: BoardMap = BoardMap.objects.with_all().get(pk=board.pk)
    return found


def stored_board(user: Any, layout: BoardLayout = LAYOUT, **more: str) -> BoardMap:
    """A board from a netlist, of which nothing is confirmed yet."""
    draft = actions.keep_draft(as_netlist(layout).encode(), "tab.ipc", user=user, now=NOW)
    details = {"model_name": MODEL, "name": "main board", "revision": "C", **more}
    return actions.store_draft(draft, details, 1.0, user=user, now=NOW)


def named_board(user: Any, layout: BoardLayout = LAYOUT) -> BoardMap:
    """A board of which everything that is proposed has been confirmed."""
    board, hand = stored_board(user, layout), {"user": user, "now": NOW}
    found = proposed(board, KNOWN)
    for of, rows in ((Meaning.Of.NET, found.nets), (Meaning.Of.PART, found.parts)):
        actions.confirm_meanings(board, KNOWN, of, {row.name: row.id for row in rows}, **hand)
    board = again(board)
    for ties in proposed(board, KNOWN).ties:
        pads = {row.pin: row.pads for row in ties.rows}
        actions.confirm_ties(board, KNOWN, (ties.pins.id, ties.place), pads, **hand)
    return again(board)


def tablet(user: Any, lines: tuple[str, ...] = ("port clean",), **more: Any) -> Any:
    """A job on the model of these boards, whose port sits on the main board."""
    return make_job(user, lines, model_name=MODEL, kind="tablet", connector="usb_c", carrier="none", **more)
