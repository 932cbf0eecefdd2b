"""The plan of work of a job: one service, so that the page that offers a repair, its steps and its figures agree."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from chargepath.case.entries import Device
from chargepath.repair.workplan import Plan, PlannedStep, make_plan
from rainfront.jobs.adapters import device_of
from rainfront.jobs.models import Job, Repair
from rainfront.workshop.adapters import Shop

TEST = "test"


def plan_for(
    device: Device,
    route: str,
    shop: Shop,
    reached: str = "outside",
    picks: Mapping[str, str] | None = None,
    dangers: Iterable[str] = (),
) -> Plan:
    """The plan of a route: as the shop works, but for what was picked for this job, and for the dangers that stand."""
    return make_plan(shop.known, device, route, reached, {**shop.picks, **(picks or {})}, dangers)


def plan_of(repair: Repair, job: Job, shop: Shop) -> Plan:
    """The plan of a repair that was chosen, from where the device was open then, for the dangers that stood then."""
    return plan_for(device_of(job), repair.route, shop, repair.reached, repair.picks, repair.dangers)


def before_test(plan: Plan) -> Sequence[PlannedStep]:
    """The steps up to the test, without it."""
    return plan.steps[: _test(plan)]


def after_test(plan: Plan) -> Sequence[PlannedStep]:
    """The steps once it was tested: what closes the device."""
    return plan.steps[_test(plan) + 1 :]


def _test(plan: Plan) -> int:
    return next(index for index, row in enumerate(plan.steps) if row.phase == TEST)
