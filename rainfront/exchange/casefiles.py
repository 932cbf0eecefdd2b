"""Case files in and out."""

from __future__ import annotations

import json

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET

from chargepath.base.errors import CaseFileError, ChargepathError
from chargepath.case.file import MAX_BYTES, dump, parse
from rainfront.exchange.forms import ImportForm
from rainfront.exchange.one_case import import_case
from rainfront.jobs.adapters import file_of
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.models import Job
from rainfront.jobs.views.common import hand
from rainfront.people.rights import Right, posts
from rainfront.workshop.context import shop_of


@require_GET
def export(request: HttpRequest, pk: int) -> HttpResponse:
    """One job as a case file."""
    job, known = get_plain_job(pk), shop_of(request).known
    text = json.dumps(dump(file_of(job, known), known), indent=2, ensure_ascii=False)
    response = HttpResponse(text + "\n", content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="job-{pk}.case.json"'
    return response


@posts(Right.MEASURE)
def import_page(request: HttpRequest) -> HttpResponse:
    """Make a job of a case file."""
    bound = request.method == "POST"
    form = ImportForm(request.POST if bound else None, request.FILES if bound else None)
    problems: list[ChargepathError] = []
    if bound and getattr(request, "upload_too_large", False):
        form.errors.clear()
        problems = [ChargepathError("the file is too large", "upload", f"allowed: up to {MAX_BYTES / 1e6:g} MB")]
    elif bound and form.is_valid():
        data = form.cleaned_data
        try:
            case = parse(data["file"].read(), shop_of(request).known)
            job = import_case(
                case,
                model_name=data["model_name"] or case.model or "Imported device",
                customer=data["customer"],
                source=data["file"].name[:100],
                **hand(request),
            )
        except CaseFileError as error:
            problems = error.problems
        except ChargepathError as error:
            problems = [error]
        else:
            copies = Job.objects.copies_of(job)
            if copies:
                which = ", ".join(f"job {copy.pk}" for copy in copies)
                messages.warning(request, f"This case is here already, as {which}: it teaches the numbers once only.")
            if case.ignored:
                messages.warning(request, f"Left out, without meaning here: {', '.join(case.ignored)}")
            return redirect("jobs:bench", job.pk)
    status = 422 if problems or (bound and form.errors) else 200
    return render(request, "exchange/case.html", {"form": form, "problems": problems}, status=status)
