"""The list of jobs, and one job's whole record."""

from __future__ import annotations

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.jobs import actions
from rainfront.jobs.extensions import before_and_after, further_of
from rainfront.jobs.fetching import get_job
from rainfront.jobs.models import Job
from rainfront.jobs.presenters.bench import bench_of
from rainfront.jobs.presenters.day import day_of, day_rows
from rainfront.jobs.standing import keep_up
from rainfront.jobs.tasks import reckon_day
from rainfront.jobs.views.common import basis_of, hand, show_job
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, may, posts
from rainfront.stock.models import Item
from rainfront.web.later import left_lying
from rainfront.web.words import counted
from rainfront.workshop.context import shop_of

PAGE, MOST = 40, 2000
# How many jobs that are not reckoned yet the list reckons itself: the person's own, and any where nobody else does.
AT_ONCE = 3


@require_GET
def day(request: HttpRequest) -> HttpResponse:
    """Every open job, the one to pick up now first; a number leads to its job."""
    query, now, shop = request.GET.get("q", "").strip()[:80], timezone.now(), shop_of(request)
    found = Job.objects.numbered(query) if query else None
    if found is not None:
        return redirect(found)
    jobs = list(Job.objects.for_day().search(query)[:MOST])
    person = signed_in(request)
    if any(job.day_due for job in jobs):
        keep_up(shop, AT_ONCE, None if left_lying(reckon_day) else person.pk)
        jobs = list(Job.objects.for_day().search(query)[:MOST])
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
        "further": further_of(query) if query else [],
        "columns": COLUMNS,
    }
    template = "jobs/_day.html" if request.htmx else "jobs/day.html"  # type: ignore[attr-defined]
    return render(request, template, context)


COLUMNS = (
    ("job", "job"),
    ("device", "device"),
    ("", "charge line"),
    ("next", "next"),
    ("waits", "waits for"),
    ("promised", "promised"),
    ("who", "who"),
)


@require_POST
@posts(Right.REDACT)
def redact(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a text out of a job for good; what was asked for is shown no more."""
    try:
        count = actions.redact(pk, request.POST.get("text", ""), **hand(request))
    except ChargepathError as error:
        return _record(request, pk, str(error))
    messages.success(request, f"Redacted in {counted(count, 'place')}.")
    return redirect("jobs:record", pk)


@require_GET
def record_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Everything recorded about one job, for reading and printing."""
    return _record(request, pk)


def _record(request: HttpRequest, pk: int, error: str = "") -> HttpResponse:
    job = get_job(pk)
    basis = basis_of(request, job)
    bench, routes = bench_of(basis, timezone.now()), basis.known.routes
    context = {
        "may_redact": may(signed_in(request), Right.REDACT),
        "redact_error": error,
        "bench": bench,
        "log": list(reversed(bench.log)),
        "value": basis.money(float(job.value)),
        "limit": basis.money(float(job.limit)) if job.limit is not None else "none named",
        "pictures": before_and_after(job),
        "repairs": [(repair, routes[repair.route].label) for repair in job.repairs.all()],
    }
    return show_job(request, "jobs/record.html", job, context, 422 if error else 200)
