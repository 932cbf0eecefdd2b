"""How other apps show themselves on a job: each registers an `Extension` when it starts.

Jobs know none of them by name.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from chargepath.case.quickline import Completion
from chargepath.decision.queue import Wait
from chargepath.knowledge import Check
from chargepath.knowledge.procedures import WorkStep
from chargepath.knowledge.proofs import ProofItem
from chargepath.repair.workplan import Plan
from rainfront.jobs.models import Entry, Job
from rainfront.workshop.adapters import Shop


@dataclass(frozen=True)
class Link:
    """Where a person can go on: an address with its label, and how it is read out where the label is short.

    `once_closed` is what a closed job leads on with, '' for nothing. `stage` is the stage whose page this one counts
    as, where it is not the page of a stage itself.
    """

    label: str
    href: str
    spoken: str = ""
    once_closed: str = ""
    stage: str = ""


@dataclass(frozen=True)
class Panel:
    """Something that stands above the bench: a template of the app, and what it shows.

    `below`: it comes after what a person has to fill in.
    """

    template: str
    context: Any = field(default_factory=dict)
    below: bool = False


@dataclass(frozen=True)
class Attachment:
    """Something that hangs on a log line: a link with a small picture."""

    label: str
    href: str
    picture: str


@dataclass(frozen=True)
class Also:
    """Other work that was agreed on a job's device, with its hands-on time [min]."""

    label: str
    minutes: float


class Extension:
    """What an app adds to a job's pages; everything may be left out."""

    def lookups(self, job: Job) -> Sequence[Any]:
        """What a page of this job has to prefetch for this app; nothing where an annotation says that there is none."""
        return ()

    def annotations(self) -> Mapping[str, Any]:
        """Expressions that a job is fetched with for this app, by attribute."""
        return {}

    def list_annotations(self) -> Mapping[str, Any]:
        """Expressions that the jobs of a list are fetched with."""
        return {}

    def wait(self, job: Job, shop: Shop, now: datetime) -> Wait | None:
        """What a job of a list waits for, as far as this app knows."""
        return None

    def further(self, text: str) -> Link | None:
        """Where somebody who looks for a text among the open jobs can look further."""
        return None

    def texts(self, job: Job) -> Sequence[str]:
        """What people wrote on a job in this app, for finding it again."""
        return ()

    def pages(self, job: Job) -> Mapping[str, Link]:
        """Pages of the job that this app has, by the stage of the work whose page it is, or by what is done there."""
        return {}

    def facts(self, job: Job, shop: Shop) -> frozenset[str] | None:
        """What is so of the device now, as facts of a plan of work; None where this app does not know."""
        return None

    def closing(self, job: Job, shop: Shop) -> str:
        """What is left to close up on a device that charges again, in words; '' for nothing."""
        return ""

    def shown(self, job: Job, shop: Shop) -> Mapping[str, str]:
        """Marks by station that this app has found since the newest repair; they take the place of earlier ones."""
        return {}

    def panels(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """What stands above the bench now."""
        return ()

    def card(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """What this app keeps of the model of a job, for the model's card."""
        return ()

    def attachments(self, job: Job) -> Mapping[int, Sequence[Attachment]]:
        """What hangs on log lines, by the entry's key."""
        return {}

    def entry_links(self, job: Job, entry: Entry) -> Sequence[Link]:
        """What can be added to a log line."""
        return ()

    def step_panels(self, job: Job, step: WorkStep, plan: Plan, shop: Shop) -> Sequence[Panel]:
        """What this app offers at a step of a plan; shown below it."""
        return ()

    def proof_panels(self, job: Job, item: ProofItem, shop: Shop) -> Sequence[Panel]:
        """What this app adds to the proof while an item is read."""
        return ()

    def proof_values(self, job: Job, item: ProofItem, shop: Shop) -> Mapping[str, float]:
        """Values of an item that this app has measured meanwhile; what a person types stands before them."""
        return {}

    def proof_decided(self, job: Job, hand: Mapping[str, Any]) -> None:
        """What this app ends once a proof is decided; `hand` is who, when, by whose numbers."""

    def before_and_after(self, job: Job) -> Sequence[Panel]:
        """What shows a job as it came and as it goes, for its record and the customer's report."""
        return ()

    def quoted(self, job: Job, shop: Shop) -> Sequence[str]:
        """Sentences that this app adds to a quote."""
        return ()

    def also(self, job: Job) -> Sequence[Also]:
        """Other work on the device that this app knows was agreed and is not done yet."""
        return ()

    def probe_panels(self, job: Job, map_id: str, place: str, shop: Shop) -> Sequence[Panel]:
        """What stands beside the pins of a set of probe points while they are probed; the ladder's place is ''."""
        return ()

    def under(self, job: Job, shop: Shop) -> Mapping[str, str]:
        """What lies over the place where a repair works, in a sentence, by route."""
        return {}

    def tools(self, job: Job, check: Check, shop: Shop) -> Sequence[Link]:
        """Pages of this app that a check can be measured on."""
        return ()

    def read_now(self, check: Check, word: str) -> Sequence[Completion]:
        """Ways to go on from a line that names a check by a word: with what this app reads at this moment."""
        return ()


_registered: list[Extension] = []


def register(extension: Extension) -> None:
    """Add an app's extension, once a process."""
    if not any(type(found) is type(extension) for found in _registered):
        _registered.append(extension)


def registered() -> Sequence[Extension]:
    """Every extension, in the order of the apps."""
    return tuple(_registered)


def read_now_of(check: Check, word: str) -> list[Completion]:
    """Ways to go on from a line that names a check, with what is read at this moment."""
    return [row for extension in _registered for row in extension.read_now(check, word)]


def quoted_of(job: Job, shop: Shop) -> list[str]:
    """Sentences that other apps add to a quote."""
    return [words for extension in _registered for words in extension.quoted(job, shop)]


def pages_of(job: Job) -> dict[str, Link]:
    """Pages that other apps have of a job."""
    return {stage: link for extension in _registered for stage, link in extension.pages(job).items()}


def further_of(text: str) -> list[Link]:
    """Where a search among the open jobs can go on."""
    return [link for extension in _registered if (link := extension.further(text)) is not None]


def texts_of(job: Job) -> list[str]:
    """What people wrote on a job in other apps."""
    return [text for extension in _registered for text in extension.texts(job)]


def facts_of(job: Job, shop: Shop) -> frozenset[str] | None:
    """What is so of a job's device now, as facts of a plan of work; None where no app knows."""
    found = (extension.facts(job, shop) for extension in _registered)
    return next((facts for facts in found if facts is not None), None)


def closing_of(job: Job, shop: Shop) -> str:
    """What is left to close up on a device that charges again."""
    return next((words for extension in _registered if (words := extension.closing(job, shop))), "")


def shown_of(job: Job, shop: Shop) -> dict[str, str]:
    """Marks by station that other apps have found since the newest repair."""
    return {station: mark for extension in _registered for station, mark in extension.shown(job, shop).items()}


def panels_of(job: Job, shop: Shop, now: datetime) -> list[Panel]:
    """What other apps show above the bench."""
    return [panel for extension in _registered for panel in extension.panels(job, shop, now)]


def step_panels_of(job: Job, step: WorkStep, plan: Plan, shop: Shop) -> list[Panel]:
    """What other apps offer at a step."""
    return [panel for extension in _registered for panel in extension.step_panels(job, step, plan, shop)]


def proof_panels_of(job: Job, item: ProofItem, shop: Shop) -> list[Panel]:
    """What other apps add to the proof."""
    return [panel for extension in _registered for panel in extension.proof_panels(job, item, shop)]


def proof_values_of(job: Job, item: ProofItem, shop: Shop) -> dict[str, float]:
    """What other apps have measured of an item meanwhile."""
    return {name: value for extension in _registered for name, value in extension.proof_values(job, item, shop).items()}


def tell_decided(job: Job, hand: Mapping[str, Any]) -> None:
    """Say that a proof is decided."""
    for extension in _registered:
        extension.proof_decided(job, hand)


def before_and_after(job: Job) -> list[Panel]:
    """What shows a job as it came and as it goes."""
    return [panel for extension in _registered for panel in extension.before_and_after(job)]


def cards_of(job: Job, shop: Shop, now: datetime) -> list[Panel]:
    """What other apps keep of the model of a job."""
    return [panel for extension in _registered for panel in extension.card(job, shop, now)]


def waits_of(job: Job, shop: Shop, now: datetime) -> list[Wait]:
    """What a job of a list waits for, as far as other apps know."""
    return [wait for extension in _registered if (wait := extension.wait(job, shop, now)) is not None]


def attachments_of(job: Job) -> dict[int, list[Attachment]]:
    """What other apps hang on log lines."""
    out: dict[int, list[Attachment]] = {}
    for extension in _registered:
        for entry, found in extension.attachments(job).items():
            out.setdefault(entry, []).extend(found)
    return out


def entry_links_of(job: Job, entry: Entry) -> list[Link]:
    """What other apps can add to a log line."""
    return [link for extension in _registered for link in extension.entry_links(job, entry)]


def also_of(job: Job) -> list[Also]:
    """Other work on the device that was agreed and is not done yet."""
    return [row for extension in _registered for row in extension.also(job)]


def probe_panels_of(job: Job, map_id: str, place: str, shop: Shop) -> list[Panel]:
    """What other apps show beside a set of probe points."""
    return [panel for extension in _registered for panel in extension.probe_panels(job, map_id, place, shop)]


def under_of(job: Job, shop: Shop) -> dict[str, str]:
    """What lies over the places where repairs work, by route."""
    return {route: words for extension in _registered for route, words in extension.under(job, shop).items()}


def tools_of(job: Job, check: Check, shop: Shop) -> list[Link]:
    """Where a check can be measured."""
    return [link for extension in _registered for link in extension.tools(job, check, shop)]
