"""The steps of a repair that is being done."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.knowledge import Knowledge, Route
from chargepath.knowledge.wording import Caution
from rainfront.jobs.models import Repair


@dataclass(frozen=True)
class StepRow:
    """One step with the caution that belongs to it."""

    index: int
    text: str
    caution: Caution | None
    done: bool


@dataclass(frozen=True)
class StepsPage:
    """Everything on the page of a repair's steps."""

    route: Route
    steps: list[StepRow]

    @property
    def current(self) -> int | None:
        """The first step that is not done, None where all are."""
        return next((step.index for step in self.steps if not step.done), None)

    @property
    def ready(self) -> bool:
        """Whether every step is done."""
        return self.current is None


def steps_page(repair: Repair, known: Knowledge) -> StepsPage:
    """The steps of an open repair."""
    route = known.routes[repair.route]
    rows = [
        StepRow(index, step.text, known.cautions.get(step.caution), index in repair.steps_done)
        for index, step in enumerate(route.steps)
    ]
    return StepsPage(route, rows)
