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

# Steps at which a wire is soldered in place of a pad or a track.
WIRED = frozenset({"wire", "lost_wire"})


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
        """The board at the step that solders a wire: where it can land, and how long it is."""
        if step.id not in WIRED:
            return ()
        for board in boards_of(job):
            told = {**known_of(board, shop.known, job.pk), "works": True}
            return (Panel("board/_step.html", {"board": board, "told": told}),)
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
