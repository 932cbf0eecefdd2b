"""The steps of a repair that is being done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.knowledge import Knowledge, Route
from chargepath.knowledge.wording import Caution
from rainfront.jobs.models import Entry, Repair
from rainfront.jobs.presenters.card import Answer, answers_of
from rainfront.jobs.presenters.words import entry_words


@dataclass(frozen=True)
class StepRow:
    """One step with the caution that belongs to it."""

    index: int
    text: str
    caution: Caution | None
    done: bool
    answers: Sequence[Answer] = ()
    said: str = ""


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


def steps_page(repair: Repair, evidence: Sequence[Entry], known: Knowledge) -> StepsPage:
    """The steps of an open repair; one that makes a check has its answers, or what was entered since it was chosen."""
    route = known.routes[repair.route]
    since = {entry.name: entry for entry in evidence if entry.at >= repair.chosen_at}
    rows = []
    for index, step in enumerate(route.steps):
        check, found = known.checks.get(step.check), since.get(step.check)
        rows.append(
            StepRow(
                index,
                step.text,
                known.cautions.get(step.caution),
                index in repair.steps_done,
                answers_of(check) if check else (),
                entry_words(found, None, known).text if found else "",
            )
        )
    return StepsPage(route, rows)
