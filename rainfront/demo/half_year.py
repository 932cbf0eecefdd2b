"""Half a year at Brinholm Quay: simulated devices come in and are measured, repaired and proved by the program's own
actions, as the advice says or not, some of them coming back.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from decimal import Decimal
from random import Random
from typing import Any

from chargepath.base.errors import ChargepathError, DangerError
from chargepath.case.entries import CheckEvent, TryEvent
from chargepath.case.quickline import CLEAN
from chargepath.knowledge.book import HAND_OVER
from chargepath.knowledge.routes import PROVE, REFER
from chargepath.standin.answers import answer
from chargepath.standin.device import StandinDevice
from rainfront.counter import actions as counter
from rainfront.counter.billing import lines_for, suggested
from rainfront.demo.inside import play_inside
from rainfront.demo.picture import draw_board
from rainfront.demo.proofs import TICKED_LATE, prove_whole
from rainfront.demo.records import keep_record
from rainfront.inside.actions import add_photo
from rainfront.jobs import actions
from rainfront.jobs.judging import judgement_for
from rainfront.jobs.models import HandedOn, Job, LeavesAs, Repair
from rainfront.jobs.planning import before_test, plan_of
from rainfront.learning import actions as learning_actions
from rainfront.people.models import User
from rainfront.proof import actions as proof_actions
from rainfront.proof.proving import proving_of
from rainfront.stock import actions as stock
from rainfront.work import actions as work_actions
from rainfront.workshop.adapters import Shop

JOBS, DAYS, FIRST, MOST_ACTS = 310, 182, 61_000, 34
# How often a minute on the meter is kept.
RECORDED = 0.05
# The workshop's models by kind, connector, carrier and coil, with what one is worth and how it is built.
MODELS: dict[tuple[str, str, str, bool], tuple[str, int, tuple[str, ...]]] = {
    ("phone", "usb_c", "sub_board", False): ("Orvane D2 deck handheld", 160, ("port_fixing_screws",)),
    ("phone", "micro_b", "none", False): ("Orvane D1 deck handheld", 90, ()),
    ("phone", "eight_pad", "flex", True): ("Quillan P3", 240, ("sealed",)),
    ("phone", "usb_c", "none", False): ("Quillan P1", 130, ()),
    ("phone", "usb_c", "flex", False): ("Quillan P2", 190, ()),
    ("tablet", "usb_c", "sub_board", False): ("Hestral Tab 10", 180, ()),
    ("tablet", "micro_b", "none", False): ("Hestral Tab 8", 110, ()),
    ("tablet", "usb_c", "none", False): ("Hestral Tab 11", 260, ()),
}
CUSTOMERS = (
    "bosun", "purser", "chief engineer", "deck crew, boat 1", "deck crew, boat 2", "deck crew, boat 5", "ticket office",
    "harbour kitchen", "island school, room 2", "island school, room 4", "second mate", "ship's cook", "lock keeper",
    "harbour clinic", "K.L., passenger", "D.W., passenger", "N.A., passenger", "post boat",
)  # fmt: skip
COMPLAINTS = (
    "Does not charge.", "Charges only when the plug is held.", "Charges very slowly since last week.",
    "Dead, no reaction to the charger.", "The percentage jumps.", "Shows the charger, stays at the same percent.",
    "Charges overnight, but only to half.", "Stopped charging after it fell.", "Warm at the bottom, hardly charges.",
)  # fmt: skip
REASONS = (
    "usual here", "part was at hand", "the customer asked for it", "looked worn under the lens",
    "quicker to swap than to measure",
)  # fmt: skip
SHEETS_OF = "Hestral Tab 10"
SUPPLIERS = ("Holm Parts", "Ferrow Supply")
CAPTIONS = ("port before the work", "joints under the microscope", "residue beside the shield", "board after cleaning")

# What the demo's people read at a flat cell [V].
FLAT_V = 2.4


@dataclass
class Player:
    """What plays the half year: chance, the people, and devices that are going to come back."""

    people: list[User]
    lead: User
    now: datetime
    rng: Random = field(default_factory=lambda: Random(1907))  # noqa: S311
    returning: list[tuple[datetime, StandinDevice, Job]] = field(default_factory=list)

    def run(self) -> int:
        """Play it all; how many jobs were made."""
        begun = self.now - timedelta(days=DAYS)
        self._deliver(begun, 9)
        made, week, month = 0, 0, 0
        for at, whole in self._arrivals(begun):
            if (at - begun).days // 30 > month:
                month = (at - begun).days // 30
                self._deliver(at, 3)
            if (at - begun).days // 7 > week:
                week = (at - begun).days // 7
                learning_actions.count_examples(now=at)
            due = [row for row in self.returning if row[0] <= at]
            self.returning = [row for row in self.returning if row[0] > at]
            for when, device, earlier in due:
                self._play(device, self._clocked(when), earlier)
                made += 1
            self._play(whole, at, None)
            made += 1
        return made

    def _arrivals(self, begun: datetime) -> Iterator[tuple[datetime, StandinDevice]]:
        """Devices of the workshop's models, spread over the days, in working hours."""
        seed = FIRST
        days = sorted(self.rng.uniform(0, DAYS - 4) for _ in range(JOBS))
        for day in days:
            while True:
                seed += 1
                whole = StandinDevice.arrive(seed)
                device = whole.device
                if (device.kind, device.connector, device.carrier, device.wireless) in MODELS:
                    break
            yield self._clocked(begun + timedelta(days=day)), whole

    def _clocked(self, day: datetime) -> datetime:
        """A moment of that day's working hours."""
        opened = day.replace(hour=8, minute=0, second=0, microsecond=0)
        return opened + timedelta(minutes=self.rng.uniform(0, 420))

    def _deliver(self, at: datetime, count: int) -> None:
        """Parts come in."""
        known = Shop.as_shipped().known
        for route, price in (("swap_carrier", 12), ("swap_battery", 22), ("replace_port", 3), ("replace_link", 7)):
            made = stock.take_in(known, route, "", count, Decimal(price), user=self.lead, now=at)
            if not made.item.supplier:
                made.item.supplier = self.rng.choice(SUPPLIERS)
                made.item.save(update_fields=["supplier"])

    def _play(self, whole: StandinDevice, at: datetime, earlier: Job | None) -> None:
        """One device from the counter to its end."""
        device, rng = whole.device, self.rng
        user = rng.choice(self.people)
        model, value, _ = MODELS[device.kind, device.connector, device.carrier, device.wireless]
        details = {
            "model_name": model,
            "customer": earlier.customer if earlier else rng.choice(CUSTOMERS),
            "kind": device.kind,
            "connector": device.connector,
            "carrier": device.carrier,
            "wireless": device.wireless,
            "traits": [],
            "value": Decimal(value),
            "limit": Decimal(rng.choice((60, 80, 120))) if rng.random() < 0.15 else None,
            "complaint": "The same again." if earlier else rng.choice(COMPLAINTS),
            "history": list(whole.history),
            "battery_percent": round(whole.percent),
            "backup": rng.choice(("done", "none", "declined", "unknown")),
            "serial": f"{model[:2].upper()}{whole.seed}",
            "hurry": rng.random() < 0.1,
            "promised_at": at + timedelta(days=rng.choice((1, 2, 3))) if rng.random() < 0.4 else None,
        }
        job = actions.take_in(details, user=user, now=at)
        if earlier is not None:
            actions.link_return(job, earlier.pk, True, user=user, now=at)
        if rng.random() < 0.12:
            actions.set_school(job, "swap_first", user=user, now=at)
        _Job(self, whole, job, user, at + timedelta(minutes=rng.uniform(4, 90))).play()


@dataclass
class _Job:
    """One job while it is played."""

    player: Player
    whole: StandinDevice
    job: Job
    user: User
    at: datetime
    wrong: set[str] = field(default_factory=set)
    sheeted: bool = False

    def play(self) -> None:
        """Do what comes next until it is handed over, or on."""
        rng = self.player.rng
        self.wrong = set(self.whole.faults)
        pace = {self.player.people[0].pk: 1.0}.get(self.user.pk, 1.2)
        if rng.random() < 0.08:
            self._photo()
        for number in range(MOST_ACTS):
            if number == 2:
                self._record()
            shop = Shop.current()
            judged = judgement_for(Job.objects.with_people().get(pk=self.job.pk), self.user, shop)
            step = judged.core.advice.next
            if step.kind == HAND_OVER:
                break
            if step.kind == "check":
                check = shop.known.checks[step.id]
                minutes = check.minutes + judged.core.prices.opening(
                    shop.known, check.access, judged.core.belief.access
                )
                self._wait(minutes * pace * math.exp(rng.gauss(0, 0.25)) + check.wait_minutes)
                actions.record_event(self.job, self._observed(step.id), user=self.user, now=self.at)
                if check.access == "opened":
                    self._sheet()
                continue
            if step.kind == "try":
                route = shop.known.routes[step.id]
                self._wait((route.try_minutes or 2.0) * pace * math.exp(rng.gauss(0, 0.25)))
                actions.record_event(
                    self.job, TryEvent(step.id, self.whole.works(step.id)), user=self.user, now=self.at
                )
                continue
            if step.id == REFER:
                self._hand_on("not worth it", HandedOn.WORTH)
                return
            if not self._repair(step.id, judged, pace):
                return
        self._end()

    def _wait(self, minutes: float) -> None:
        """Let time pass, to the next morning once the day is over."""
        self.at += timedelta(minutes=minutes)
        if self.at.hour >= 18 or self.at.hour < 8:
            self.at = (self.at + timedelta(days=self.at.hour >= 18)).replace(hour=8, minute=20)

    def _observed(self, name: str) -> CheckEvent:
        """What a check shows: a current by its amps where it is steady, the rest as it looks."""
        grade, signs = answer(self.whole, name)
        if name == "charger_current" and grade != "cycling":
            rng = self.player.rng
            amps = round(max(self.whole.amps() + rng.gauss(0, 0.004), 0.0), 2)
            values = {"amps": amps, "volts": round(5.05 + rng.gauss(0, 0.03), 2)}
            if self.whole.starts():
                values["battery_percent"] = round(self.whole.percent)
            return CheckEvent(name, values=values)
        needed = Shop.current().known.checks[name].needs_value.get(grade)
        return CheckEvent(name, values={needed: FLAT_V}) if needed else CheckEvent(name, "", grade, signs)

    def _read(self, name: str) -> str:
        """What a check shows at a step of the work, as a quick line."""
        found = self._observed(name)
        shown = [*map(str, found.values.values()), found.grade, *found.signs]
        return " ".join([name, *(filter(None, shown) if any(shown) else (CLEAN,))])

    def _repair(self, advised: str, judged: Any, pace: float) -> bool:
        """Choose a repair, do it, prove it; whether the job goes on."""
        rng = self.player.rng
        hand: dict[str, Any] = {"user": self.user}
        if advised == PROVE:
            return self._prove()
        route, reason = advised, ""
        others = [
            term.id for term in judged.core.advice.routes if term.id not in (advised, PROVE, REFER) and term.cure > 0.08
        ]
        if others and rng.random() < 0.14:
            route, reason = others[0], rng.choice(REASONS)
        term = judged.core.term(route)
        bill = Decimal(str(round(judged.core.spent + (term.act.quote if term else 0), 2)))
        if self.job.limit is not None or rng.random() < 0.35:
            quote = actions.make_quote(self.job, route, bill, f"About {bill}.", now=self.at, **hand)
            if bill > self.job.value or rng.random() < 0.02:
                actions.answer_quote(
                    quote, "declined", self.job.customer[:20], now=self.at + timedelta(minutes=30), **hand
                )
                self._wait(35)
                self._hand_on("the customer does not want it", HandedOn.DECLINED)
                return False
            actions.answer_quote(quote, "approved", self.job.customer[:20], now=self.at + timedelta(minutes=20), **hand)
            self._wait(25)
        try:
            repair = actions.choose_route(
                self.job, route, reason, "agreed on the telephone" if self.job.limit else "", now=self.at, **hand
            )
        except ChargepathError:
            self._hand_on("it cannot be done here", HandedOn.BEYOND)
            return False
        spoilt = self.whole.repair(route)
        try:
            self._steps(repair, pace)
        except DangerError:  # What was read at a step shows that it is not mended.
            actions.drop_repair(repair, now=self.at, **hand)
            self._hand_on("the danger stays, whatever was repaired", HandedOn.DANGER)
            return False
        work_actions.finish_repair(repair, "", now=self.at, **hand)
        if spoilt and rng.random() < 0.5:
            self._wait(5)
            self._hand_on("a track came off with it")
            return False
        return self._prove()

    def _steps(self, repair: Repair, pace: float) -> None:
        """The steps of the plan, one by one, each as long as it takes."""
        plan = plan_of(repair, Job.objects.with_people().get(pk=self.job.pk), Shop.current())
        for row in before_test(plan):
            self.at += timedelta(minutes=row.step.minutes * pace * math.exp(self.player.rng.gauss(0.0, 0.3)))
            if row.step.wait:
                work_actions.start_timer(repair, row.step.id, user=self.user, now=self.at)
                self.at += timedelta(minutes=row.step.wait)
            if row.step.record:
                work_actions.record_at_step(repair, self._read(row.step.record), user=self.user, now=self.at)
            try:
                work_actions.do_step(repair, row.step.id, user=self.user, now=self.at)
            except work_actions.GuardError:
                note = "measured twice, the proof will tell"
                work_actions.do_step(repair, row.step.id, note=note, user=self.user, now=self.at)
        self._wait(0.5)

    def _prove(self) -> bool:
        """Prove it as it is; whether the job goes on (it failed)."""
        works = self.whole.charges()
        self._wait(6)
        try:
            if works:
                prove_whole(Job.objects.get(pk=self.job.pk), self.user, self.at, **self._shown())
                self.at += timedelta(minutes=25)
                return True
            proving = proving_of(Job.objects.with_people().get(pk=self.job.pk), Shop.current())
            if proving.to_close and proving.repair is not None:
                work_actions.do_rest(proving.repair, reasons=TICKED_LATE, user=self.user, now=self.at)
            low = min(self.whole.amps(), 0.2)
            read = {"amps": round(low, 2), "volts": 5.0}
            asked = {name for item in proving.asked for name in item.values}
            for minute in range(3):
                when = self.at + timedelta(minutes=2 + minute)
                given = {name: value for name, value in read.items() if name in asked}
                _, result = proof_actions.record_proof(self.job, given, user=self.user, now=when)
                if result.works is False:
                    proof_actions.fail_proof(self.job, user=self.user, now=when)
                    break
            self.at += timedelta(minutes=6)
        except DangerError:  # What was repaired is looked at again first.
            return True
        except ChargepathError:
            self._hand_on("it cannot be proved")
            return False
        return True

    def _shown(self) -> dict[str, float]:
        """What a good one shows: somewhat different each time."""
        amps = round(min(self.whole.amps(), 1.5) * (1 + self.player.rng.gauss(0, 0.02)), 2)
        amps = max(amps, 1.05)
        others = {"amps_flipped": 0.99, "amps_own": 0.93, "amps_off": 1.02}
        return {"amps": amps} | {name: round(amps * share, 2) for name, share in others.items()}

    def _record(self) -> None:
        """A minute on the meter."""
        if self.player.rng.random() > RECORDED:
            return
        acts = [[0, "plugged", False], [4, "plugged", True]]
        raw = {"name": "Shop's charger", "percent": round(self.whole.percent), "seconds": 45, "acts": acts}
        self.whole.charger = "shop"
        keep_record(self.job, raw, self.user, self.at, self.whole)
        self._wait(1.5)

    def _sheet(self) -> None:
        """The port's contacts pin by pin, of the model that good boards are known of; once a job at most."""
        if self.job.model_name != SHEETS_OF or self.sheeted or self.player.rng.random() > 0.4:
            return
        self.sheeted = True
        raw = {"map": "usb_c", "place": "contact", "revision": "B", "meter": "Bench meter", "board": 700}
        play_inside(self.job, {"sheets": [raw]}, self.user, self.at, self.whole)
        self._wait(6)

    def _photo(self) -> None:
        caption = self.player.rng.choice(CAPTIONS)
        add_photo(self.job, draw_board(self.whole.seed), caption, user=self.user, now=self.at)

    def _hand_on(self, said: str, why: str = HandedOn.OTHER) -> None:
        """Handed on, or back unrepaired."""
        faults = [name for name, chance in self._believed()[:1] if chance > 0.3]
        to = "another workshop" if why == HandedOn.BEYOND else "the customer, unrepaired"
        proof_actions.refer_job(
            self.job,
            faults,
            f"{said}.",
            why=why,
            to=to,
            leaves_as=LeavesAs.CLOSED,
            user=self.user,
            now=self.at + timedelta(minutes=4),
        )

    def _believed(self) -> list[tuple[str, float]]:
        job = Job.objects.with_people().get(pk=self.job.pk)
        return judgement_for(job, self.user, Shop.current()).core.belief.faults

    def _end(self) -> None:
        """Close it with what was wrong, bill it, hand it over; some come back."""
        rng, found = self.player.rng, sorted(self.wrong - self.whole.faults)
        try:
            proof_actions.close_job(self.job, found, "", user=self.user, now=self.at + timedelta(minutes=3))
        except ChargepathError:
            self._hand_on("it stays unclear", HandedOn.UNFOUND)
            return
        self.at += timedelta(minutes=20)
        job = Job.objects.with_people().get(pk=self.job.pk)
        shop = Shop.current()
        lines = [(row.label, row.amount) for row in lines_for(job, shop, None)]
        change = Decimal(rng.choice((0, 0, 0, 4, -3)))
        if change:
            lines.append(("Discount" if change < 0 else "Cleaned with it", change))
        charged = sum((amount for _, amount in lines), Decimal(0))
        if charged < 5:
            lines, charged = [("Repair", Decimal(30))], Decimal(30)
        values = {"noted": "", "avoid": suggested(job, shop, None).get("avoid", "")}
        hand: dict[str, Any] = {"user": self.user, "now": self.at}
        counter.set_bill(job, lines, values, **hand)
        counter.pay(job, charged, rng.choice(("cash", "card", "transfer")), **hand)
        counter.tell_ready(job, "phone", **hand)
        counter.hand_over(job, user=self.user, now=self.at + timedelta(hours=rng.uniform(0.5, 20)))
        if rng.random() < (0.35 if self.whole.faults else 0.02):
            again = self.at + timedelta(days=rng.uniform(1, 21))
            if again < self.player.now - timedelta(days=4):
                if not self.whole.faults:
                    self.whole.faults = set(found[:1])
                self.player.returning.append((again, self.whole, job))
