"""The plan of work of a job: one service, so that the page that offers a repair, its steps and its figures agree."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

from chargepath.case.entries import Device
from chargepath.knowledge.procedures import WorkStep
from chargepath.knowledge.routes import NO_REPAIR
from chargepath.repair.ownsteps import beside_dangers, with_own
from chargepath.repair.spare import sparing
from chargepath.repair.workplan import Plan, PlannedStep, make_plan
from rainfront.jobs.adapters import device_of
from rainfront.jobs.judging import JobJudgement
from rainfront.jobs.models import Job, Repair
from rainfront.workshop.adapters import Shop

TEST = "test"
OPENING, READY, CLOSE = "open", "ready", "close"


def plan_for(
    device: Device,
    route: str,
    shop: Shop,
    reached: str = "outside",
    picks: Mapping[str, str] | None = None,
    dangers: Iterable[str] = (),
    *,
    model_name: str = "",
    begun: datetime | None = None,
) -> Plan:
    """The plan of a route: as the shop works, but for what was picked for this job, and for the dangers that stand.

    The shop's own steps for the model come into it, as they were in force when the repair was begun; None: now.
    """
    dangers = tuple(dangers)
    plan = make_plan(shop.known, device, route, reached, {**shop.picks, **(picks or {})}, dangers)
    own = shop.own_steps(device.kind, model_name, begun)
    return with_own(plan, beside_dangers(own) if dangers else own)


def picks_for(judged: JobJudgement, job: Job, route: str, shop: Shop) -> dict[str, str]:
    """What is picked for a repair as it is chosen: where it takes the last part here, ways that spare the part."""
    core = judged.core
    if judged.shelf.get(route) != 1:
        return {}
    dangers = [danger.hazard.id for danger in core.dangers]
    plan = plan_for(device_of(job), route, shop, core.belief.access, dangers=dangers, model_name=job.model_name)
    row = shop.known.routes[route]
    loss = core.prices.part(row) + row.days * core.prices.day
    return sparing(shop.known.procedures, plan, loss)


def plan_of(repair: Repair, job: Job, shop: Shop) -> Plan:
    """The plan of a repair that was chosen, from where the device was open then, for the dangers that stood then."""
    return plan_for(
        device_of(job),
        repair.route,
        shop,
        repair.reached,
        repair.picks,
        repair.dangers,
        model_name=job.model_name,
        begun=repair.chosen_at,
    )


def opening_steps(job: Job, reached: str, access: str, shop: Shop, dangers: Iterable[str] = ()) -> list[WorkStep]:
    """Steps that open a device as far as a check needs it, in order; empty where it is open that far already.

    They are the opening steps of the shortest plan that goes as deep. A repair that is chosen later does not repeat
    them: its plan begins where the device is open.
    """
    levels, device = list(shop.known.access), device_of(job)
    if levels.index(access) <= levels.index(reached):
        return []
    routes = [row for row in shop.known.routes.values() if row.id not in NO_REPAIR]
    deep = [row.id for row in routes if row.access_for(device.carrier) == access and row.fits(device.carrier)]
    plans = [plan_for(device, route, shop, reached, dangers=dangers, model_name=job.model_name) for route in deep]
    found = [[row.step for row in plan.steps if row.phase == OPENING] for plan in plans]
    return min((steps for steps in found if steps), key=len, default=[])


def closing_steps(job: Job, reached: str, shop: Shop) -> list[str]:
    """What closes a device up again that was opened this far and is not repaired, in order; empty where it was not.

    They come from the shortest plan that goes as deep, without its test: nothing is connected for it, so nothing is
    taken off after it.
    """
    device = device_of(job)
    routes = [row for row in shop.known.routes.values() if row.id not in NO_REPAIR]
    deep = [row.id for row in routes if row.access_for(device.carrier) == reached != next(iter(shop.known.access))]
    plans = [plan_for(device, route, shop, reached, model_name=job.model_name) for route in deep]
    found = [[row.step for row in plan.steps if row.phase in (READY, CLOSE) and not _for_test(row)] for plan in plans]
    return [step.untested or step.do for step in min((steps for steps in found if steps), key=len, default=[])]


def _for_test(row: PlannedStep) -> bool:
    made = {("cell_on", True)} if row.phase == READY else {("powered", False)}
    return bool(made & {*row.step.makes})


def before_test(plan: Plan) -> Sequence[PlannedStep]:
    """The steps up to the test, without it."""
    return plan.steps[: _test(plan)]


def after_test(plan: Plan) -> Sequence[PlannedStep]:
    """The steps once it was tested: what closes the device."""
    return plan.steps[_test(plan) + 1 :]


def _test(plan: Plan) -> int:
    return next(index for index, row in enumerate(plan.steps) if row.phase == TEST)
