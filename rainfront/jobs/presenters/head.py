"""The head of a job's pages: the stages of the work are its pages; where the job stands is a mark on them."""

from __future__ import annotations

from dataclasses import dataclass

from django.urls import resolve, reverse

from rainfront.jobs.extensions import Link, pages_of
from rainfront.jobs.models import Job, Stage

STEPS = [stage for stage in Stage if stage != Stage.CLOSED]
# The job's own pages by stage, and the other views that belong to each.
OWN = {
    Stage.TAKE_IN: "jobs:details",
    Stage.OPEN: "jobs:screws",
    Stage.DECIDE: "jobs:decide",
    Stage.REPAIR: "jobs:repair",
    Stage.PROVE: "jobs:prove",
}
BELONGS = {
    "jobs:seal": Stage.OPEN,
    "jobs:choose": Stage.DECIDE,
    "jobs:quote": Stage.DECIDE,
    "jobs:why": Stage.DECIDE,
    "jobs:refer": Stage.HAND_OVER,
    "jobs:close": Stage.HAND_OVER,
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
    """The pages, what a job stands at, and what a closed one leads on with."""

    pages: list[PageRow]
    here: str
    stands: str
    moves: list[tuple[str, str]]
    onward: list[Link]


def head_of(job: Job, view: str) -> Head:
    """The head of a job on one of its pages.

    Parameters
    ----------
    job : Job
    view : str
        Name of the view that is shown, with its app.

    """
    others, app = pages_of(job), view.partition(":")[0]
    rows = [PageRow("", "Bench", job.get_absolute_url(), view == "jobs:bench", stands=False)]
    for stage in STEPS:
        other = others.get(stage)
        if other is None:
            href, here = reverse(OWN[stage], args=[job.pk]), BELONGS.get(view) == stage
        else:
            href, here = other.href, BELONGS.get(view) == stage or resolve(other.href).namespace == app
        rows.append(PageRow(stage.value, str(stage.label), href, here, stage == job.stage))
    return Head(
        pages=rows,
        here=next((row.label for row in rows if row.here), "Pages"),
        stands="" if job.is_closed else str(Stage(job.stage).label),
        moves=[] if job.is_closed else [(stage.value, str(stage.label)) for stage in STEPS if stage != job.stage],
        onward=[link for link in others.values() if link.once_closed],
    )
