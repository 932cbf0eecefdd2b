"""The counter: taking in, correcting what was taken in."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET

from chargepath.base.errors import ChargepathError
from rainfront.jobs import actions
from rainfront.jobs.fetching import get_job
from rainfront.jobs.forms import TakeInForm
from rainfront.jobs.models import Job
from rainfront.jobs.presenters.models import model_details
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.web.words import counted
from rainfront.workshop.context import shop_of

SHOWN_MODELS = 6


@posts(Right.TAKE_IN)
def take_in_page(request: HttpRequest) -> HttpResponse:
    """Take a device in."""
    asked = request.GET.get("model_name", "")[:80]
    known = dict(model_details(asked)) if asked and request.method == "GET" else {}
    known |= {"customer": request.GET["customer"][:40]} if request.GET.get("customer") else {}
    form = TakeInForm(shop_of(request).known, request.POST if request.method == "POST" else None, initial=known)
    if form.is_bound and form.is_valid():
        data = form.cleaned_data
        job = actions.take_in(data, seen=data["dangers"], same_trouble=data["trouble"], **hand(request))
        return redirect("jobs:bench", job.pk)
    context = {"form": form, "wet": shop_of(request).known.hazards["wet"]}
    return render(request, "jobs/take_in.html", context, status=422 if form.errors else 200)


@require_GET
def models_like(request: HttpRequest) -> HttpResponse:
    """Models that the shop has had and that a half-typed name may mean, as a fragment."""
    typed = request.GET.get("model_name", "").strip()[:80]
    rows = Job.objects.by_model(typed)[:SHOWN_MODELS] if typed else []
    found = [{"line": row["model_name"], "word": row["model_name"], "label": counted(row["n"], "job")} for row in rows]
    return render(request, "jobs/_completions.html", {"completions": found, "typed": typed})


def known_model(request: HttpRequest) -> HttpResponse:
    """What the shop's earlier jobs of a model say of it, as the part of the form that asks for it.

    Nothing comes back where nothing is known: what was typed there meanwhile stays. Only what an earlier name had
    filled in is cleared.
    """
    name = request.GET.get("model_name", "")[:80]
    known = model_details(name)
    if not known and "filled" not in request.GET:
        return HttpResponse(status=204)
    form = TakeInForm(shop_of(request).known, initial=known or {"model_name": name})
    context = {"form": form, "known": known, "asked": name}
    return render(request, "jobs/_device_fields.html", context)


@posts(Right.TAKE_IN)
def details_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Correct what was taken in."""
    job = get_job(pk)
    data = request.POST if request.method == "POST" else None
    form = TakeInForm(shop_of(request).known, data, instance=job)
    if form.is_bound and form.is_valid():
        details = {name: form.cleaned_data[name] for name in actions.DETAILS if form.changed_by_me(name)}
        try:
            actions.change_details(pk, details, **hand(request))
            return redirect("jobs:bench", pk)
        except ChargepathError as error:
            refused(form, error)
    return show_job(request, "jobs/take_in.html", job, {"form": form}, 422 if form.errors else 200)
