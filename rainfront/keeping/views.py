"""The owner's page of backups, and the address that says whether the program is well."""

from __future__ import annotations

import shutil
from pathlib import Path

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET

from chargepath.base.errors import ChargepathError
from rainfront.jobs.models import Job
from rainfront.keeping import actions, doctor, first, places, presenters
from rainfront.people.context import signed_in
from rainfront.people.models import Workshop
from rainfront.people.rights import Right, may, posts, require
from rainfront.workshop.actions import choose_region, set_first_prices
from rainfront.workshop.context import shop_of
from rainfront.workshop.forms import FirstPricesForm, RegionForm

LEAST_FREE_BYTES = 100_000_000


@posts(Right.KEEP)
def backups(request: HttpRequest) -> HttpResponse:
    """When the last backup was made and read back; make one now."""
    user, now = signed_in(request), timezone.now()
    require(user, Right.KEEP)
    if request.method == "POST":
        try:
            made = actions.backup_now(user=user, now=now)
        except ChargepathError as error:
            messages.warning(request, str(error))
        else:
            messages.success(request, f"Backup made and read back: {made.jobs} jobs, {made.files} files.")
        return redirect("keeping:backups")
    context = {"page": presenters.backups_page(now), "findings": doctor.examine(now=now)}
    return render(request, "keeping/backups.html", context)


@posts(Right.LEAD)
def first_things(request: HttpRequest) -> HttpResponse:
    """What a new workshop sets first: what is done, what is missing; region and prices are set here."""
    user, now = signed_in(request), timezone.now()
    require(user, Right.LEAD)
    which = request.POST.get("which", "")
    region = RegionForm(request.POST if which == "region" else None, instance=Workshop.current())
    prices = FirstPricesForm(
        shop_of(request).shipped, request.POST if which == "money" else None, instance=Workshop.current()
    )
    if which == "region" and region.is_valid():
        choose_region(region, user=user, now=now)
        return redirect(f"{reverse('keeping:first_things')}#money")
    if which == "money" and prices.is_valid():
        set_first_prices(prices, user=user, now=now)
        messages.success(request, "Stored. The prices follow; a part's own price is set under Parts.")
        return redirect("keeping:first_things")
    rows = first.first_things(shop_of(request), now)
    mine = [(row, may(user, row.right)) for row in rows]
    context = {"rows": mine, "missing": sum(not row.done for row in rows), "region": region, "prices": prices}
    return render(request, "keeping/first_things.html", context, status=422 if which else 200)


@login_not_required
@require_GET
def health(request: HttpRequest) -> HttpResponse:
    """Whether the database answers and there is room; for a monitor, without a word about anybody."""
    try:
        Job.objects.exists()
        database = True
    except DatabaseError:
        database = False
    place = places.database().parent
    free = shutil.disk_usage(place if place.exists() else Path("/")).free
    well = database and free > LEAST_FREE_BYTES
    said = {"ok": well, "database": database, "room": free > LEAST_FREE_BYTES, "proxy": request.is_secure()}
    return JsonResponse(said, status=200 if well else 503, headers={"Cache-Control": "no-store"})


@login_not_required
@require_GET
def here(request: HttpRequest) -> HttpResponse:
    """204 for who is signed in, else 401: what a proxy asks before it takes a large upload."""
    return HttpResponse(status=204 if request.user.is_authenticated else 401)
