"""What a shop does otherwise again and again: offered as a step of its own once a repair is through."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import urlencode

from django.urls import reverse

from chargepath.base.sentences import clause
from chargepath.repair.guards import may_guard
from chargepath.repair.workplan import Plan
from rainfront.jobs.models import Job, Repair
from rainfront.work.models import StepRun
from rainfront.workshop.models import ShopStep

# From so many repairs of a model on in which a step was done otherwise.
ASKED_FROM = 2


@dataclass(frozen=True)
class Proposal:
    """A step that was done otherwise here and before: its words, what was noted now, how often, where to keep it."""

    label: str
    note: str
    times: int
    href: str


def proposals(repair: Repair, job: Job, plan: Plan) -> list[Proposal]:
    """Steps of a repair that were done otherwise in it and in others of the model, and that no own step covers yet.

    Steps that guard something are left out: what is noted there is why the guard was passed.
    """
    labels = {row.step.id: clause(row.step.do) for row in plan.steps if not may_guard(row.step)}
    noted = StepRun.objects.otherwise().filter(repair=repair, step__in=labels)
    out = []
    for run in noted:
        again = StepRun.objects.otherwise().of_model(run.step, job.model_name)
        times = again.values("repair").distinct().count()
        covered = ShopStep.objects.hung_on(run.step, job.model_name).exists()
        if times >= ASKED_FROM and not covered:
            asked = {"at": run.step, "model_name": job.model_name, "do": run.note, "goes": "instead"}
            there = f"{reverse('workshop:new_own_step')}?{urlencode(asked)}"
            out.append(Proposal(labels[run.step], run.note, times, there))
    return out
