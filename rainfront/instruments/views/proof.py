"""The live meter beside the proof: started, watched once a second, read off."""

from __future__ import annotations

from django.contrib import messages
from django.db import OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST
from django_htmx.http import HttpResponseClientRefresh, trigger_client_event

from chargepath.base.errors import ChargepathError
from rainfront.instruments import actions, asking, proving
from rainfront.instruments.presenters import proof_meter
from rainfront.instruments.views.records import get_record
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.views.common import hand
from rainfront.people.rights import Right, posts

# What htmx takes as the end of asking.
STOP_POLLING = 286


@require_POST
@posts(Right.REPAIR)
def start(request: HttpRequest, job: int) -> HttpResponse:
    """Let the meter run for the proof."""
    owner = get_plain_job(job)
    try:
        record = actions.start_record(owner, "", {}, for_proof=True, **hand(request))
        asking.read_into(record, asking.power_meter(request.POST.get("meter", "")))
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("proof:prove", job)


@require_POST
@posts(Right.REPAIR)
def watch(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """What the meter shows of an item now; ticked, the page follows. `take` reads it off, `stop` ends the record."""
    record, name = get_record(job, pk), request.POST.get("item", "")
    by, error = hand(request), ""
    if record.file or not record.is_running:
        # Whatever ended it leads on by itself: nothing is reloaded under a hand that has pressed something.
        if not request.htmx:  # type: ignore[attr-defined]
            return redirect("proof:prove", job)
        return render(request, "instruments/_proof_over.html", {"record": record}, status=STOP_POLLING)
    if "stop" in request.POST:
        proving.end_record(record.job, **by)
        return HttpResponseClientRefresh() if request.htmx else redirect("proof:prove", job)  # type: ignore[attr-defined]
    found, moved = None, False
    try:
        if "take" in request.POST:
            proving.take_reading(record, name, **by)
            moved = True
        else:
            found = proving.watch_item(record, name, **by)
            moved = found.moved
    except ChargepathError as problem:
        error = str(problem)
    except OperationalError:
        return HttpResponse(status=204)  # Busy: what is shown stays until the next look.
    if not request.htmx:  # type: ignore[attr-defined]
        return redirect("proof:prove", job)
    panel = proof_meter(record, name, found)
    response = render(request, "instruments/_proof_watch.html", {"panel": panel, "job": record.job, "error": error})
    return trigger_client_event(response, "proof-moved") if moved else response
