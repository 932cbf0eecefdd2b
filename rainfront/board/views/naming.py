"""What the nets, parts and pads of a board are: proposals, and what a person says."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.board import actions
from rainfront.board.forms import CoverForm, TieForm
from rainfront.board.models import BoardMap, Meaning
from rainfront.board.presenters.naming import naming_page, proposed_ties
from rainfront.board.views.maps import get_board, who
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.web.words import counted
from rainfront.workshop.context import shop_of


@require_GET
def naming(request: HttpRequest, pk: int) -> HttpResponse:
    """Everything that is said of a board, and what is proposed."""
    board = get_board(pk)
    return _page(request, board, TieForm(board, shop_of(request).known), CoverForm(auto_id="cover_%s"))


def _page(request: HttpRequest, board: BoardMap, tie: TieForm, cover: CoverForm, status: int = 200) -> HttpResponse:
    known = shop_of(request).known
    context = {
        "board": board,
        "page": naming_page(board, known),
        "tie_form": tie,
        "cover_form": cover,
        "roles": known.boards.roles.values(),
        "parts": known.boards.parts.values(),
    }
    return render(request, "board/naming.html", context, status=status)


@require_POST
@posts(Right.TEACH)
def say(request: HttpRequest, pk: int) -> HttpResponse:
    """Confirm what the ticked nets or parts are for, or the pads of a set of pins."""
    board, sent, known = get_board(pk), request.POST, shop_of(request).known
    try:
        if sent.get("ties"):
            map_id, _, place = sent["ties"][:50].partition("@")
            rows = proposed_ties(board, known, map_id, place)
            ticked = {row.pin: row.pads for row in rows if row.pin in sent.getlist("take")}
            done = actions.confirm_ties(board, known, (map_id, place), ticked, **who(request))
            messages.success(request, f"{counted(done, 'pin')} tied.")
        else:
            of = Meaning.Of.PART if sent.get("of") == "part" else Meaning.Of.NET
            names = [name[:120] for name in sent.getlist("take")[:400]]
            other = sent.get("name", "").strip()[:120]
            meant = {name: sent.get(f"means:{name}", "")[:20] for name in names}
            meant |= {other: sent.get("means", "")[:20]} if other else {}
            done = actions.confirm_meanings(board, known, of, meant, **who(request))
            messages.success(request, f"{counted(done, 'part' if of == Meaning.Of.PART else 'line')} confirmed.")
    except ChargepathError as error:
        messages.error(request, str(error))
    return redirect("board:naming", pk)


@require_POST
@posts(Right.TEACH)
def tie(request: HttpRequest, pk: int) -> HttpResponse:
    """Say which pad one pin is."""
    board, known = get_board(pk), shop_of(request).known
    form = TieForm(board, known, request.POST)
    if form.is_valid():
        data = form.cleaned_data
        try:
            actions.confirm_ties(board, known, form.map_and_place(), {data["pin"]: data["pads"]}, **who(request))
            messages.success(request, f"{data['pin']} tied.")
            return redirect("board:naming", pk)
        except ChargepathError as error:
            refused(form, error, "pin")
    return _page(request, board, form, CoverForm(auto_id="cover_%s"), 422)


@require_POST
@posts(Right.TEACH)
def cover(request: HttpRequest, pk: int) -> HttpResponse:
    """Say what covers a piece of the board."""
    board, form = get_board(pk), CoverForm(request.POST, auto_id="cover_%s")
    if form.is_valid():
        data = form.cleaned_data
        try:
            actions.add_cover(board, data["what"], data["side"], form.corners(), **who(request))
            return redirect("board:naming", pk)
        except ChargepathError as error:
            refused(form, error)
    return _page(request, board, TieForm(board, shop_of(request).known), form, 422)


@require_POST
@posts(Right.TEACH)
def take_back(request: HttpRequest, pk: int) -> HttpResponse:
    """Take back what was said: a net or part, a set of pins, a cover."""
    board, sent = get_board(pk), request.POST
    what, number = sent.get("what", ""), sent.get("number", "")
    if what == "ties":
        map_id, _, place = sent.get("ties", "")[:50].partition("@")
        actions.take_ties(board, map_id, place, sent.get("pin", "")[:20], user=signed_in(request))
    elif number.isdecimal() and len(number) < 12:
        act = actions.remove_cover if what == "cover" else actions.take_meaning
        act(board, int(number), user=signed_in(request))
    return redirect("board:naming", pk)
