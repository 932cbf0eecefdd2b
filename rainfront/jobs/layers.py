"""The device of a job in layers, as it lies on the bench now: for its pages, drawn once and in the same way."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass

from chargepath.hazards.standing import Danger
from chargepath.repair.layers import said_of, view_of
from chargepath.repair.workplan import words_of
from rainfront.jobs.adapters import device_of
from rainfront.jobs.extensions import facts_of
from rainfront.jobs.models import Job
from rainfront.web.scenes import layers
from rainfront.web.scenes.layers import LayersScene
from rainfront.workshop.adapters import Shop
from rainfront.workshop.ownphotos import StepPlace


@dataclass(frozen=True)
class LayersDrawing:
    """The drawing with what stands below it: where the hands work ('' where nobody does), and what the drawing says."""

    scene: LayersScene
    place: str
    says: str


def facts_now(job: Job, shop: Shop, reached: str) -> frozenset[str]:
    """What is so of a device now: by the steps that were ticked off, else as it is where it was opened that far."""
    found = facts_of(job, shop)
    if found is not None:
        return found
    return shop.known.procedures.begins(reached, words_of(shop.known, device_of(job)))


def drawn(
    job: Job, shop: Shop, facts: Collection[str], at: str = "", route: str = "", *, own: StepPlace | None = None
) -> LayersDrawing:
    """Draw a device while these facts are so, with the place of a step lit: where the shop has marked it, if it has."""
    view = view_of(shop.known, device_of(job), facts, at, route)
    said = said_of(view, shop.known.procedures.facts)
    spot = own.spot if own else None
    label = own.says if own and spot else view.place.label if view.place else ""
    return LayersDrawing(scene=layers.draw(job.kind, view, said, spot), place=label, says="; ".join(said))


def drawn_now(job: Job, shop: Shop, reached: str, dangers: Iterable[Danger] = ()) -> LayersDrawing:
    """Draw a device as it lies now, with the place of the first danger lit where one stands."""
    first = next((danger.hazard.id for danger in dangers), "")
    return drawn(job, shop, facts_now(job, shop, reached), shop.known.layers.dangers.get(first, ""))
