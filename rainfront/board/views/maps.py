"""Maps: the list, bringing one in, looking at one, its data, and what lies near what on it."""

from __future__ import annotations

import json
from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.board.layout import MOST_BYTES
from chargepath.board.packed import unpack
from rainfront.board import actions
from rainfront.board.forms import BeginForm, BoardFileForm, ConfirmBoardForm, PointForm, number_in
from rainfront.board.models import BoardDraft, BoardMap
from rainfront.board.presenters.draft import draft_page
from rainfront.board.presenters.look import good_by_pad, known_of
from rainfront.board.presenters.near import landing_rows, near_rows
from rainfront.board.presenters.pictures import place_in
from rainfront.board.sending import map_out, pictures_in, take_said
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.web.pictures import MAX_BYTES
from rainfront.web.uploads import takes
from rainfront.workshop.context import shop_of

# Two forms with the same fields stand on one page.
BEGIN_ID = "begin_%s"


def get_board(pk: int) -> BoardMap:
    """One map that is in use, or 404."""
    board: BoardMap = get_object_or_404(BoardMap.objects.standing().with_all(), pk=pk)
    return board


def who(request: HttpRequest) -> dict[str, Any]:
    """Who writes, and when."""
    return {"user": signed_in(request), "now": timezone.now()}


@require_GET
def maps(request: HttpRequest) -> HttpResponse:
    """Every map, and two ways to a new one."""
    start = {"model_name": request.GET.get("model", "")[:80]}
    return _maps(request, BoardFileForm(), BeginForm(initial=start, auto_id=BEGIN_ID))


def _maps(request: HttpRequest, file: BoardFileForm, begun: BeginForm, status: int = 200) -> HttpResponse:
    context = {
        "maps": BoardMap.objects.standing(),
        "removed": BoardMap.objects.removed(),
        "drafts": BoardDraft.objects.filter(by=signed_in(request)),
        "file_form": file,
        "begin_form": begun,
    }
    return render(request, "board/maps.html", context, status=status)


@takes(MAX_BYTES)
@require_POST
@posts(Right.TEACH)
def read(request: HttpRequest) -> HttpResponse:
    """Read a board file, for a person to confirm."""
    form = BoardFileForm(request.POST, request.FILES)
    if getattr(request, "upload_too_large", False):
        form.errors.clear()
        form.add_error("file", f"the file is too large; up to {MOST_BYTES / 1e6:.0f} MB")
    if form.is_valid():
        file = form.cleaned_data["file"]
        try:
            return redirect("board:confirm", actions.keep_draft(file.read(), file.name, **who(request)).pk)
        except ChargepathError as error:
            refused(form, error, "file")
    return _maps(request, form, BeginForm(auto_id=BEGIN_ID), 422)


@posts(Right.TEACH)
def confirm(request: HttpRequest, pk: int) -> HttpResponse:
    """What was read, what was left out and why; stored once somebody confirms it."""
    draft = get_object_or_404(BoardDraft, pk=pk, by=signed_in(request))
    sent = draft.notes.get("sent", {})
    start = {key: sent[key] for key in ("model_name", "name", "revision") if sent.get(key)}
    form = ConfirmBoardForm(request.POST or None, initial=start)
    if request.method == "POST" and "drop" in request.POST:
        actions.drop_draft(draft)
        return redirect("board:maps")
    if request.method == "POST" and form.is_valid():
        try:
            factor = float(form.cleaned_data["unit"])
            sent = draft.notes.get("sent")
            pictures = pictures_in(sent) if sent else []
            made = actions.store_draft(draft, form.details(), factor, **who(request))
            left = take_said(made, sent, pictures, shop_of(request).known, **who(request)) if sent else []
            if left:
                messages.warning(request, f"Not known here, and left out: {', '.join(left[:10])}.")
            return redirect("board:naming", made.pk)
        except ChargepathError as error:
            refused(form, error)
    with draft.file.open("rb") as file:
        page = draft_page(unpack(file.read()), draft.notes)
    came = [(key, len(sent[key])) for key in ("lines", "parts", "ties", "covers", "pictures") if sent.get(key)]
    context = {"draft": draft, "page": page, "form": form, "came": came}
    return render(request, "board/confirm.html", context, status=422 if form.errors else 200)


@takes(MAX_BYTES)
@require_POST
@posts(Right.TEACH)
def begin(request: HttpRequest) -> HttpResponse:
    """Begin a map on a picture."""
    form = BeginForm(request.POST, request.FILES, auto_id=BEGIN_ID)
    if getattr(request, "upload_too_large", False):
        form.errors.clear()
        form.add_error("file", f"the picture is too large; up to {MAX_BYTES / 1e6:.0f} MB")
    if form.is_valid():
        data = form.cleaned_data
        try:
            raw, side, wide = data["file"].read(), data["side"], data["wide_mm"]
            return redirect(actions.begin_on_picture(raw, form.details(), side, wide, **who(request)))
        except ChargepathError as error:
            refused(form, error, "file")
    return _maps(request, BoardFileForm(), form, 422)


@require_GET
def map_page(request: HttpRequest, pk: int) -> HttpResponse:
    """One board."""
    return _map(request, get_board(pk), PointForm())


def _map(request: HttpRequest, board: BoardMap, form: PointForm, status: int = 200) -> HttpResponse:
    known = shop_of(request).known
    told = known_of(board, known, pads=good_by_pad(board, known))
    asked = request.GET.get("pad", "")
    told |= {"focus": [int(asked)] if asked.isdecimal() and int(asked[:6]) < board.pads else [], "works": True}
    context = {
        "board": board,
        "told": told,
        "form": form if board.made == BoardMap.Made.PICTURE else None,
        "points": list(enumerate(board.layout.pads)) if board.made == BoardMap.Made.PICTURE else (),
    }
    return render(request, "board/map.html", context, status=status)


@require_POST
@posts(Right.TEACH)
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a map out of use, or bring it back."""
    board = get_object_or_404(BoardMap, pk=pk)
    if "back" in request.POST:
        actions.restore_map(board, user=signed_in(request))
        return redirect(board)
    actions.remove_map(board, **who(request))
    messages.success(request, f"{board} is out of use; it can be brought back below.")
    return redirect("board:maps")


@require_GET
def data(request: HttpRequest, pk: int, digest: str) -> FileResponse:
    """The pads, as they lie compressed on the disk; a browser keeps them under this address for good."""
    board = get_object_or_404(BoardMap, pk=pk)
    if not board.digest.startswith(digest) or len(digest) < 16:
        raise Http404
    response = FileResponse(board.file.open("rb"), content_type="application/json")
    response["Content-Encoding"] = "gzip"
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@require_GET
def take_out(request: HttpRequest, pk: int) -> HttpResponse:
    """The map with everything that was confirmed of it, for another shop."""
    board = get_board(pk)
    response = HttpResponse(json.dumps(map_out(board), ensure_ascii=False), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="board-{pk}.json"'
    return response


@require_GET
def near(request: HttpRequest, pk: int) -> HttpResponse:
    """Parts on a rail by distance from a warm spot."""
    board, net = get_board(pk), request.GET.get("net", "")[:120]
    at = number_in(request.GET.get("x", ""), "x"), number_in(request.GET.get("y", ""), "y")
    if net not in board.layout.nets:
        raise ReadingError("this board has no such net", "net", "press a pad of the rail first")
    rows = near_rows(board, shop_of(request).known, net, at)
    return render(request, "board/_near.html", {"net": net, "rows": rows, "cut": net in board.layout.cut})


@require_GET
def landings(request: HttpRequest, pk: int) -> HttpResponse:
    """Where a wire for a torn pad can land."""
    board, asked = get_board(pk), request.GET.get("pad", "")
    if not asked.isdecimal() or len(asked) > 6 or int(asked) >= board.pads:
        raise ReadingError("this board has no such pad", "pad", "press the pad first")
    torn, beyond = int(asked), [part[:40] for part in request.GET.getlist("beyond")[:20]]
    pad = board.layout.pads[torn]
    context = {
        "board": board,
        "pad": pad,
        "torn": torn,
        "beyond": beyond,
        "rows": landing_rows(board, shop_of(request).known, torn, beyond),
        "cut": pad.net in board.layout.cut,
    }
    return render(request, "board/_landings.html", context)


@require_POST
@posts(Right.TEACH)
def point(request: HttpRequest, pk: int) -> HttpResponse:
    """Name a point on the picture, or take one back."""
    board, form = get_board(pk), PointForm(request.POST)
    gone = request.POST.get("gone", "")
    try:
        if gone.isdecimal() and len(gone) < 6:
            actions.remove_point(board, int(gone), user=signed_in(request))
            return redirect(board)
        if form.is_valid():
            side = request.POST.get("side", "top")
            picture = next((row for row in board.pictures.all() if row.side == side and row.photo_id is None), None)
            if picture is None:
                raise ReadingError("there is no picture of that side", "side", "add one first")
            where = place_in(picture, form.cleaned_data["x"] / 100, form.cleaned_data["y"] / 100)
            number = actions.add_point(board, side, where, form.cleaned_data, **who(request))
            return redirect(f"{board.get_absolute_url()}?pad={number}")
    except ChargepathError as error:
        refused(form, error)
    return _map(request, board, form, 422)
