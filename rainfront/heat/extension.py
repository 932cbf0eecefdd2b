"""What the heat desk adds to a job's pages."""

from __future__ import annotations

from collections.abc import Sequence
from urllib.parse import urlencode

from django.urls import reverse

from chargepath.knowledge.procedures import WorkStep
from chargepath.repair.stepheat import heat_of, target_of
from chargepath.repair.workplan import Plan
from rainfront.heat.presenters import desk_query
from rainfront.jobs.adapters import device_of
from rainfront.jobs.extensions import Extension, Panel
from rainfront.jobs.models import Job
from rainfront.workshop.adapters import Shop


class Heat(Extension):
    """From a step that heats solder to the desk, with all that the step sets filled in."""

    def step_panels(self, job: Job, step: WorkStep, plan: Plan, shop: Shop) -> Sequence[Panel]:
        """The way to the desk, at steps that heat solder."""
        target = target_of(shop.known, plan.route, device_of(job))
        heat = heat_of(shop.known, step, target, in_frame=plan.in_frame)
        if heat is None:
            return ()
        query = {**desk_query(heat), "job": job.pk, "step": step.id}
        return [Panel("heat/_step.html", {"href": f"{reverse('heat:desk')}?{urlencode(query)}"})]
