"""The seal test: before it is opened, and closed again; the chamber's volume."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect

from chargepath.base.errors import ChargepathError
from rainfront.jobs.fetching import get_job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.proof import actions
from rainfront.proof.forms import ChamberForm, SealForm
from rainfront.proof.presenters.seal import seal_page as page_of
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of


@posts(Right.MEASURE)
def seal_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Two tests side by side, what they say, and what the shop knows of the model."""
    job, shop = get_job(pk), shop_of(request)
    page = page_of(job, shop)
    chamber = "known_ml" in request.POST
    form = SealForm(shop.known, request.POST if request.method == "POST" and not chamber else None, when=page.due)
    calibration = ChamberForm(request.POST if chamber else None)
    by = hand(request)
    try:
        if chamber and calibration.is_valid():
            actions.calibrate_chamber(**calibration.cleaned_data, user=by["user"], now=by["now"])
            return redirect("proof:seal", pk)
        if form.is_bound and form.is_valid():
            actions.record_seal(job, form.cleaned_data["when"], form.decay(), **by)
            return redirect("proof:seal", pk)
    except ChargepathError as error:
        refused(calibration if chamber else form, error)
    context = {"page": page, "form": form, "calibration": calibration}
    return show_job(request, "proof/seal.html", job, context, 422 if form.errors or calibration.errors else 200)
