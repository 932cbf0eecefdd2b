"""The board of a job: what it read, what good boards read, and what lies near what."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from rainfront.board import actions
from rainfront.board.adapters import boards_of
from rainfront.board.models import BoardMap, BoardPicture
from rainfront.board.presenters.look import known_of, pad_numbers, read_by_pad, read_rows
from rainfront.board.views.maps import get_board, who
from rainfront.inside.models import Photo
from rainfront.inside.probed import probed_on
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.views.common import show_job
from rainfront.people.rights import Right, posts
from rainfront.web.scenes import board_piece
from rainfront.workshop.context import shop_of


@require_GET
def job_page(request: HttpRequest, job: int) -> HttpResponse:
    """The board of this model on this job."""
    found = get_plain_job(job)
    boards, asked = boards_of(found), request.GET.get("board", "")
    board = next((row for row in boards if str(row.pk) == asked), boards[0] if boards else None)
    context: dict[str, Any] = {"boards": boards, "board": board}
    if board is not None:
        known = shop_of(request).known_for(found.model_name).worded(found.carrier)
        found.fetch_log()
        pads = read_by_pad(board, known, probed_on(found, known))
        told = known_of(board, known, job, pads)
        rows = read_rows(board, pads)
        told |= {"focus": _focus(request, board), "works": True}
        context |= {
            "told": told,
            "piece": board_piece.draw(board.layout, [row.pad for row in rows], f"What was read on {board}"),
            "rows": rows,
            "photos": Photo.objects.of_job(job),
            "laid": {row.photo_id: row for row in BoardPicture.objects.of_job(job).filter(board=board)},
        }
    return show_job(request, "board/job.html", found, context)


def _focus(request: HttpRequest, board: BoardMap) -> list[int]:
    """The pads that the page was asked for: by number, or by pin, as in usb_c@pads@A4."""
    pad, probe = request.GET.get("pad", ""), request.GET.get("probe", "")[:60].split("@")
    if pad.isdecimal() and len(pad) < 7 and int(pad) < board.pads:
        return [int(pad)]
    return pad_numbers(board, probe[0], probe[1]).get(probe[2], []) if len(probe) == 3 else []


@require_POST
@posts(Right.MEASURE)
def lay_photo(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Begin to lay a photo of the job over the board."""
    photo = get_object_or_404(Photo.objects.of_job(job), pk=pk)
    asked = request.POST.get("board", "")
    board = get_board(int(asked) if asked.isdecimal() and len(asked) < 12 else 0)
    side = "bottom" if request.POST.get("side") == "bottom" else "top"
    return redirect(actions.lay_photo(board, photo, side, **who(request)))
