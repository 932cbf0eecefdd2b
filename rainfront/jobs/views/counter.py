"""The counter: taking in, correcting what was taken in."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from rainfront.jobs import actions
from rainfront.jobs.forms import TakeInForm
from rainfront.jobs.models import Job
from rainfront.people.context import signed_in


def take_in_page(request: HttpRequest) -> HttpResponse:
    """Take a device in."""
    form = TakeInForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        job = actions.take_in(form.cleaned_data, user=signed_in(request), now=timezone.now())
        return redirect("jobs:bench", job.pk)
    return render(request, "jobs/take_in.html", {"form": form}, status=422 if form.errors else 200)


def details_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Correct what was taken in."""
    job = get_object_or_404(Job, pk=pk)
    form = TakeInForm(request.POST or None, instance=job)
    if request.method == "POST" and form.is_valid():
        details = {name: form.cleaned_data[name] for name in form.Meta.fields}
        actions.change_details(Job.objects.get(pk=pk), details, user=signed_in(request), now=timezone.now())
        return redirect("jobs:bench", pk)
    return render(request, "jobs/take_in.html", {"form": form, "job": job}, status=422 if form.errors else 200)
