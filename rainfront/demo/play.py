"""The Brinholm Quay demo, played through the program's own actions, kept as a shop's archive, and read from it."""

from __future__ import annotations

import tomllib
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

from django.contrib.auth.hashers import make_password
from django.db import connection

from chargepath.case.entries import CheckEvent, HazardEvent, MishapEvent, PathEvent, RepairEvent
from chargepath.case.quickline import parse_line
from chargepath.knowledge.routes import REFER
from chargepath.proving.sealing import Decay
from rainfront.counter import actions as counter
from rainfront.counter.billing import suggested
from rainfront.demo import inside
from rainfront.demo.boards import load_boards, play_board
from rainfront.demo.half_year import Player
from rainfront.demo.inside import KNOWN
from rainfront.demo.layouts import draw_open
from rainfront.demo.picture import draw_board
from rainfront.demo.proofs import prove_whole
from rainfront.demo.records import keep_record
from rainfront.exchange.reading import read_shop
from rainfront.heat import actions as heat
from rainfront.instruments.actions import start_waiting
from rainfront.jobs import actions
from rainfront.jobs.adapters import device_of
from rainfront.jobs.models import Job, Repair
from rainfront.jobs.planning import before_test, plan_of
from rainfront.learning import actions as learning_actions
from rainfront.people.models import User, Workshop
from rainfront.proof import actions as proof_actions
from rainfront.stock import actions as stock
from rainfront.stock.bench import enter_test, note_need
from rainfront.work import actions as work_actions
from rainfront.work.actions import photo as open_photo
from rainfront.work.actions import screws
from rainfront.workshop.adapters import Shop
from rainfront.workshop.ownphotos import add_mark, keep_photo, set_place
from rainfront.workshop.ownsteps import store_step

SCENARIO = Path(__file__).parent / "brinholm_quay.toml"
ARCHIVE = Path(__file__).parent / "brinholm_quay.zip"
# The moment that the archive was made for; what lies further back than `LATELY` is moved by whole days, so that people
# still worked by day.
MADE_FOR, LATELY = datetime(2026, 6, 1, 10, 0, tzinfo=UTC), timedelta(days=4)
PASSWORD = "rainfront"  # noqa: S105  (shown on the demo's sign-in page)


def load_demo(*, now: datetime) -> int:
    """Read the demo into an empty installation, as if it had been played until now; a second call changes nothing.

    Returns
    -------
    int
        How many jobs there are then.

    """
    if Job.objects.exists():
        return 0
    exact = now - MADE_FOR
    days = timedelta(days=round(exact / timedelta(days=1)))

    def moved(moment: datetime) -> datetime:
        return moment + (exact if moment > MADE_FOR - LATELY else days)

    counts = read_shop(ARCHIVE, moved)
    password = make_password(PASSWORD)
    User.objects.update(password=password)
    _stations(now)
    return counts["jobs.job"]


def _stations(now: datetime) -> None:
    """The hot-air stations of the bench, with what they have melted."""
    scenario, user = tomllib.loads(SCENARIO.read_text(encoding="utf-8")), User.objects.get(username="tech")
    for raw in scenario["station"]:
        station = heat.add_station(raw["name"], raw["note"], user=user, now=now - timedelta(days=40))
        for days, (target, alloy, set_c, seconds) in enumerate(raw["melts"]):
            melt = {"target": target, "alloy": alloy, "set_c": float(set_c), "seconds": float(seconds), **raw["held"]}
            heat.log_melt(station, melt, user=user, now=now - timedelta(days=38 - 3 * days))


def play_demo() -> int:
    """Play the half year and the jobs of today in an empty database; `make demo-shop` keeps it as the archive.

    Returns
    -------
    int
        How many jobs were made.

    """
    scenario, now = tomllib.loads(SCENARIO.read_text(encoding="utf-8")), MADE_FOR
    Workshop.objects.update_or_create(
        pk=Workshop.current().pk,
        defaults={
            **scenario["workshop"],
            **{name: Decimal(scenario["workshop"][name]) for name in ("hourly_rate", "price_level")},
            "prices_own": True,
        },
    )
    people = [_person(raw) for raw in scenario["person"]]
    lead = next(person for person in people if person.role == User.Role.LEAD)
    inside.load_references(scenario, lead, now)
    load_boards(scenario, lead, now - timedelta(days=12))
    Player(people[:2], lead, now).run()
    _number_from({"jobs_job": 400, "instruments_record": 100, "inside_sheet": 100, "inside_photo": 100})
    begun = now - timedelta(days=20)
    for raw in scenario["shelf"]:
        stock.take_in(KNOWN, raw["route"], raw["fits"], raw["count"], Decimal(raw["price"]), user=lead, now=begun)
    for raw in scenario["own_step"]:
        hand: dict[str, Any] = {"user": lead, "now": begun, "shop": Shop.current()}
        made = store_step(raw, **hand)
        if "photo" in raw:
            keep_photo(made, draw_board(raw["photo"]), **hand)
        for x, y, text in raw.get("marks", ()):
            add_mark(made, x, y, text, **hand)
        if "place" in raw:
            set_place(made, *raw["place"], **hand)
    _tend_bench(scenario, people[0], now)
    for index, raw in enumerate(scenario["job"]):
        _play(raw, people[index % 2], now - timedelta(hours=raw["hours_ago"]), now)
    learning_actions.count_examples(now=now)
    return Job.objects.count()


def _tend_bench(scenario: dict[str, Any], user: User, now: datetime) -> None:
    """Tests of the bench's own tools, and how much there is of what it uses up."""
    for raw in scenario["bench_test"]:
        at = now - timedelta(days=raw["days_ago"])
        told = {"typed": raw.get("reading", ""), "holds": raw.get("holds"), "note": raw.get("note", "")}
        enter_test(KNOWN, raw["test"], **told, user=user, now=at)
    for raw in scenario["bench_need"]:
        use_by = (now + timedelta(days=raw["good_days"])).date() if "good_days" in raw else None
        note_need(KNOWN, raw["name"], raw["state"], use_by, raw.get("note", ""), user=user, now=now - timedelta(days=1))


def _number_from(last: dict[str, int]) -> None:
    """Let today's jobs, and what hangs on them, bear the same numbers however many came before."""
    with connection.cursor() as cursor:
        for table, number in last.items():
            cursor.execute("UPDATE sqlite_sequence SET seq = %s WHERE name = %s AND seq < %s", [number, table, number])


def _person(raw: dict[str, str]) -> User:
    user, _ = User.objects.get_or_create(
        username=raw["username"], defaults={"initials": raw["initials"], "role": raw["role"]}
    )
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
        "wet_hours": raw.get("wet_hours"),
        "battery_percent": raw.get("battery_percent"),
        "backup": raw["backup"],
        "serial": raw.get("serial", ""),
        "hurry": raw.get("hurry", False),
        "promised_at": now + timedelta(hours=raw["promised_in"]) if "promised_in" in raw else None,
    }
    job = actions.take_in(details, user=user, now=at)
    for line in raw["lines"]:
        at += timedelta(minutes=_minutes(job, line))
        actions.record_line(job, line, user=user, now=at)
    at += timedelta(minutes=3)
    for record in raw.get("records", ()):
        keep_record(job, record, user, at)
    inside.play_inside(job, raw, user, at)
    if "on_board" in raw:
        play_board(job, raw["on_board"], user, at)
    if "stage" in raw:
        actions.move_stage(job, raw["stage"], user=user, now=at)
    if "choose" in raw:
        _repair(job, raw, user, at, now)
    if "quote" in raw:
        route, amount, ago = raw["quote"]
        words = f"{KNOWN.routes[route].label}, with the part and the proof."
        asked = now - timedelta(minutes=ago)
        actions.make_quote(job, route, Decimal(amount), words, user=user, now=asked)
    if "on_charge" in raw:
        percent, ago = raw["on_charge"]
        start_waiting(job, percent, user=user, now=now - timedelta(minutes=ago))
    for record in raw.get("after", ()):
        keep_record(job, record, user, at + timedelta(minutes=31))
    for when, start, end in raw.get("seal", ()):
        decay = Decay(start, end, KNOWN.proof.seal_seconds)
        proof_actions.record_seal(job, when, decay, user=user, now=at + timedelta(minutes=29))
    if "read" in raw:
        proof_actions.record_proof(job, raw["read"], user=user, now=at + timedelta(minutes=30))
    if "proof" in raw:
        prove_whole(job, user, at + timedelta(minutes=30), **raw["proof"])
    if "close" in raw:
        proof_actions.close_job(job, raw["close"], raw["note"], user=user, now=at + timedelta(minutes=55))
    if "bill" in raw:
        _counter(job, raw, user, at + timedelta(minutes=60))
    if REFER in raw:
        handed = {"why": raw["why"], "to": raw["to"], "leaves_as": raw["leaves_as"]}
        proof_actions.refer_job(job, raw[REFER], raw["note"], **handed, user=user, now=at + timedelta(minutes=5))


def lay_open_photo(job: Job, seed: int, user: User, at: datetime) -> None:
    """A photo of the model lying open, under its map of screws."""
    picture, corners = draw_open(job.kind, seed)
    photo = open_photo.keep_open_photo(job, picture, user=user, now=at)
    for x, y in corners:
        photo = open_photo.add_corner(photo, x, y, user=user, now=at)


def _counter(job: Job, raw: dict[str, Any], user: User, at: datetime) -> None:
    """What a customer was charged, paid, and fetched."""
    page = suggested(Job.objects.with_people().get(pk=job.pk), Shop.current(), None)
    lines = [(label, Decimal(amount)) for label, amount in raw["bill"]["lines"]]
    values = {"noted": raw["bill"]["noted"], "avoid": page["avoid"]}
    counter.set_contact(job, *raw["contact"], user=user, now=at)
    counter.set_bill(job, lines, values, user=user, now=at)
    counter.pay(job, sum((amount for _, amount in lines), Decimal(0)), raw["bill"]["paid"], user=user, now=at)
    counter.tell_ready(job, "here", user=user, now=at)
    counter.hand_over(job, user=user, now=at)


def _minutes(job: Job, line: str) -> float:
    """How long a line's act takes, as it ships: a scenario's people keep the usual pace."""
    event = parse_line(line, KNOWN, device_of(job))
    if isinstance(event, CheckEvent):
        check = KNOWN.checks[event.check]
        return check.minutes + check.wait_minutes
    if isinstance(event, HazardEvent | PathEvent | MishapEvent):
        return 1.0
    route = KNOWN.routes[event.route]
    return route.minutes if isinstance(event, RepairEvent) else route.try_minutes or 0.0


def _repair(job: Job, raw: dict[str, Any], user: User, at: datetime, now: datetime) -> Repair:
    repair = actions.choose_route(job, raw["choose"], raw.get("reason", "seen under the lens"), user=user, now=at)
    for slot, option in raw.get("picks", {}).items():
        repair = work_actions.pick_option(repair, slot, option, user=user, now=at)
    plan = plan_of(repair, repair.job, Shop.current())
    steps, spent = before_test(plan), 0.0
    ids = [row.step.id for row in steps]
    for row in steps[: ids.index(raw["until"]) if "until" in raw else raw.get("ticks", len(steps))]:
        spent += row.step.minutes + row.step.wait
        note = "measured, in band" if row.step.record else ""
        work_actions.do_step(repair, row.step.id, note=note, user=user, now=at + timedelta(minutes=spent))
    if "timer" in raw:
        work_actions.start_timer(repair, raw["until"], user=user, now=now - timedelta(minutes=raw["timer"]))
    for x, y, length, out in raw.get("screws", ()):
        screw = screws.add_screw(job, x, y, user=user, now=at)
        screws.describe_screw(job, screw.number, length, "cross", user=user, now=at)
        if out:
            screws.move_screw(job, screw.number, "out", user=user, now=at + timedelta(minutes=screw.number))
    for x, y, name, off in raw.get("connectors", ()):
        plug = screws.add_screw(job, x, y, "connector", user=user, now=at)
        screws.describe_screw(job, plug.number, None, name, user=user, now=at)
        if off:
            screws.move_screw(job, plug.number, "out", user=user, now=at + timedelta(minutes=plug.number))
    if "open_photo" in raw:
        lay_open_photo(job, raw["open_photo"], user, at)
    if "used" in raw:
        minutes = max(spent, KNOWN.routes[raw["choose"]].minutes)
        repair = work_actions.finish_repair(repair, raw["used"], user=user, now=at + timedelta(minutes=minutes))
    return repair
