"""The owner's page of backups, and the address that says whether the program is well."""

from __future__ import annotations

import shutil
from pathlib import Path

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from chargepath.base.errors import ChargepathError
from rainfront.jobs.models import Job
from rainfront.keeping import actions, doctor, places, presenters
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts, require

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
