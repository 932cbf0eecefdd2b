"""The card of a model: what the shop knows of it out of its earlier jobs, and what other apps keep by model."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from chargepath.base.sentences import inside
from chargepath.knowledge.traits import built
from chargepath.repair.figures import planned_minutes
from rainfront.jobs.adapters import device_of
from rainfront.jobs.extensions import Panel, cards_of
from rainfront.jobs.models import Job
from rainfront.stock.adapters import shelf
from rainfront.web.words import counted, money
from rainfront.workshop.adapters import Shop


@dataclass(frozen=True)
class ModelCard:
    """Everything on a model's page."""

    name: str
    about: str
    traits: Sequence[tuple[str, bool]]
    jobs: Sequence[Job]
    count: str
    found: Sequence[tuple[str, str]]
    minutes: Sequence[tuple[str, str]]
    parts: Sequence[tuple[str, str, str]]
    panels: Sequence[Panel]


def model_card(name: str, shop: Shop, now: datetime) -> ModelCard | None:
    """The card of a model, None where the shop never had one."""
    rows = list(Job.objects.of_model(name)[:200])
    if not rows:
        return None
    newest = rows[0]
    known = shop.known_for(newest.model_name).worded(newest.carrier)
    said = next((row for row in rows if row.traits), newest)
    holds = built(known.traits, newest.kind, said.traits)
    faults = Counter(fault for row in rows for fault in row.outcome_faults if fault in known.faults)
    device = device_of(newest)
    minutes = shop.minutes_for(device, newest.model_name)
    planned = planned_minutes(known, device)
    there = shelf(newest.kind, newest.model_name, newest.connector)
    return ModelCard(
        name=newest.model_name,
        about=f"{newest.get_kind_display()}, {newest.get_connector_display()}, port on "
        f"{inside(newest.get_carrier_display())}{', coil' if newest.wireless else ''}",
        traits=[(known.traits[trait].label, trait in said.traits) for trait in holds],
        jobs=rows[:8],
        count=counted(len(rows), "job"),
        found=[(known.faults[fault].label, counted(n, "time")) for fault, n in faults.most_common(6)],
        minutes=[
            (_label(known, key), f"{minutes[key]:.0f} min") for key in planned if key in minutes and minutes[key] >= 1
        ],
        parts=[
            (known.routes[route].part_called, money(part.price, shop.region, cents=True), _held(there.get(route)))
            for route, part in shop.parts_for(newest.kind, newest.model_name).items()
        ],
        panels=cards_of(newest, shop, now),
    )


def _held(count: int | None) -> str:
    return "not kept" if count is None else f"{count} here"


def _label(known: Any, key: str) -> str:
    what, _, name = key.partition(":")
    return f"Open: {known.access[name].label}" if what == "open" else known.routes[name].label
