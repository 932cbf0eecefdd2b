"""The list of the day: every open job, the one to pick up now first."""

from __future__ import annotations

from contextlib import suppress

from django.core.paginator import Paginator
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from rainfront.day.fetching import open_jobs
from rainfront.day.presenters import day_of, day_rows
from rainfront.day.standing import keep_up
from rainfront.day.tasks import reckon_day
from rainfront.jobs.extensions import further_of
from rainfront.jobs.models import Job
from rainfront.people.context import signed_in
from rainfront.stock.bench import due_words
from rainfront.stock.models import Item
from rainfront.web.later import left_lying
from rainfront.workshop.context import shop_of

PAGE, MOST = 40, 2000
# How many jobs that are not reckoned yet the list reckons itself: the person's own, and any where nobody else does.
AT_ONCE = 3
COLUMNS = (
    ("job", "job"),
    ("device", "device"),
    ("", "charge line"),
    ("next", "next"),
    ("waits", "waits for"),
    ("promised", "promised"),
    ("who", "who"),
)


@require_GET
def day(request: HttpRequest) -> HttpResponse:
    """Every open job, the one to pick up now first; a number leads to its job."""
    query, now, shop = request.GET.get("q", "").strip()[:80], timezone.now(), shop_of(request)
    found = Job.objects.numbered(query) if query else None
    if found is not None:
        return redirect(found)
    jobs = list(open_jobs().search(query)[:MOST])
    person = signed_in(request)
    if any(job.day_due for job in jobs):
        # Looking goes on where nothing can be written: what is due stays due.
        with suppress(DatabaseError):
            keep_up(shop, AT_ONCE, None if left_lying(reckon_day) else person.pk)
        jobs = list(open_jobs().search(query)[:MOST])
    rows = day_rows(jobs, list(Item.objects.all()), person, shop, now)
    asked = {name: request.GET.get(name, "") for name in ("stage", "person", "waiting", "by")}
    down = request.GET.get("down") == "yes"
    shown = day_of(rows, **asked, down=down)
    page = Paginator(shown.rows, PAGE).get_page(request.GET.get("page"))
    first = page.number == 1 and not asked["by"] and bool(page.object_list)
    context = {
        "day": shown,
        "due": any(job.day_due for job in jobs),
        "page": page,
        "first": page.object_list[0] if first else None,
        "rows": page.object_list[1:] if first else page.object_list,
        "grouped": not asked["by"],
        "asked": {**asked, "q": query, "down": "yes" if down else ""},
        "any": bool(jobs) or bool(query) or Job.objects.exists(),
        "further": further_of(query) if query else [],
        "columns": COLUMNS,
        "bench_due": due_words(shop.known, now),
    }
    template = "day/_day.html" if request.htmx else "day/day.html"  # type: ignore[attr-defined]
    return render(request, template, context)
