"""Pictures laid over a board."""

from __future__ import annotations

from django.contrib import messages
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.board import actions
from rainfront.board.adapters import laid
from rainfront.board.forms import BoardPictureForm, PairForm, percent_pair
from rainfront.board.models import BoardPicture
from rainfront.board.presenters.look import known_of, picture_url
from rainfront.board.presenters.pictures import lay_page
from rainfront.board.views.maps import get_board, who
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.web.pictures import MAX_BYTES
from rainfront.web.scenes import marked_photo
from rainfront.web.uploads import takes
from rainfront.workshop.context import shop_of


def get_picture(board: int, pk: int) -> BoardPicture:
    """One picture that stands, with its board, or 404."""
    found: BoardPicture = get_object_or_404(BoardPicture.objects.standing().filter(board=board), pk=pk)
    found.board = get_board(board)
    return found


@takes(MAX_BYTES)
@require_POST
@posts(Right.TEACH)
def add(request: HttpRequest, pk: int) -> HttpResponse:
    """Keep a picture of one side of the model's board."""
    board, form = get_board(pk), BoardPictureForm(request.POST, request.FILES)
    try:
        if getattr(request, "upload_too_large", False):
            messages.error(request, f"The picture is too large; up to {MAX_BYTES / 1e6:.0f} MB.")
        elif form.is_valid():
            data = form.cleaned_data
            return redirect(
                actions.add_picture(board, data["file"].read(), data["side"], data["wide_mm"], **who(request))
            )
        else:
            messages.error(request, "No picture was sent: take one, or choose a file.")
    except ChargepathError as error:
        messages.error(request, str(error))
    return redirect(board)


@require_GET
def picture(request: HttpRequest, board: int, pk: int) -> FileResponse:
    """The picture itself, to people who are signed in."""
    found = get_object_or_404(BoardPicture.objects.standing().filter(board=board).exclude(file=""), pk=pk)
    response = FileResponse(found.file.open("rb"), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=86400"
    return response


@posts(Right.MEASURE)
def lay(request: HttpRequest, board: int, pk: int) -> HttpResponse:
    """Lay a picture over its board, pair after pair."""
    found = get_picture(board, pk)
    form = PairForm(found.board, request.POST or None)
    gone = request.POST.get("gone", "")
    try:
        if gone.isdecimal() and len(gone) < 4:
            actions.take_pair(found, int(gone), user=signed_in(request))
            return redirect(found)
        if request.method == "POST" and form.is_valid():
            actions.add_pair(found, form.cleaned_data["pad"], percent_pair(form), user=signed_in(request))
            return redirect(found)
    except ChargepathError as error:
        refused(form, error)
    page = lay_page(laid(found))
    told = known_of(found.board, shop_of(request).known, job=found.photo.job_id if found.photo else None)
    drawn = marked_photo.draw(picture_url(found), found.width, found.height, page["spots"])
    context = {"board": found.board, "picture": found, "page": page, "form": form, "told": told, "drawn": drawn}
    return render(request, "board/lay.html", context, status=422 if form.errors else 200)


@require_POST
@posts(Right.MEASURE)
def remove(request: HttpRequest, board: int, pk: int) -> HttpResponse:
    """Take a picture back."""
    found = get_picture(board, pk)
    actions.remove_picture(found, **who(request))
    return redirect("board:job", found.photo.job_id) if found.photo else redirect(found.board)
