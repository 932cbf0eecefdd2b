"""Figures of the plans of work for every repair on a device: minutes, waits, harm and come-backs, for the prices.

A plan depends on what the device is worth only where that makes another option the cheaper one; between two such values
its figures are the same, and are kept for all of them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from math import inf

from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge, Route
from chargepath.knowledge.traits import built
from chargepath.repair.workplan import OUT, Plan, make_plan

Picks = tuple[tuple[str, str], ...]


def standard_device(known: Knowledge, route: Route) -> Device:
    """The device for which the shipped minutes of a route hold: a USB Type-C phone with the carrier that it needs."""
    carrier = route.carriers[0] if route.carriers else "none"
    traits = tuple(route.traits)
    return Device("phone", "usb_c", carrier, value=known.costs.default_value["phone"], traits=traits)


@dataclass(frozen=True)
class PlanFigures:
    """Figures of the plans for every repair on one device.

    Attributes
    ----------
    minutes : mapping of key to float
        Hands-on minutes of every repair and of opening to each level, by the keys of prices [min]. Each is the number
        in force, that the shop may have set by hand, times this device's plan over the plan for the device that the
        number is said for. A board that stays in its frame is spared its way out and in, though its level is paid with
        the opening: that is taken off here.
    waits, harms, comebacks : mapping of route to float
        Minutes of waiting in the work itself; chance of damage and of a come-back that the choices add.

    """

    minutes: Mapping[str, float]
    waits: Mapping[str, float]
    harms: Mapping[str, float]
    comebacks: Mapping[str, float]


def plan_figures(known: Knowledge, device: Device | None, picks: Picks = ()) -> PlanFigures:
    """Figures of every repair that fits a device, with the choices `picks`; of the standard devices without one."""
    if device is None:
        return _standard(known, picks)
    kept, value = _kept(known, replace(device, value=0.0, known_good_a=None), picks), device.value
    found = next((row for low, high, row in kept if low < value < high), None)
    if found is None:
        found, plans = _figures(known, device, picks)
        spans = [choice.holds(value) for plan in plans for choice in plan.choices]
        low, high = max((row[0] for row in spans), default=-inf), min((row[1] for row in spans), default=inf)
        if low < value < high:
            kept.append((low, high, found))
    return found


@lru_cache(maxsize=64)
def _standard(known: Knowledge, picks: Picks) -> PlanFigures:
    return _figures(known, None, picks)[0]


@lru_cache(maxsize=256)
def _kept(known: Knowledge, device: Device, picks: Picks) -> list[tuple[float, float, PlanFigures]]:
    """Figures of a device by its build, each set with the range of device values for which it holds."""
    return []


def _figures(known: Knowledge, device: Device | None, picks: Picks) -> tuple[PlanFigures, tuple[Plan, ...]]:
    """Figures together with the plans that they were taken from."""
    minutes: dict[str, float] = {}
    plans: dict[str, Plan] = {}
    deep = _deepest(known, device) if device else None
    levels = _level_minutes(deep)
    for name in recipes_of(known):
        route = known.routes[name]
        usual = make_plan(known, standard_device(known, route), name)
        if device is None:
            plans[name] = usual
        elif route.fits(device.carrier, built(known.traits, device.kind, device.traits), wireless=device.wireless):
            plans[name] = make_plan(known, device, name, picks=dict(picks))
            here = plans[name].work_minutes - (levels.get(OUT, 0.0) if plans[name].in_frame else 0.0)
            share = here / usual.work_minutes if usual.work_minutes else 1.0
            minutes[f"route:{name}"] = route.minutes * share
    usual_deep = _deepest(known, replace(device, kind="phone", traits=())) if device else None
    if device:
        standard = _level_minutes(usual_deep)
        for name, level in known.access.items():
            if standard.get(name):
                minutes[f"open:{name}"] = level.open_minutes * levels.get(name, 0.0) / standard[name]
    figures = PlanFigures(
        minutes,
        {name: plan.work_wait for name, plan in plans.items()},
        {name: plan.harm for name, plan in plans.items()},
        {name: plan.comeback for name, plan in plans.items()},
    )
    return figures, tuple(plan for plan in (*plans.values(), deep, usual_deep) if plan is not None)


def planned_minutes(known: Knowledge, device: Device, picks: Picks = ()) -> Mapping[str, float]:
    """Hands-on minutes of every repair and of opening to each level on a device [min] (`PlanFigures`)."""
    return plan_figures(known, device, picks).minutes


def recipes_of(known: Knowledge) -> list[str]:
    """Routes that have a plan of work."""
    return [name for name in known.procedures.recipes if name in known.routes]


def _deepest(known: Knowledge, device: Device) -> Plan | None:
    """The plan of a route in which the main board comes out of its frame."""
    if not recipes_of(known):
        return None
    deepest = max(recipes_of(known), key=lambda name: known.access[known.routes[name].access].level)
    return make_plan(known, device, deepest, picks={"place": "out"})


def _level_minutes(plan: Plan | None) -> dict[str, float]:
    """Minutes of opening and closing each level in a plan [min]."""
    out: dict[str, float] = {}
    for row in plan.steps if plan else ():
        if row.level:
            out[row.level] = out.get(row.level, 0.0) + row.step.minutes
    return out
