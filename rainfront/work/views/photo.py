"""The shop's own photo under the map of screws."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_GET

from chargepath.base.errors import ChargepathError, ReadingError
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.models import Job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.pictures import MAX_BYTES
from rainfront.web.uploads import takes
from rainfront.work.actions import photo as actions
from rainfront.work.models import OpenPhoto

# The photo is shown so wide where its corners are pressed [pixels].
SHOWN = 640


@takes(25_000_000)
@posts(Right.TEACH)
def open_photo(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a photo, then press the four corners of the device in it."""
    job, error = get_plain_job(pk), ""
    found = OpenPhoto.objects.of_model(job.model_name).first()
    if request.method == "POST":
        try:
            return _act(request, job, found)
        except ChargepathError as problem:
            error = str(problem)
    shown = min(SHOWN, found.width) if found else 0
    told = len(found.corners) if found else 0
    context = {
        "photo": found,
        "width": shown,
        "height": round(shown * found.height / found.width) if found else 0,
        "corner": actions.CORNERS[told] if told < len(actions.CORNERS) else "",
        "told": [actions.CORNERS[number] for number in range(told)],
        "error": error,
    }
    return show_job(request, "work/open_photo.html", job, context, 422 if error else 200)


def _act(request: HttpRequest, job: Job, found: OpenPhoto | None) -> HttpResponse:
    """Do what was pressed."""
    here, by = reverse("work:open_photo", args=[job.pk]), hand(request)
    sent, act = request.FILES.get("file"), request.POST.get("act", "")
    if getattr(request, "upload_too_large", False):
        raise ReadingError("the picture is too large", "photo", f"up to {MAX_BYTES / 1e6:.0f} MB")
    if "at.x" in request.POST and found is not None:
        scale = found.width / min(SHOWN, found.width)
        x, y = (_pixel(request.POST.get(f"at.{axis}", "")) * scale for axis in "xy")
        made = actions.add_corner(found, x, y, user=by["user"], now=by["now"])
        if made.upright:
            messages.success(request, f"It lies under the screws of every {made.model_name} now.")
            return redirect("work:screws", job.pk)
    elif act == "anew" and found is not None:
        actions.begin_corners_anew(found, user=by["user"])
    elif act == "remove" and found is not None:
        actions.remove_open_photo(found, user=by["user"])
    elif sent is not None:
        actions.keep_open_photo(job, sent.read(), user=by["user"], now=by["now"])
    else:
        raise ReadingError("no picture was sent", "photo", "take one, or choose a file")
    return redirect(here)


def _pixel(text: str) -> float:
    return float(text) if text.isdecimal() and len(text) < 6 else -1.0


@require_GET
def picture(request: HttpRequest, pk: int, which: str) -> FileResponse:
    """The photo as it was taken, or laid into the outline, to people who are signed in."""
    photo = get_object_or_404(OpenPhoto, pk=pk)
    file = photo.upright if which == "upright" else photo.file
    response = FileResponse(get_file(file), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=86400"
    return response


def get_file(file: Any) -> Any:
    """A stored file, opened; 404 where there is none."""
    if not file:
        raise Http404
    return file.open("rb")
