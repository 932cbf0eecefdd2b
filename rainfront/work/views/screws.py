"""The map of a device's screws."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import parse_quantity
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.models import Job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.scenes import screw_map
from rainfront.work.actions import screws as actions
from rainfront.work.models import Screw


def _scene(job: Job, screws: list[Screw]) -> screw_map.Outline:
    return screw_map.draw(job.kind, [(row.number, row.x, row.y, row.place, row.length_mm) for row in screws])


@require_GET
def outline(request: HttpRequest, pk: int) -> HttpResponse:
    """The drawing, as the picture that is pressed to add a hole."""
    job = get_plain_job(pk)
    scene = _scene(job, list(job.screws.all()))
    return render(request, "work/outline.svg", {"scene": scene}, content_type="image/svg+xml")


@posts(Right.MEASURE)
def screws_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Holes by number; out one by one, back in reverse order."""
    job, error = get_plain_job(pk), ""
    if request.method == "POST":
        try:
            _act(request, job)
            return redirect("work:screws", pk)
        except ChargepathError as problem:
            error = str(problem)
    screws = list(job.screws.all())
    out = list(Screw.objects.to_put_back(pk))
    context = {
        "screws": screws,
        "scene": _scene(job, screws),
        "next_in": out[0] if out else None,
        "next_out": next((row for row in screws if row.place == Screw.Place.IN), None),
        "lost": [row for row in screws if row.place == Screw.Place.LOST],
        "out": len(out),
        "kept": not screws and bool(Screw.objects.kept_for(job.model_name)),
        "version": "-".join(f"{row.number}{row.place}{row.length_mm}" for row in screws),
        "error": error,
        "typed": request.POST,
    }
    return show_job(request, "work/screws.html", job, context, 422 if error else 200)


def _act(request: HttpRequest, job: Job) -> None:
    """What was pressed."""
    data, by = request.POST, hand(request)
    act, _, text = data.get("act", "").partition(" ")
    number = int(text) if text.isdecimal() and len(text) < 4 else 0
    if "at.x" in data:
        width, height = screw_map.SIZES[job.kind]
        actions.add_screw(job.pk, _pixel(data["at.x"]) / width, _pixel(data.get("at.y", "")) / height, **by)
    elif act == "describe":
        actions.describe_screw(job.pk, number, _length(data.get("length", "")), data.get("head", ""), **by)
    elif act in ("in", "out", "lost"):
        actions.move_screw(job.pk, number, act, data.get("note", ""), **by)
    elif act == "all":
        actions.move_all(job.pk, text, **by)
    elif act == "remove":
        actions.remove_screw(job.pk, number, **by)
    elif act == "copy":
        actions.copy_screws(job.pk, **by)


def _pixel(text: Any) -> float:
    return float(text) if str(text).isdecimal() and len(str(text)) < 6 else -1.0


def _length(text: str) -> float | None:
    return parse_quantity(text, "mm") if text.strip() else None
