"""What the map of a board adds to a job's pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from django.urls import reverse

from chargepath.knowledge.procedures import WorkStep
from chargepath.repair.workplan import Plan
from rainfront.board.adapters import boards_of
from rainfront.board.models import BoardMap
from rainfront.board.presenters.look import known_of, pad_numbers
from rainfront.board.presenters.near import under_covers
from rainfront.jobs.extensions import Extension, Link, Panel
from rainfront.jobs.models import Job
from rainfront.web.scenes import board_piece
from rainfront.workshop.adapters import Shop

# The board stands beside a step that solders a wire in place of a pad or a track, and beside one that looks for the
# part: a heading, and what to press.
LANDS = ("Where the wire lands", "On the drawing: press the torn pad, then This pad is torn off.")
SHORTED = (
    "Which part it is",
    "On the drawing: press the line that is short, then Short on this line, then where it gets warm.",
)
SOUGHT = ("Where the parts are", "Type a part or a line; the arrow keys go along a line.")
BESIDE = {
    "wire": LANDS,
    "lost_wire": LANDS,
    "rail_find": SHORTED,
    "guard_find": SHORTED,
    "ring_find": SOUGHT,
    "sense_find": SOUGHT,
}


class Boards(Extension):
    """The board beside what is probed, what lies under a shield, and the maps of a model."""

    def probe_panels(self, job: Job, map_id: str, place: str, shop: Shop) -> Sequence[Panel]:
        """The board with the pads of a set of pins, where somebody has tied them."""
        for board in boards_of(job):
            pins = pad_numbers(board, map_id, place)
            if pins:
                told = known_of(board, shop.known, job.pk)
                piece = board_piece.draw(
                    board.layout, [n for pads in pins.values() for n in pads], f"Where the pins are on {board}"
                )
                return (Panel("board/_probe.html", {"board": board, "pins": pins, "told": told, "piece": piece}),)
        return ()

    def step_panels(self, job: Job, step: WorkStep, plan: Plan, shop: Shop) -> Sequence[Panel]:
        """The board at a step that solders a wire or looks for a part."""
        if step.id not in BESIDE:
            return ()
        heading, press = BESIDE[step.id]
        for board in boards_of(job):
            told = {**known_of(board, shop.known, job.pk), "works": True}
            return (Panel("board/_step.html", {"board": board, "told": told, "heading": heading, "press": press}),)
        return ()

    def under(self, job: Job, shop: Shop) -> Mapping[str, str]:
        """What lies over the parts that repairs work at, by route."""
        known = shop.known.worded(job.carrier)
        return {route: words for board in boards_of(job) for route, words in under_covers(board, known).items()}

    def pages(self, job: Job) -> Mapping[str, Link]:
        """The board's own page, by what is done there."""
        return {"board": Link("Board map", reverse("board:job", args=[job.pk]), stage="inside")}

    def card(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """Maps of the model."""
        found = BoardMap.objects.standing().filter(model_name__iexact=job.model_name)
        return (Panel("board/_card.html", {"boards": found, "model": job.model_name}),)
