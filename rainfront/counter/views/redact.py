"""Taking a text out of a job."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from chargepath.base.errors import ChargepathError
from rainfront.counter import actions
from rainfront.jobs.views.common import hand
from rainfront.jobs.views.record import show_record
from rainfront.people.rights import Right, posts
from rainfront.web.words import counted


@require_POST
@posts(Right.REDACT)
def redact(request: HttpRequest, job: int) -> HttpResponse:
    """Take a text out of a job for good; what was asked for is shown no more."""
    try:
        count = actions.redact(job, request.POST.get("text", ""), **hand(request))
    except ChargepathError as error:
        return show_record(request, job, str(error))
    messages.success(request, f"Redacted in {counted(count, 'place')}.")
    return redirect("jobs:record", job)
