"""The pages of the photos of the shop's own steps."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import parse_quantity
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, may, posts
from rainfront.web.forms import refused
from rainfront.web.pictures import MAX_BYTES
from rainfront.web.uploads import takes
from rainfront.workshop.context import shop_of
from rainfront.workshop.forms import StepMarkForm
from rainfront.workshop.models import ShopStep
from rainfront.workshop.ownphotos import add_mark, keep_photo, marked, place_of, set_place, take_mark


def _hand(request: HttpRequest) -> dict[str, Any]:
    return {"user": signed_in(request), "now": timezone.now(), "shop": shop_of(request)}


@takes(25_000_000)
@posts(Right.TEACH)
def photo(request: HttpRequest, pk: int) -> HttpResponse:
    """The photo of a step with its marks; a picture that is sent takes its place."""
    step = get_object_or_404(ShopStep, pk=pk)
    if request.method == "POST":
        sent = request.FILES.get("file")
        try:
            if getattr(request, "upload_too_large", False):
                messages.error(request, f"The picture is too large; up to {MAX_BYTES / 1e6:.0f} MB.")
            elif sent is None:
                messages.error(request, "No picture was sent: take one, or choose a file.")
            else:
                keep_photo(step, sent.read(), **_hand(request))
        except ChargepathError as error:
            messages.error(request, str(error))
        return redirect("workshop:own_step_photo", pk)
    return _page(request, step, StepMarkForm(initial={"x": 50, "y": 50}))


def _page(request: HttpRequest, step: ShopStep, form: StepMarkForm, status: int = 200) -> HttpResponse:
    context = {
        "step": step,
        "photo": marked(step),
        "place": place_of(step),
        "form": form,
        "may_teach": may(signed_in(request), Right.TEACH) and step.struck_at is None,
    }
    return render(request, "workshop/own_photo.html", context, status=status)


@require_GET
def picture(request: HttpRequest, pk: int) -> FileResponse:
    """The picture itself, to people who are signed in."""
    step = get_object_or_404(ShopStep.objects.exclude(photo=""), pk=pk)
    try:
        response = FileResponse(step.photo.open("rb"), content_type="image/jpeg")
    except FileNotFoundError as error:
        raise Http404 from error
    response["Cache-Control"] = "private, max-age=300"
    return response


@require_POST
@posts(Right.TEACH)
def mark(request: HttpRequest, pk: int) -> HttpResponse:
    """Put a mark on it."""
    step, form = get_object_or_404(ShopStep, pk=pk), StepMarkForm(request.POST)
    if form.is_valid():
        data = form.cleaned_data
        try:
            add_mark(step, data["x"] / 100, data["y"] / 100, data["text"], **_hand(request))
            return redirect("workshop:own_step_photo", pk)
        except ChargepathError as error:
            refused(form, error)
    return _page(request, step, form, 422)


@require_GET
def outline(request: HttpRequest, pk: int) -> HttpResponse:
    """The outline of the device with the place of the step, as the picture that is pressed to set it."""
    context = {"place": place_of(get_object_or_404(ShopStep, pk=pk))}
    return render(request, "workshop/_place.html", context, content_type="image/svg+xml")


@require_POST
@posts(Right.TEACH)
def place(request: HttpRequest, pk: int) -> HttpResponse:
    """Say where on the device the step is done, by a press on its outline."""
    step, sent = get_object_or_404(ShopStep, pk=pk), request.POST
    drawn = place_of(step)
    try:
        x, y = (parse_quantity(sent.get(f"at.{axis}", ""), "", "place") for axis in "xy")
        set_place(step, x / drawn.width, y / drawn.height, **_hand(request))
    except ChargepathError as error:
        messages.error(request, str(error))
    return redirect("workshop:own_step_photo", pk)


@require_POST
@posts(Right.TEACH)
def unmark(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """Take a mark back."""
    try:
        take_mark(get_object_or_404(ShopStep, pk=pk), number, **_hand(request))
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("workshop:own_step_photo", pk)
