"""Working through a plan: one step at a time, timers, choices."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import HttpResponseClientRedirect

from chargepath.base.errors import ChargepathError
from chargepath.repair.guards import GuardKind
from rainfront.jobs.adapters import evidence_of
from rainfront.jobs.extensions import also_of, step_panels_of
from rainfront.jobs.fetching import complete, get_job
from rainfront.jobs.layers import drawn
from rainfront.jobs.models import Repair
from rainfront.jobs.planning import plan_of
from rainfront.jobs.presenters.bench import scene_of
from rainfront.jobs.presenters.plans import layout_words
from rainfront.jobs.views.common import basis_of, hand, show_job
from rainfront.jobs.writing import JobError
from rainfront.people.rights import Right, posts
from rainfront.stock.adapters import shelf
from rainfront.web.secrets import hide_code
from rainfront.work import actions
from rainfront.work.models import StepRun, Timer
from rainfront.work.presenters import Asked, asked_of, facts_done, sent_back_by, steps_page
from rainfront.work.proposals import proposals
from rainfront.workshop.context import shop_of
from rainfront.workshop.ownphotos import shown_of


def repair_at(pk: int) -> Repair | None:
    """The repair that has steps left at a job: the open one, or the one whose device charges again."""
    found: Repair | None = Repair.objects.under_work(pk).first()
    return found


@require_GET
def repair_page(request: HttpRequest, pk: int) -> HttpResponse:
    """The step that comes next, large."""
    repair = repair_at(pk)
    if repair is None:
        job = get_job(pk)
        return show_job(request, "work/no_repair.html", job, {"scene": scene_of(basis_of(request, job))})
    return show_steps(request, pk, repair, step=request.GET.get("step", ""))


def show_steps(
    request: HttpRequest,
    pk: int,
    repair: Repair,
    *,
    at: actions.AtWork | None = None,
    error: str = "",
    used: str | None = None,
    step: str = "",
    asked: Asked | None = None,
    **typed: str,
) -> HttpResponse:
    """The page, or its fragment for htmx; what was typed comes back with an error.

    After a step that was done, `at` is what was fetched for it.
    """
    shop = shop_of(request)
    job = complete(at.log.job) if at else get_job(pk)
    plan = at.plan if at else plan_of(repair, job, shop)
    runs = at.settled if at else StepRun.objects.settled(repair.pk)
    waits = at.timers if at else list(Timer.objects.running().select_related("repair__job"))
    own = [timer for timer in waits if timer.repair_id == repair.pk]
    page = steps_page(repair, plan, runs, own, evidence_of(job), shop.known.worded(job.carrier), timezone.now(), step)
    photo, place = shown_of(page.now.own_id, job.kind) if page.now and page.now.own_id else (None, None)
    context = {
        "repair": repair,
        "proved": bool(repair.entry and repair.entry.values.get("proved")),
        "page": page,
        "layers": drawn(job, shop, facts_done(plan, runs), page.step.at if page.step else "", repair.route, own=place),
        "own_photo": photo,
        "step_panels": step_panels_of(job, page.step, plan, shop) if page.step else [],
        "scene": scene_of(basis_of(request, job)),
        "back": sent_back_by(job, repair),
        "proposals": [] if page.now else proposals(repair, job, plan),
        "also": also_of(job) if page.closing else [],
        "glued": not runs and any("part_glue" in row.step.acts for row in plan.steps),
        "error": error,
        "asked": asked,
        "used": hide_code(repair.used if used is None else used),
        "elsewhere": [timer for timer in waits if timer.repair_id != repair.pk][:6],
        "now": timezone.now(),
        **{name: hide_code(text) for name, text in typed.items()},
    }
    template = "work/_repair.html" if request.htmx else "work/repair.html"  # type: ignore[attr-defined]
    return show_job(request, template, job, context, 422 if error or asked else 200)


@require_GET
def layout(request: HttpRequest, pk: int) -> HttpResponse:
    """What has to lie on the bench for the rest of the repair that is under work, to tick by hand and to print."""
    repair = repair_at(pk)
    if repair is None:
        return redirect("jobs:bench", pk)
    job, shop = get_job(pk), shop_of(request)
    known, plan = shop.known.worded(job.carrier), plan_of(repair, job, shop)
    route = known.routes[repair.route]
    there = shelf(job.kind, job.model_name, job.connector, job.pk).get(repair.route)
    context = {
        "route": route,
        "layout": layout_words(plan, known, timezone.now(), StepRun.objects.settled(repair.pk)),
        "part": route.part_name if route.part and not repair.booked else "",
        "shelf": "" if there is None else f"{there} on the shelf" if there > 0 else "none on the shelf",
    }
    return show_job(request, "work/layout.html", job, context)


@require_POST
@posts(Right.MEASURE)
def step(request: HttpRequest, pk: int) -> HttpResponse:
    """Do, skip or undo a step, say that its check fails, start or stop its timer; finish the repair to prove it.

    A button that passes a step for one of the usual reasons says the reason after the step.
    """
    act, name, reason = (*request.POST.get("act", "").split(" ", 2), "", "")[:3]
    why, used = request.POST.get("why", "").strip() or reason, request.POST.get("used")
    by, stay, error = hand(request), "", ""
    asked: Asked | None = None
    if act == "done" or (act == "skip" and why):
        skipped, note = (why, "") if act == "skip" else ("", why)
        try:
            at = actions.do_step(pk, name, note=note, skipped=skipped, used=used, **by)
        except actions.NoRepairError:
            return redirect("jobs:bench", pk)
        except actions.GuardError as problem:
            asked = asked_of(problem.guards, f"done {name}")
        except ChargepathError as problem:
            error = str(problem)
        else:
            if not request.htmx:  # type: ignore[attr-defined]
                return redirect("work:repair", pk)
            return show_steps(request, pk, at.repair, at=at, used=used)
    repair = repair_at(pk)
    if repair is None:
        return redirect("jobs:bench", pk)
    if error or asked:
        return show_steps(request, pk, repair, error=error, asked=asked, used=used, step=name, why=why)
    try:
        if act == "skip":
            raise JobError("say why it is left out", "why", "in a few words; the record keeps it")
        if act == "prove":
            actions.finish_repair(repair, repair.used if used is None else used, **by)
            there = reverse("proof:prove", args=[pk])
            return HttpResponseClientRedirect(there) if request.htmx else redirect(there)  # type: ignore[attr-defined]
        if act == "keep":
            actions.keep_used(repair, used or "", **by)
        elif act in ("rest", "part"):
            # What is passed comes after the act; a part's name stands before it.
            phase, _, passed = name.partition(":") if act == "part" else ("", "", name)
            reasons = {kind: why for kind in GuardKind if why and kind in passed.split("+")}
            rest = actions.do_rest(repair, reasons=reasons, phase=phase, **by)
            again = f"part {phase}:" if act == "part" else "rest "
            stay, error, asked = rest.step, rest.refused, asked_of(rest.guards, again)
        elif act == "undo":
            actions.undo_step(repair, name, **by)
            stay = name
        elif act == "fails":
            stay = actions.fail_check(repair, name, why, **by)
        elif act == "start":
            actions.start_timer(repair, name, **by)
            stay = name
        elif act == "stop":
            actions.stop_timer(repair, name, **by)
            stay = name
    except ChargepathError as problem:
        error, stay = str(problem), name
    if not request.htmx and not error and not asked:  # type: ignore[attr-defined]
        return redirect("work:repair", pk)
    repair.refresh_from_db()
    typed = why if error else ""
    return show_steps(request, pk, repair, error=error, asked=asked, used=used, step=stay, why=typed)


@require_POST
@posts(Right.MEASURE)
def answer(request: HttpRequest, pk: int) -> HttpResponse:
    """Record what a step of the open repair has shown."""
    repair = repair_at(pk)
    if repair is None:
        return redirect("jobs:bench", pk)
    error, stay = "", request.POST.get("at", "")
    try:
        actions.record_at_step(repair, request.POST.get("line", ""), **hand(request))
    except ChargepathError as problem:
        error = str(problem)
    if not request.htmx and not error:  # type: ignore[attr-defined]
        return redirect("work:repair", pk)
    return show_steps(request, pk, repair, error=error, used=request.POST.get("used"), step=stay)


@require_POST
@posts(Right.MEASURE)
def pick(request: HttpRequest, pk: int) -> HttpResponse:
    """Do one thing otherwise on this job."""
    repair = repair_at(pk)
    if repair is None:
        return redirect("jobs:bench", pk)
    slot, _, option = request.POST.get("pick", "").partition(" ")
    error = ""
    try:
        repair = actions.pick_option(repair, slot, option, **hand(request))
    except ChargepathError as problem:
        error = str(problem)
    if not request.htmx and not error:  # type: ignore[attr-defined]
        return redirect("work:repair", pk)
    return show_steps(request, pk, repair, error=error, used=request.POST.get("used"))
