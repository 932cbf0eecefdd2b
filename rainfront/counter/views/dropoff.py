"""How a device was received: marks on its outline, what came along, what was agreed, a signature."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect

from chargepath.base.errors import ChargepathError
from rainfront.counter import actions
from rainfront.counter.dropoff import agreed_words, outline_of, read_marks
from rainfront.counter.forms import DropOffForm
from rainfront.counter.models import DropOff
from rainfront.inside.models import Photo
from rainfront.jobs.fetching import get_job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.web.pictures import MAX_BYTES
from rainfront.web.uploads import takes
from rainfront.workshop.context import shop_of


@takes(25_000_000)
@posts(Right.TAKE_IN)
def drop_off(request: HttpRequest, job: int) -> HttpResponse:
    """Mark, tick, agree, sign; stored, the receipt follows."""
    owner, shop = get_job(job), shop_of(request)
    found = DropOff.objects.of_job(job)
    limit = shop.region.money(owner.limit, cents=True) if owner.limit is not None else ""
    begin: dict[str, Any] = {"agreed": agreed_words(owner, limit), "marks": "[]", "kind": DropOff.Kind.SCRATCH}
    if found is not None:
        names = ("things", "other", "condition", "agreed")
        begin |= {name: getattr(found, name) for name in names} | {"marks": json.dumps(found.marks)}
        begin["on_paper"] = found.signed == DropOff.Signed.PAPER
    sent = (request.POST, request.FILES) if request.method == "POST" else ()
    form = DropOffForm(*sent, initial=begin)
    if getattr(request, "upload_too_large", False):
        form.add_error("photo", f"the picture is too large; up to {MAX_BYTES / 1e6:.0f} MB")
    if form.is_bound and form.is_valid():
        try:
            photo = form.cleaned_data["photo"]
            picture = photo.read() if photo else b""
            actions.note_drop_off(job, {**form.cleaned_data, "picture": picture}, **hand(request))
            if request.POST.get("act") in ("mark", "photo"):
                return redirect("counter:drop_off", job)
            return redirect("counter:paper", job, "drop-off")
        except ChargepathError as error:
            refused(form, error)
    try:
        marks = read_marks(str(form["marks"].value() or "[]"))
    except ChargepathError:
        marks = []
    photos = Photo.objects.as_received(job)
    context = {"form": form, "found": found, "scene": outline_of(owner, marks), "photos": photos}
    return show_job(request, "counter/drop_off.html", owner, context, 422 if form.errors else 200)
