"""What the cell desk adds to a job's pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db.models import Exists, OuterRef
from django.urls import reverse

from chargepath.knowledge import Check
from chargepath.knowledge.procedures import WorkStep
from chargepath.repair.workplan import Plan
from rainfront.cell.models import CellRun
from rainfront.jobs.extensions import Extension, Link, Panel
from rainfront.jobs.models import Job
from rainfront.workshop.adapters import Shop

LOOK, STEPS = "battery_volts", frozenset({"recover_set", "recover_wait"})


class CellDesk(Extension):
    """The desk beside the volts at the cell, and a cell that the supply feeds now."""

    def annotations(self) -> Mapping[str, Any]:
        """Whether a cell of the job is on the supply, or was left on it."""
        return {"cell_live": Exists(CellRun.objects.live().filter(job=OuterRef("pk")))}

    def panels(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """A cell that is being charged, or that may still be."""
        if not getattr(job, "cell_live", False):
            return ()
        return [Panel("cell/_running.html", {"run": run}) for run in CellRun.objects.live().filter(job=job.pk)]

    def tools(self, job: Job, check: Check, shop: Shop) -> Sequence[Link]:
        """From the volts at the cell to what it may be given."""
        return (Link("Cell desk", reverse("cell:desk", args=[job.pk])),) if check.id == LOOK else ()

    def step_panels(self, job: Job, step: WorkStep, plan: Plan, shop: Shop) -> Sequence[Panel]:
        """The desk at the steps that charge a flat cell."""
        if step.id not in STEPS:
            return ()
        return [Panel("cell/_step.html", {"href": reverse("cell:desk", args=[job.pk])})]
