"""The proof through its actions and pages: what fails, the way back, what is left out, what the meter's page says."""

from datetime import timedelta

import numpy as np
from django.test import SimpleTestCase
from django.urls import reverse
from django.utils import timezone

from chargepath.base.errors import ChargepathError
from chargepath.case.entries import Device
from chargepath.proving.verdict import Readings, judge_proof
from rainfront.demo.proofs import TICKED_LATE, good_readings, prove_whole
from rainfront.instruments.models import Chunk, Record
from rainfront.instruments.proving import take_reading, watch_item
from rainfront.jobs import actions
from rainfront.jobs.models import Job, Stage
from rainfront.proof import actions as proof_actions
from rainfront.proof.models import Proof
from rainfront.proof.proving import proving_of
from rainfront.proof.words import need_words, shown_words
from rainfront.stock import actions as stock
from rainfront.stock.models import Item
from rainfront.work import actions as work_actions
from rainfront.work.models import StepRun
from rainfront.workshop.actions import set_method
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, judged, make_job, make_user
from tests.web.test_pages import Signed


def later(minutes):
    return NOW + timedelta(minutes=minutes)


class Prove(Signed):
    def test_minutes_between_both_percentages_go_by_the_clock(self):
        self.repair("clean_port")
        for minute, values in ((40, {"percent_first": 20.0}), (48, {"percent_second": 24.0})):
            proof_actions.record_proof(self.job, values, user=self.user, now=later(minute))
        self.assertAlmostEqual(Proof.objects.get().numbers["minutes_between"], 8.0)

    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user, ("i 0.0 5.1 12%", "wiggle drops"))

    def repair(self, route="swap_carrier", minute=30):
        repair = actions.choose_route(self.job, route, "as agreed", user=self.user, now=NOW)
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=later(minute - 1))
        return work_actions.finish_repair(repair, "sub-board", user=self.user, now=later(minute))

    def proving(self):
        return proving_of(Job.objects.with_people().get(pk=self.job.pk), Shop.current())

    def read(self, minute=40, **given):
        return proof_actions.record_proof(self.job, given, user=self.user, now=later(minute))

    def good(self, minute=40, **numbers):
        readings = good_readings(self.proving().asked, **numbers)
        return proof_actions.record_proof(self.job, readings, user=self.user, now=later(minute))

    def to(self, name, **query):
        return reverse(name if ":" in name else f"jobs:{name}", args=[self.job.pk])

    def test_twice_before_closing_and_after_each_with_its_own_marks(self):
        repair = self.repair()
        self.assertEqual(self.proving().phase, "open")
        self.good()
        self.job.refresh_from_db()
        self.assertEqual(self.job.stage, Stage.REPAIR)
        with self.assertRaisesMessage(ChargepathError, "not closed up yet: 12 steps left"):
            self.read(start="starts")
        with self.assertRaisesMessage(ChargepathError, "proved before it was closed, not since"):
            proof_actions.close_job(self.job, [], user=self.user, now=later(50))
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=later(50))
        self.assertEqual((self.proving().phase, self.proving().result.items[0].shown), ("closed", ""))
        self.good(60)
        repair.refresh_from_db()
        self.assertEqual(repair.entry.values, {"proved": True})
        self.assertEqual([proof.phase for proof in self.job.proofs.all()], ["open", "closed"])
        self.assertEqual(judged(self.job).advice.next.kind, "hand_over")
        proof_actions.close_job(self.job, ["port_worn"], user=self.user, now=later(70))

    def test_a_shop_that_proves_late_looks_first_and_pays_for_it(self):
        set_method("proof", "late", user=make_user("lead", "lead"), now=NOW)
        self.repair()
        self.assertEqual([item.id for item in self.proving().asked], ["start", "heat", "percent", "current"])
        page = self.client.get(reverse("workshop:work"))
        self.assertContains(page, "Only once it is closed")
        self.good()
        work_actions.do_rest(self.proving().repair, reasons=TICKED_LATE, user=self.user, now=later(50))
        self.assertIn("microphone", [item.id for item in self.proving().asked])

    def test_what_fails_waits_for_a_person_and_is_evidence_only_once_it_is_no_slip(self):
        self.repair()
        evidence = self.job.entries.evidence().count()
        _, result = self.read(amps=0.05, volts=5.0, wiggle="drops")
        self.assertIs(result.works, False)
        self.assertEqual((self.job.entries.evidence().count(), self.job.proofs.get().works), (evidence, None))
        page = self.client.get(self.to("proof:prove"))
        self.assertContains(page, "Not as it should be")
        self.assertContains(page, "Charging flex half seated")
        self.client.post(self.to("proof:failed"), {"back": ""})
        self.assertEqual(self.job.proofs.get().works, False)
        self.assertIn("charger_current", [row.name for row in self.job.entries.evidence()[evidence:]])
        self.assertEqual(self.proving().phase, "open")
        with self.assertRaisesMessage(ChargepathError, "nothing has failed"):
            proof_actions.fail_proof(self.job, user=self.user, now=later(50))
        # Read again and good after all: what was off is struck out, and it goes on to be closed.
        self.good(60)
        struck = self.job.entries.filter(struck_why__contains="read again").values_list("name", flat=True)
        self.assertEqual(list(struck), ["charger_current"])
        work_actions.do_rest(self.proving().repair, reasons=TICKED_LATE, user=self.user, now=later(61))
        self.good(70)
        proof_actions.close_job(self.job, ["port_worn"], user=self.user, now=later(71))

    def test_back_to_a_step_keeps_everything_and_takes_no_second_part(self):
        stock.take_in(Shop.current().known, "swap_carrier", "Orvane D2", 2, 11, user=self.user, now=NOW)
        repair = self.repair()
        self.read(microphone="muffled")
        before = [row.name for row in self.job.entries.evidence() if row.name != "swap_carrier"]
        page = self.client.get(self.to("proof:prove"))
        guess = page.context["page"].guesses[0]
        self.assertEqual((guess.id, guess.step), ("film_on", "film_off"))
        self.client.post(self.to("proof:failed"), {"back": f"{guess.step} {guess.id}"})
        repair.refresh_from_db()
        self.job.refresh_from_db()
        self.assertTrue(repair.is_open)
        self.assertEqual(self.job.stage, Stage.REPAIR)
        self.assertEqual([row.name for row in self.job.entries.evidence()], before)
        left = {run.step for run in StepRun.objects.filter(repair=repair, done_at=None)}
        self.assertTrue({"cell_off", "film_off", "new_in", "cell_on"} <= left)
        self.assertNotIn("side_by_side", left)
        self.assertIn("muffled", self.job.entries.get(name="back").text)
        self.assertContains(self.client.get(self.to("work:repair")), f"taken for: {guess.label.lower()}")
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=later(60))
        work_actions.finish_repair(repair, "", user=self.user, now=later(61))
        self.assertEqual(Item.objects.get().count, 1)
        prove_whole(self.job, self.user, later(70))
        self.assertEqual(judged(self.job).advice.next.kind, "hand_over")

    def test_a_bad_answer_is_made_sure_of_an_item_is_read_again_and_one_is_left_out_with_a_reason(self):
        self.repair()
        self.read(computer="silent")
        self.assertContains(self.client.get(self.to("proof:prove") + "?item=computer"), "Another data cable")
        self.assertIsNone(self.proving().result.works)
        self.read(computer="recognised")
        self.read(amps=0.1, volts=5.0)
        self.client.post(self.to("proof:again"), {"item": "current"})
        self.assertEqual(self.proving().proof.numbers, {})
        refused = self.client.post(self.to("proof:read"), {"item": "speaker", "leave": "yes", "why": " "})
        self.assertContains(refused, "say why it is left out", status_code=422)
        refused = self.client.post(self.to("proof:read"), {"item": "current", "leave": "yes", "why": "no meter"})
        self.assertContains(refused, "charger current cannot be left out", status_code=422)
        refused = self.client.post(self.to("proof:read"), {"item": "speaker", "leave": "yes", "why": "PIN is 2468"})
        self.assertContains(refused, "no code is ever stored", status_code=422)
        self.client.post(self.to("proof:read"), {"item": "speaker", "leave": "yes", "why": "speaker is broken anyway"})
        asked = [item for item in self.proving().asked if item.id != "speaker"]
        proof_actions.record_proof(self.job, good_readings(asked), user=self.user, now=later(41))
        self.assertTrue(self.job.proofs.get().works)
        self.assertIn("left out (speaker is broken anyway)", self.job.entries.filter(name="proof").last().text)

    def test_what_it_has_shown_beyond_its_verdict_moves_the_belief_and_what_was_left_out_does_not(self):
        chances = []
        for absent in (False, True):
            job = make_job(self.user, ("i 0.1 5.0 40%",), history=["drop"])
            actions.record_line(job, "did clean_port", user=self.user, now=NOW)
            asked = proving_of(Job.objects.with_people().get(pk=job.pk), Shop.current()).asked
            readings = good_readings(asked)
            if absent:
                readings.answers.pop("computer")
                readings.left_out["computer"] = "locked"
            proof_actions.record_proof(job, readings, user=self.user, now=later(5))
            chances.append(judged(job).belief.clean)
        self.assertGreater(chances[0], chances[1])

    def test_a_cell_that_gets_hot_is_the_danger_that_it_is(self):
        self.repair()
        self.read(heat="hot_cell", start="starts")
        self.read(heat="hot_cell") if not self.job.entries.filter(kind="hazard").exists() else None
        self.assertEqual(self.job.entries.get(kind="hazard").name, "cell_hot")
        with self.assertRaisesMessage(ChargepathError, "hot"):
            self.read(wiggle="steady")

    def test_what_is_not_asked_is_refused_and_the_page_says_what_is_wrong_with_a_number(self):
        self.repair()
        with self.assertRaisesMessage(ChargepathError, "'pad' is not asked of this device"):
            self.read(pad="charges")
        page = self.client.post(self.to("proof:read"), {"item": "current", "amps": "1,2,3", "volts": "5"})
        self.assertContains(page, "1,2,3", status_code=422)

    def test_nothing_is_proved_in_the_middle_of_a_repair(self):
        actions.choose_route(self.job, "swap_carrier", "as agreed", user=self.user, now=NOW)
        with self.assertRaisesMessage(ChargepathError, "still being worked on"):
            self.read(start="starts")
        self.assertRedirects(self.client.get(self.to("proof:prove")), self.to("work:repair"))

    def test_that_it_draws_as_much_as_before_may_be_said_at_a_glance(self):
        self.repair("clean_port")
        self.read(amps=1.1, volts=5.0)
        page = self.client.get(self.to("proof:prove"), {"item": "flip"})
        self.assertContains(page, "As much as before")
        self.client.post(self.to("proof:read"), {"item": "flip", "answer": "same"})
        mark = next(mark for mark in self.proving().result.items if mark.item.id == "flip")
        self.assertEqual((mark.met, shown_words(mark)), (True, "as much as before"))
        self.client.post(self.to("proof:read"), {"item": "flip", "answer": "one_side"})
        self.client.post(self.to("proof:read"), {"item": "flip", "amps_flipped": "0.5"})
        self.assertFalse(next(mark for mark in self.proving().result.items if mark.item.id == "flip").met)

    def test_a_plug_in_tester_tells_several_rails_at_once(self):
        self.repair()
        page = self.client.get(self.to("proof:prove") + "?item=tester")
        self.assertContains(page, "control does not")
        self.client.post(self.to("proof:read"), {"item": "tester", "answer": ["power", "data"]})
        (mark,) = self.proving().result.failed
        self.assertEqual(shown_words(mark), "power does not, data does not")
        wrong = self.client.post(self.to("proof:read"), {"item": "tester", "answer": ["power", "good"]})
        self.assertContains(wrong, "no answer here", status_code=422)
        proof_actions.fail_proof(self.job, user=self.user, now=later(45))
        self.assertEqual(self.job.entries.get(name="port_tester").signs, ["power", "data"])

    def metered(self, begun):
        """A record of twenty minutes that runs for the proof: 2 A, half way through 1 A."""
        record = Record.objects.create(
            job=self.job,
            name="Proof",
            origin="live",
            state="running",
            for_proof=True,
            by=self.user,
            started_at=begun,
            last_at=timezone.now(),
        )
        seconds = np.arange(0.0, 1201.0)
        rows = np.column_stack([seconds, np.full(1201, 5.0), np.where(seconds < 600, 2.0, 1.0)])
        Chunk.objects.create(record=record, data=rows.tobytes())
        return record

    def test_a_late_look_of_the_meter_begins_no_second_proof(self):
        self.job = make_job(self.user, ("did clean_port",))
        record, hand = self.metered(later(35)), {"user": self.user, "now": later(41), "shop": Shop.current()}
        self.assertFalse(watch_item(record, "current", **hand).moved)
        self.good()
        for look in (watch_item, take_reading):
            with self.assertRaisesMessage(ChargepathError, "is decided"):
                look(record, "current", **hand)
        self.assertEqual([proof.works for proof in Proof.objects.all()], [True])

    def test_the_charge_that_the_meter_measured_since_the_percent_was_read_is_held_against_it(self):
        self.job = make_job(self.user, ("did clean_port",))
        self.client.post(self.to("proof:read"), {"item": "percent", "percent_first": "40"})
        self.metered(Proof.objects.get().first_at - timedelta(minutes=10))
        self.client.post(self.to("proof:read"), {"item": "rise", "percent_second": "58", "minutes_between": "10"})
        numbers = Proof.objects.get().numbers
        self.assertAlmostEqual(numbers["charge_mah"], 600 / 3.6, delta=1.0)
        rise = self.proving().result.items[-1]
        self.assertEqual(rise.shown, "odd")
        # What a person types stands before it.
        typed = {"percent_second": "43", "minutes_between": "10", "charge_mah": "200"}
        self.client.post(self.to("proof:read"), {"item": "rise", **typed})
        self.assertEqual(Proof.objects.get().numbers["charge_mah"], 200.0)

    def test_the_charge_line_turns_good_with_the_proof(self):
        self.repair()
        self.read(amps=1.1, volts=5.0)
        scene = self.client.get(self.to("proof:prove")).context["scene"]
        marks = {gauge.id: gauge.mark for gauge in scene.gauges}
        self.assertEqual((marks["charge_ic"], marks["port"]), ("good", "none"))

    def test_screws_that_are_out_stop_the_closing(self):
        from rainfront.work.actions import screws

        repair = self.repair()
        self.good()
        screw = screws.add_screw(self.job, 0.2, 0.2, user=self.user, now=later(41))
        screws.move_screw(self.job, screw.number, "out", user=self.user, now=later(42))
        rest = work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=later(43))
        self.assertEqual(rest.step, "screws_in")
        self.assertIn("1 screw still out on the map", rest.refused)
        with self.assertRaisesMessage(ChargepathError, "1 screw still out on the map"):
            work_actions.do_step(repair, "screws_in", user=self.user, now=later(43))
        screws.move_screw(self.job, screw.number, "in", user=self.user, now=later(44))
        self.assertEqual(work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=later(45)).step, "")


class Words(SimpleTestCase):
    """What an item has to show and what it showed, by the numbers that were read."""

    ROWS = (
        (
            "current",
            {"amps": 0.2, "volts": 5.0, "percent_first": 30},
            "low",
            "or more, not over .* at 5.00 V at 30 %: common practice",
            "^0.20 A of about .* expected at 30 %$",
        ),
        ("flip", {"amps": 1.0, "amps_flipped": 0.4}, "one_side", "^within", "^1.00 A and 0.40 A: 40%$"),
        ("flip", {"amps_flipped": 0.4}, "", "^within", "^0.40 A; the first way round is still to be read$"),
        ("own", {"amps_own": 0.5, "amps": 1.0}, "weak", "more of the shop's charger$", "^0.50 A of 1.00 A: 50%$"),
        (
            "off",
            {"amps_off": 1.5, "amps": 0.5},
            "higher",
            "^more than",
            "^1.50 A switched off, 0.50 A running: what runs holds it back$",
        ),
        (
            "off",
            {"amps_off": 0.0, "percent_first": 100},
            "same",
            "^all but full: it need not draw$",
            "^0.00 A switched off$",
        ),
        (
            "fast",
            {"amps_fast": 1.0, "volts_fast": 5.0},
            "plain",
            "^more than .* W$",
            "^5.00 V and 1.00 A: 5.0 W; it stays at plain 5 V$",
        ),
        (
            "drop",
            {"plug_volts": 5.0, "input_volts": 4.5},
            "lost",
            "lost$",
            "4.50 V at the charging IC: 0.50 V lost$",
        ),
        ("cell", {"cell_volts": 3.0, "cell_percent": 90}, "odd", " V at 90 %$", "^3.00 V at 90 %$"),
        (
            "rise",
            {"percent_first": 40, "percent_second": 40, "minutes_between": 1},
            "",
            "minutes or more$",
            "^40 % to 40 % in 1 min: too early to say$",
        ),
        (
            "rise",
            {"percent_first": 99, "percent_second": 100, "minutes_between": 1},
            "rises",
            "minutes or more$",
            ": full$",
        ),
        (
            "rise",
            {"percent_first": 10, "percent_second": 90, "minutes_between": 5, "charge_mah": 200},
            "odd",
            "^up .* to .* % for 200 mAh from the meter$",
            "with 200 mAh: that charge cannot move it so far$",
        ),
    )

    def test_say_what_is_compared(self):
        known, device = Shop.as_shipped().known, Device("phone", "usb_c", "flex")
        for how, numbers, shown, need, said in self.ROWS:
            with self.subTest(how=how, numbers=numbers):
                item = next(row for row in known.proof_items.values() if row.judged == how and row.values)
                (mark,) = judge_proof(known, device, [item], Readings(numbers)).items
                self.assertEqual(mark.shown, shown)
                self.assertRegex(need_words(mark).replace("\u00a0", " "), need)
                self.assertRegex(shown_words(mark).replace("\u00a0", " "), said)
