"""What takes a standing draw: the page leads from one thing to unplug to the next."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect

from chargepath.base.errors import ChargepathError
from rainfront.inside import actions, presenters
from rainfront.inside.forms import DrawForm
from rainfront.inside.models import Draws
from rainfront.instruments.models import Supply
from rainfront.instruments.supply import measured
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.models import Job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of

# Acts that need no reading.
WITHOUT = frozenset({"skip", "back", "end"})


@posts(Right.MEASURE)
def hunt_page(request: HttpRequest, job: int) -> HttpResponse:
    """The hunt as it stands: what to unplug now, what was read so far; a step more."""
    found, known = get_plain_job(job), shop_of(request).known
    draws = Draws.objects.under_way(found.pk).first()
    act, form = request.POST.get("act", ""), DrawForm(None)
    if request.method == "POST":
        try:
            if act not in WITHOUT:
                form = DrawForm(_shown() if act == "take" else request.POST)
            if act in WITHOUT or form.is_valid():
                _step(request, found, draws, act, form.cleaned_data["amps"] if act not in WITHOUT else None)
                return redirect("inside:supply" if act == "end" else "inside:hunt", job)
        except ChargepathError as error:
            form = form if form.is_bound else DrawForm({})
            form.errors.clear()
            refused(form, error)
    context = {
        "form": form,
        "draws": draws,
        "hunt": presenters.hunt_of(draws, known) if draws else None,
        "cautions": [known.cautions[name] for name in ("supply", "static")],
    }
    return show_job(request, "inside/hunt.html", found, context, 422 if form.errors else 200)


def _shown() -> dict[str, str]:
    """What the supply shows now, as somebody would type it.

    Raises
    ------
    ReadingError
        It cannot be reached.

    """
    return {"amps": f"{measured(Supply.current())[1]:.4f}"}


def _step(request: HttpRequest, job: Job, draws: Draws | None, act: str, amps: float | None) -> None:
    """Do one act of the hunt."""
    if draws is None and amps is not None:
        actions.begin_hunt(job, amps, **hand(request))
    elif draws is not None and act == "back":
        actions.one_back(draws, **hand(request))
    elif draws is not None and act == "end":
        actions.end_hunt(draws, **hand(request))
    elif draws is not None:
        actions.unplug(draws, request.POST.get("part", ""), amps, **hand(request))
