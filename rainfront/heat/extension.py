"""What the heat desk adds to a job's pages."""

from __future__ import annotations

from collections.abc import Sequence
from urllib.parse import urlencode

from django.urls import reverse

from chargepath.knowledge import Knowledge
from chargepath.knowledge.procedures import WorkStep
from chargepath.repair.workplan import Plan
from rainfront.heat.presenters import setting_query
from rainfront.jobs.extensions import Extension, Panel
from rainfront.jobs.models import Job
from rainfront.workshop.adapters import Shop

AIR = ("air_c", "below_c", "iron_c")
LEADED = frozenset({"above_off", "below_off", "plate_off", "drop_in"})
LOW_MELT = frozenset({"low_melt_off"})
SOLDERS = frozenset({"solder", "pins", "seat", "seat_port"})


class Heat(Extension):
    """From a step with a heat setting to the desk, with the step's values filled in."""

    def step_panels(self, job: Job, step: WorkStep, plan: Plan, shop: Shop) -> Sequence[Panel]:
        """The way to the desk, at steps that heat solder."""
        acts = set(step.acts)
        if not any(name in step.settings for name in AIR) or not acts & (SOLDERS | {"hot_air"}):
            return ()
        query = setting_query(step.settings, target_for(job, shop.known))
        if step.id in LEADED | LOW_MELT or acts & {"solder", "pins"}:
            query["alloy"] = "sn63pb37"
        if step.id in LOW_MELT:
            query["low_melt"] = "50"
        if step.id == "plate_off":
            query["plate_c"] = "150"
        if plan.in_frame:
            query["in_frame"] = "on"
        return [Panel("heat/_step.html", {"href": f"{reverse('heat:desk')}?{urlencode(query)}"})]


def target_for(job: Job, known: Knowledge) -> str:
    """What is heated on a job: by the repair that is open, a trait, else the carrier."""
    open_repair = next((row.route for row in job.repairs.all() if row.is_open), "")
    targets = list(known.heat.targets.values())
    for target in targets:
        if open_repair and open_repair in target.route:
            return target.id
    for target in targets:
        if target.trait and target.trait in job.traits:
            return target.id
    return next((target.id for target in targets if job.carrier in target.carrier), targets[0].id)
