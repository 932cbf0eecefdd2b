"""The Brinholm Quay demo, played through the program's own actions."""

from __future__ import annotations

import json
import tomllib
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
from django.db import transaction

from chargepath.case.entries import CheckEvent, HazardEvent, PathEvent, RepairEvent
from chargepath.case.file import parse
from chargepath.case.quickline import parse_line
from chargepath.proving.sealing import Decay
from chargepath.standin.device import Device, play
from chargepath.trace.table import look
from rainfront.counter import actions as counter
from rainfront.counter.presenters import suggested
from rainfront.demo import inside
from rainfront.demo.inside import KNOWN
from rainfront.demo.proofs import prove_whole
from rainfront.instruments.actions import keep_draft, store_draft, use_record
from rainfront.jobs import actions
from rainfront.jobs.actions import screws
from rainfront.jobs.adapters import device_of
from rainfront.jobs.models import Job, Repair
from rainfront.jobs.planning import before_test, plan_of
from rainfront.people.models import User, Workshop
from rainfront.practice.adapters import Practice
from rainfront.stock import actions as stock

SCENARIO = Path(__file__).parent / "brinholm_quay.toml"
HISTORY = Path(__file__).parent / "history.json"
PASSWORD = "rainfront"  # noqa: S105  (shown on the demo's sign-in page)


def load_demo(*, now: datetime) -> int:
    """Load the scenario into an empty installation; a second call changes nothing.

    Returns
    -------
    int
        How many jobs were made.

    """
    scenario = tomllib.loads(SCENARIO.read_text(encoding="utf-8"))
    if Job.objects.exists():
        return 0
    with transaction.atomic():
        Workshop.objects.update_or_create(
            pk=Workshop.current().pk,
            defaults={**scenario["workshop"], "hourly_rate": Decimal(scenario["workshop"]["hourly_rate"])},
        )
        people = [_person(raw) for raw in scenario["person"]]
        lead = next(person for person in people if person.role == User.Role.LEAD)
        inside.load_references(scenario, lead, now)
        begun = now - timedelta(days=20)
        for raw in scenario["shelf"]:
            stock.take_in(KNOWN, raw["route"], raw["fits"], raw["count"], Decimal(raw["price"]), user=lead, now=begun)
        for index, raw in enumerate(scenario["job"]):
            _play(raw, people[index % 2], now - timedelta(hours=raw["hours_ago"]), now)
        _history(people, now)
        actions.learn_again(user=lead, now=now)
    return len(scenario["job"])


def _history(people: list[User], now: datetime) -> None:
    """Jobs closed over the last year, as case files; `scripts/demo_history.py` writes them."""
    practice = Practice.current()
    for index, raw in enumerate(json.loads(HISTORY.read_text(encoding="utf-8"))):
        actions.import_case(
            parse(json.dumps(raw["case"]), KNOWN),
            model_name=raw["model"],
            customer="",
            source="last year's book",
            user=people[index % 2],
            now=now - timedelta(days=raw["days_ago"]),
            practice=practice,
            teach=False,
        )


def _person(raw: dict[str, str]) -> User:
    user, made = User.objects.get_or_create(
        username=raw["username"], defaults={"initials": raw["initials"], "role": raw["role"]}
    )
    if made:
        user.set_password(PASSWORD)
        user.save()
    return user


def _play(raw: dict[str, Any], user: User, at: datetime, now: datetime) -> None:
    """One job through its actions, a few minutes apart."""
    words = raw["device"].split()
    details = {
        "model_name": raw["model_name"],
        "customer": raw["customer"],
        "kind": words[0],
        "connector": words[1],
        "carrier": words[2],
        "wireless": "wireless" in words,
        "traits": raw.get("traits", []),
        "value": Decimal(raw["value"]),
        "limit": Decimal(raw["limit"]) if "limit" in raw else None,
        "complaint": raw["complaint"],
        "history": raw.get("history", []),
        "battery_percent": raw.get("battery_percent"),
        "backup": raw["backup"],
        "serial": raw.get("serial", ""),
    }
    job = actions.take_in(details, user=user, now=at)
    for line in raw["lines"]:
        at += timedelta(minutes=_minutes(job, line))
        actions.record_line(job, line, user=user, now=at)
    at += timedelta(minutes=3)
    for record in raw.get("records", ()):
        _record(job, record, user, at)
    inside.play_inside(job, raw, user, at)
    if "stage" in raw:
        actions.move_stage(job, raw["stage"], user=user, now=at)
    if "choose" in raw:
        _repair(job, raw, user, at, now)
    for record in raw.get("after", ()):
        _record(job, record, user, at + timedelta(minutes=31))
    for when, start, end in raw.get("seal", ()):
        decay = Decay(start, end, KNOWN.proof.seal_seconds)
        actions.record_seal(job, when, decay, user=user, now=at + timedelta(minutes=29))
    if "read" in raw:
        actions.record_proof(job, raw["read"], user=user, now=at + timedelta(minutes=30))
    if "proof" in raw:
        prove_whole(job, user, at + timedelta(minutes=30), **raw["proof"])
    if "close" in raw:
        actions.close_job(job, raw["close"], raw["note"], user=user, now=at + timedelta(minutes=55))
    if "bill" in raw:
        _counter(job, raw, user, at + timedelta(minutes=60))
    if "refer" in raw:
        actions.refer_job(job, raw["refer"], raw["note"], user=user, now=at + timedelta(minutes=5))


def _counter(job: Job, raw: dict[str, Any], user: User, at: datetime) -> None:
    """What a customer was charged, paid, and fetched."""
    page = suggested(Job.objects.with_people().get(pk=job.pk), Practice.current(), None)
    values = {"charged": Decimal(raw["bill"]["charged"]), "noted": raw["bill"]["noted"], "avoid": page["avoid"]}
    counter.set_contact(job, *raw["contact"], user=user, now=at)
    counter.set_bill(job, values, user=user, now=at)
    counter.pay(job, values["charged"], raw["bill"]["paid"], user=user, now=at)
    counter.tell_ready(job, "here", user=user, now=at)
    counter.hand_over(job, user=user, now=at)


def _minutes(job: Job, line: str) -> float:
    """How long a line's act takes, as it ships: a scenario's people keep the usual pace."""
    event = parse_line(line, KNOWN, device_of(job))
    if isinstance(event, CheckEvent):
        check = KNOWN.checks[event.check]
        return check.minutes + check.wait_minutes
    if isinstance(event, HazardEvent | PathEvent):
        return 1.0
    route = KNOWN.routes[event.route]
    return route.minutes if isinstance(event, RepairEvent) else route.try_minutes or 0.0


def _record(job: Job, raw: dict[str, Any], user: User, at: datetime) -> None:
    """A record of a simulated device on the stand-in meter, handed in as a file."""
    device = Device(raw["fault"], percent=float(raw["percent"]), seed=raw.get("seed", 1))
    acts = [(float(when), {str(name): value}) for when, name, value in raw.get("acts", ())]
    rng = np.random.default_rng(7)
    lines = ["seconds,volts,amps"]
    for seconds, volts, amps in play(device, 10.0, acts, raw["seconds"]):
        noisy = max(amps + rng.normal(0, 0.003), 0.0) if amps else 0.0
        lines.append(f"{seconds:.1f},{volts + rng.normal(0, 0.004):.3f},{noisy:.3f}")
    text = "\n".join(lines)
    draft = keep_draft(job, text.encode(), f"{raw['name']}.csv", "file", user=user, now=at)
    record = store_draft(draft, look(text), {"name": raw["name"], "percent": float(raw["percent"])}, user=user, now=at)
    if "check" in raw:
        use_record(record, raw["check"], user=user, now=at)


def _repair(job: Job, raw: dict[str, Any], user: User, at: datetime, now: datetime) -> Repair:
    repair = actions.choose_route(job, raw["choose"], raw.get("reason", ""), user=user, now=at)
    for slot, option in raw.get("picks", {}).items():
        repair = actions.pick_option(repair, slot, option, user=user, now=at)
    plan = plan_of(repair, repair.job, Practice.current())
    steps, spent = before_test(plan), 0.0
    ids = [row.step.id for row in steps]
    for row in steps[: ids.index(raw["until"]) if "until" in raw else raw.get("ticks", len(steps))]:
        spent += row.step.minutes + row.step.wait
        actions.do_step(repair, row.step.id, user=user, now=at + timedelta(minutes=spent))
    if "timer" in raw:
        actions.start_timer(repair, raw["until"], user=user, now=now - timedelta(minutes=raw["timer"]))
    for x, y, length, out in raw.get("screws", ()):
        screw = screws.add_screw(job, x, y, user=user, now=at)
        screws.describe_screw(job, screw.number, length, "cross", user=user, now=at)
        if out:
            screws.move_screw(job, screw.number, "out", user=user, now=at + timedelta(minutes=screw.number))
    if "used" in raw:
        minutes = max(spent, KNOWN.routes[raw["choose"]].minutes)
        repair = actions.finish_repair(repair, raw["used"], user=user, now=at + timedelta(minutes=minutes))
    return repair
