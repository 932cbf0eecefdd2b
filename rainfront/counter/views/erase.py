"""Erasing a customer: first where they are named, then the act."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect

from rainfront.counter import actions
from rainfront.counter.forms import EraseForm
from rainfront.counter.presenters import named_in
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts, require


@posts(Right.ERASE)
def erase_page(request: HttpRequest, job: int) -> HttpResponse:
    """Where the customer of a job is named; sent, all of it goes."""
    require(signed_in(request), Right.ERASE)
    owner, sent = get_plain_job(job), request.method == "POST"
    form = EraseForm(request.POST if sent else request.GET or None)
    asked = form.cleaned_data if form.is_valid() else {}
    names, everywhere = asked.get("nicknames", ()), asked.get("everywhere", False)
    if sent and form.is_valid():
        jobs = actions.erase_customer(job, names, everywhere=everywhere, **hand(request))
        messages.success(
            request, f"Erased in {', '.join(f'job {pk}' for pk in jobs)}, and wherever else they were named."
        )
        return redirect("counter:order", job)
    context = {
        "form": form,
        "jobs": actions.jobs_of_customer(job),
        "named": named_in(actions.find_customer(job, names, everywhere=everywhere)),
    }
    return show_job(request, "counter/erase.html", owner, context, 422 if form.errors else 200)
