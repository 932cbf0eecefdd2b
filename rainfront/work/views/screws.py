"""The map of a device's screws and connectors."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import parse_quantity
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.layers import drawn, facts_now
from rainfront.jobs.models import Job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, may, posts
from rainfront.web.scenes import screw_map
from rainfront.work.actions import screws as actions
from rainfront.work.models import OpenPhoto, Screw
from rainfront.workshop.adapters import Shop
from rainfront.workshop.context import shop_of


def _scene(job: Job, screws: list[Screw], facts: frozenset[str], shop: Shop) -> screw_map.Outline:
    rows = [(row.number, row.x, row.y, row.place, row.length_mm, row.is_connector) for row in screws]
    return screw_map.draw(job.kind, rows, drawn(job, shop, facts).scene.shapes)


def _open_facts(job: Job, shop: Shop) -> frozenset[str]:
    """What is so of the device as somebody sees it who works at its screws: it is open, whatever is in the log."""
    return facts_now(job, shop, "opened") - {"closed"}


@require_GET
def outline(request: HttpRequest, pk: int) -> HttpResponse:
    """The drawing, as the picture that is pressed to add a hole."""
    job = get_plain_job(pk)
    shop = shop_of(request)
    scene = _scene(job, list(job.screws.all()), _open_facts(job, shop), shop)
    context = {"scene": scene, "alone": True, "over_photo": OpenPhoto.objects.laid(job.model_name) is not None}
    return render(request, "work/_outline.html", context, content_type="image/svg+xml")


@posts(Right.MEASURE)
def screws_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Holes and connectors by number; out one by one, back in reverse order."""
    job, error, shop = get_plain_job(pk), "", shop_of(request)
    if request.method == "POST":
        try:
            _act(request, job)
            kind = request.POST.get("kind", "")
            back = reverse("work:screws", args=[pk])
            return redirect(f"{back}?kind={kind}" if kind == Screw.Kind.CONNECTOR else back)
        except ChargepathError as problem:
            error = str(problem)
    screws = list(job.screws.all())
    out, facts = list(Screw.objects.to_put_back(pk)), _open_facts(job, shop)
    connectors = [row for row in screws if row.is_connector]
    photo = OpenPhoto.objects.laid(job.model_name)
    context = {
        "screws": screws,
        "photo": photo,
        "may_teach": may(signed_in(request), Right.TEACH),
        "scene": _scene(job, screws, facts, shop),
        "layers": drawn(job, shop, facts_now(job, shop, "outside")),
        "kind": Screw.Kind.CONNECTOR if request.GET.get("kind") == Screw.Kind.CONNECTOR else Screw.Kind.SCREW,
        "holes": len(screws) - len(connectors),
        "connectors": len(connectors),
        "holes_out": sum(not row.is_connector for row in out),
        "connectors_off": sum(row.is_connector for row in out),
        "next_in": out[0] if out else None,
        "next_out": next((row for row in screws if row.place == Screw.Place.IN), None),
        "lost": [row for row in screws if row.place == Screw.Place.LOST],
        "out": len(out),
        "kept": not screws and bool(Screw.objects.kept_for(job.model_name)),
        "version": _version(screws, facts, photo),
        "error": error,
        "typed": request.POST,
    }
    return show_job(request, "work/screws.html", job, context, 422 if error else 200)


def _version(screws: list[Screw], facts: frozenset[str], photo: OpenPhoto | None) -> str:
    """Names the drawing as it is now, for a browser that has an earlier one."""
    told = [f"{row.number}{row.place}{row.length_mm}" for row in screws]
    return "-".join([*([f"photo{photo.pk}"] if photo else []), *told, *sorted(facts)])


def _act(request: HttpRequest, job: Job) -> None:
    """What was pressed."""
    data, by = request.POST, hand(request)
    act, _, text = data.get("act", "").partition(" ")
    number = int(text) if text.isdecimal() and len(text) < 4 else 0
    if "at.x" in data:
        width, height = screw_map.SIZES[job.kind]
        x, y = _pixel(data["at.x"]) / width, _pixel(data.get("at.y", "")) / height
        actions.add_screw(job.pk, x, y, data.get("kind", Screw.Kind.SCREW), **by)
    elif act == "describe":
        actions.describe_screw(job.pk, number, _length(data.get("length", "")), data.get("head", ""), **by)
    elif act in ("in", "out", "lost"):
        actions.move_screw(job.pk, number, act, data.get("note", ""), **by)
    elif act == "all":
        actions.move_all(job.pk, text, **by)
    elif act == "connectors":
        actions.move_all(job.pk, text, Screw.Kind.CONNECTOR, **by)
    elif act == "remove":
        actions.remove_screw(job.pk, number, **by)
    elif act == "copy":
        actions.copy_screws(job.pk, **by)


def _pixel(text: Any) -> float:
    return float(text) if str(text).isdecimal() and len(str(text)) < 6 else -1.0


def _length(text: str) -> float | None:
    return parse_quantity(text, "mm") if text.strip() else None
