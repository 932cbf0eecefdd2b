"""One job's whole record."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from django.views.decorators.http import require_GET

from rainfront.jobs.extensions import before_and_after
from rainfront.jobs.fetching import get_job
from rainfront.jobs.presenters.bench import bench_of
from rainfront.jobs.views.common import basis_of, show_job
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, may

# So many lines of the log are shown at first, the newest of them last; all of them where that is asked for.
SHOWN = 1000


@require_GET
def record_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Everything recorded about one job, for reading and printing."""
    return show_record(request, pk)


def show_record(request: HttpRequest, pk: int, error: str = "") -> HttpResponse:
    """The record; with the error that redacting a text met."""
    job = get_job(pk)
    basis = basis_of(request, job)
    whole = request.GET.get("whole") == "yes"
    bench = bench_of(basis, timezone.now(), lines=len(job.log) + 1 if whole else SHOWN)
    routes = basis.known.routes
    context = {
        "may_redact": may(signed_in(request), Right.REDACT),
        "redact_error": error,
        "bench": bench,
        "log": list(reversed(bench.log)),
        "value": basis.money(float(job.value)),
        "bought_for": basis.money(float(job.bought_for or 0)),
        "limit": basis.money(float(job.limit)) if job.limit is not None else "none named",
        "pictures": before_and_after(job),
        "repairs": [(repair, routes[repair.route].label) for repair in job.repairs.all()],
    }
    return show_job(request, "jobs/record.html", job, context, 422 if error else 200)
