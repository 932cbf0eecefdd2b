"""Whether a device was here before, asked while its serial number is typed."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_GET

from rainfront.counter.presenters import was_here
from rainfront.jobs.forms import TroubleField
from rainfront.jobs.models import Job
from rainfront.workshop.context import shop_of


@require_GET
def before(request: HttpRequest) -> HttpResponse:
    """What was done and proved on the device with this serial number, and until when that is covered, as a fragment."""
    serial = request.GET.get("serial", "").strip()[:40]
    open_now = Job.objects.open_with(serial)
    first = None if open_now else Job.objects.closed_before(serial)
    earlier = was_here(first, shop_of(request), timezone.now()) if first else None
    said = [(value, label, request.GET.get("trouble", "") == value) for value, label in TroubleField.ANSWERS]
    context = {"open_now": open_now, "earlier": earlier, "said": said}
    return render(request, "counter/_before.html", context)
