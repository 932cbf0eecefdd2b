"""Photos and marks."""

from __future__ import annotations

from django.contrib import messages
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.inside import actions
from rainfront.inside.forms import MarkForm, PhotoForm
from rainfront.inside.models import Mark, Photo
from rainfront.inside.views.sheets import find_entry, find_sheet, show_inside
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.web.pictures import MAX_BYTES
from rainfront.web.scenes import marked_photo
from rainfront.web.uploads import takes
from rainfront.workshop.context import shop_of


def get_photo(job: int, pk: int) -> Photo:
    """One photo that stands, or 404."""
    photo: Photo = get_object_or_404(Photo.objects.of_job(job).select_related("job"), pk=pk)
    return photo


@takes(25_000_000)
@require_POST
@posts(Right.MEASURE)
def add(request: HttpRequest, job: int) -> HttpResponse:
    """Keep a photo."""
    found = get_plain_job(job)
    form, entry = PhotoForm(request.POST, request.FILES), find_entry(found, request.POST.get("entry", ""))
    if getattr(request, "upload_too_large", False):
        form.errors.clear()
        form.add_error("file", f"the picture is too large; up to {MAX_BYTES / 1e6:.0f} MB")
    if form.is_valid():
        sheet = find_sheet(found, request.POST.get("sheet", ""))
        try:
            photo = actions.add_photo(
                found,
                form.cleaned_data["file"].read(),
                form.cleaned_data["caption"],
                sheet=sheet,
                entry=entry,
                **hand(request),
            )
            return redirect("work:repair", job) if request.POST.get("back") == "repair" else redirect(photo)
        except ChargepathError as error:
            refused(form, error, "file")
    return show_inside(request, found, photo=form, attach=entry, status=422)


@require_GET
def photo_page(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """One photo with its marks."""
    return _photo(request, get_photo(job, pk), MarkForm(shop_of(request).known, initial={"x": 50, "y": 50}))


def _photo(request: HttpRequest, photo: Photo, form: MarkForm, status: int = 200) -> HttpResponse:
    marks = list(photo.marks.all())
    url = reverse("inside:file", args=[photo.job_id, photo.pk])
    rows = [(mark.number, mark.x, mark.y, mark.text, bool(mark.part)) for mark in marks]
    drawn = marked_photo.draw(url, photo.width, photo.height, rows)
    context = {"photo": photo, "drawn": drawn, "marks": marks, "form": form}
    return show_job(request, "inside/photo.html", photo.job, context, status)


@require_GET
def file(request: HttpRequest, job: int, pk: int) -> FileResponse:
    """The picture itself, to people who are signed in."""
    response = FileResponse(get_photo(job, pk).file.open("rb"), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=86400"
    return response


@require_POST
@posts(Right.MEASURE)
def mark(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Put a mark on it."""
    photo, form = get_photo(job, pk), MarkForm(shop_of(request).known, request.POST)
    if form.is_valid():
        data = form.cleaned_data
        try:
            actions.add_mark(
                photo,
                data["x"] / 100,
                data["y"] / 100,
                data["text"],
                data["part"],
                data["how"],
                **hand(request),
            )
            return redirect(photo)
        except ChargepathError as error:
            refused(form, error)
    return _photo(request, photo, form, 422)


@require_POST
@posts(Right.MEASURE)
def unmark(request: HttpRequest, job: int, pk: int, number: int) -> HttpResponse:
    """Take a mark back."""
    photo = get_photo(job, pk)
    found = get_object_or_404(Mark.objects.select_related("photo__job", "entry"), photo=photo, number=number)
    try:
        actions.remove_mark(found, **hand(request))
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect(photo)


@require_POST
@posts(Right.MEASURE)
def remove(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Take the photo out of the job."""
    try:
        actions.remove_photo(get_photo(job, pk), **hand(request))
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("inside:inside", job)
