"""The head of a job's pages: the stages of the work are its pages; where the job stands is a mark on them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from django.urls import resolve, reverse

from rainfront.jobs.extensions import Link, pages_of
from rainfront.jobs.models import Job, Stage

STEPS = [stage for stage in Stage if stage != Stage.CLOSED]
# The job's own pages by stage, and the other views that belong to each.
OWN = {Stage.TAKE_IN: "jobs:details", Stage.DECIDE: "jobs:decide"}
BELONGS = {
    "jobs:choose": Stage.DECIDE,
    "jobs:quote": Stage.DECIDE,
    "jobs:why": Stage.DECIDE,
    **{page: stage for stage, page in OWN.items()},
}


@dataclass(frozen=True)
class PageRow:
    """A page of the job: `here` where it is the one shown, `stands` where the job is at its stage."""

    stage: str
    label: str
    href: str
    here: bool
    stands: bool


@dataclass(frozen=True)
class Head:
    """The pages, what a job stands at, and what a closed one leads on with; `to`: addresses by page."""

    pages: list[PageRow]
    here: str
    stands: str
    moves: list[tuple[str, str]]
    onward: list[Link]
    to: dict[str, str]


def head_of(job: Job, view: str) -> Head:
    """The head of a job on one of its pages.

    Parameters
    ----------
    job : Job
    view : str
        Name of the view that is shown, with its app.

    """
    others, at = pages_of(job), _stage_of(view, pages_of(job))
    rows = [PageRow("", "Bench", job.get_absolute_url(), view == "jobs:bench", stands=False)]
    for stage in STEPS:
        href = others[stage].href if stage in others else reverse(OWN[stage], args=[job.pk])
        rows.append(PageRow(stage.value, str(stage.label), href, stage == at, stage == job.stage))
    return Head(
        pages=rows,
        here=next((row.label for row in rows if row.here), "Pages"),
        stands="" if job.is_closed else str(Stage(job.stage).label),
        moves=[] if job.is_closed else [(stage.value, str(stage.label)) for stage in STEPS if stage != job.stage],
        onward=[link for link in others.values() if link.once_closed],
        to={name: link.href for name, link in others.items()},
    )


def _stage_of(view: str, others: Mapping[str, Link]) -> str:
    """The stage whose page a view is: named here or by its app, else that of the app that has one stage's page."""
    named: dict[str, str] = {
        **BELONGS,
        **{resolve(link.href).view_name: link.stage or key for key, link in others.items()},
    }
    if view in named:
        return named[view]
    app = view.partition(":")[0]
    stages = [stage for stage in STEPS if stage in others and resolve(others[stage].href).namespace == app]
    return stages[0] if len(stages) == 1 else ""
