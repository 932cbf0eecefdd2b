"""The page of insights, and each of them as a table."""

from __future__ import annotations

import csv
import io
import math
from datetime import timedelta

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_GET

from chargepath.base.cells import written_cell
from rainfront.insights import presenters
from rainfront.insights.reckoning import PERIODS
from rainfront.insights.tasks import reckon_figures
from rainfront.web.later import soon
from rainfront.workshop.context import shop_of

# A large shop's figures take seconds: they are made anew at most so often, however often somebody looks.
RESTS = timedelta(minutes=5)


def _period(request: HttpRequest) -> str:
    asked = request.GET.get("period", "year")
    return asked if asked in PERIODS else "year"


@require_GET
def insights(request: HttpRequest) -> HttpResponse:
    """What closed jobs say of the shop."""
    now = timezone.now()
    found = presenters.insights_of(shop_of(request), _period(request), now)
    if found.late and now - found.at > RESTS:
        soon(reckon_figures)
    return render(request, "insights/insights.html", {"page": found, "period": _period(request)})


@require_GET
def take_out(request: HttpRequest, figures: str) -> HttpResponse:
    """One of them as CSV, with the unit in its heading."""
    found = presenters.insights_of(shop_of(request), _period(request), timezone.now())
    section = next((one for one in found.sections if one.id == figures), None)
    if section is None:
        raise Http404
    text = io.StringIO()
    table = csv.writer(text)
    unit = shop_of(request).region.currency if section.unit == "money" else section.unit
    table.writerow(["group", "name", f"value ({unit})", f"low 95 % ({unit})", f"high 95 % ({unit})", "count"])
    for group, row in section.all_rows:
        cells = ["" if isinstance(cell, float) and not math.isfinite(cell) else cell for cell in row.numbers]
        table.writerow([written_cell(group), written_cell(row.name), *cells])
    response = HttpResponse(text.getvalue(), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{section.id}.csv"'
    return response
