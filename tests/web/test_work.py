"""Working through a plan: steps, timers, ways of doing it, screws, what is known of a model."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from chargepath.base.errors import ChargepathError
from chargepath.knowledge.loader import shipped
from rainfront.demo.proofs import TICKED_LATE, good_readings
from rainfront.jobs import actions
from rainfront.jobs.models import Job, Stage
from rainfront.jobs.planning import plan_of
from rainfront.learning.examples import examples_of
from rainfront.proof import actions as proof_actions
from rainfront.proof.proving import proving_of
from rainfront.stock import actions as stock
from rainfront.stock.models import Donor, Item
from rainfront.work import actions as work_actions
from rainfront.work.actions import screws
from rainfront.work.models import Screw, StepRun, Timer
from rainfront.workshop.actions import set_method
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, judged, make_job, make_user
from tests.web.test_pages import Signed


def later(minutes):
    return NOW + timedelta(minutes=minutes)


class Working(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user, ("i 0.2 5.0 18%", "wiggle drops"), carrier="none", connector="micro_b")
        cls.repair = actions.choose_route(cls.job, "replace_port", "worn", user=cls.user, now=NOW)

    def plan(self):
        self.repair.refresh_from_db()
        return plan_of(self.repair, Job.objects.get(pk=self.job.pk), Shop.current())

    def to(self, name, *args):
        return reverse(name if ":" in name else f"jobs:{name}", args=[self.job.pk, *args])

    def press(self, act, **more):
        return self.client.post(self.to("work:step"), {"act": act, **more})

    def until(self, step):
        for minute, row in enumerate(self.plan().steps):
            if row.step.id == step:
                return
            self.tick(row.step.id, later(minute))

    def tick(self, step, now):
        """Tick a step off as somebody who has done it, and says so where it guards something."""
        try:
            work_actions.do_step(self.repair, step, user=self.user, now=now)
        except work_actions.GuardError:
            work_actions.do_step(self.repair, step, note="ticked off late", user=self.user, now=now)

    def now(self):
        return self.client.get(self.to("work:repair")).context["page"].now

    def settled(self):
        return set(StepRun.objects.settled(self.repair.pk))


class Steps(Working):
    def test_one_step_after_the_other_and_the_last_one_undone(self):
        first, second = (row.step.id for row in self.plan().steps[:2])
        self.assertEqual(self.now().id, first)
        self.press(f"done {first}")
        self.assertEqual(self.now().id, second)
        self.press(f"undo {first}")
        self.assertEqual((self.now().id, self.settled()), (first, set()))

    def test_a_step_is_left_out_only_with_a_reason_and_the_log_keeps_it(self):
        first = self.plan().steps[0].step.id
        self.assertContains(self.press(f"skip {first}", used="brush"), "say why it is left out", status_code=422)
        self.press(f"skip {first}", why="photo is there already")
        self.assertIn("photo is there already", self.job.entries.get(name="skip").text)
        self.assertIsNone(StepRun.objects.get(step=first).done_at)
        self.press(f"done {self.plan().steps[1].step.id}", why="with the other tool")
        self.assertIn("with the other tool", self.job.entries.get(name="otherwise").text)

    def prove(self, minute):
        asked = proving_of(Job.objects.get(pk=self.job.pk), Shop.current()).asked
        return proof_actions.record_proof(self.job, good_readings(asked), user=self.user, now=later(minute))

    def test_a_check_that_fails_leads_back_to_what_mends_it(self):
        self.until("dry_fit")
        self.press("done dry_fit")
        page = self.press("fails dry_fit", why="sits high")
        self.assertRedirects(page, self.to("work:repair"))
        self.assertEqual(self.now().id, "wick")
        self.assertFalse({"wick", "dry_fit"} & self.settled())
        self.assertIn("low_melt_in", self.settled())
        self.assertIn("sits high", self.job.entries.get(name="check_failed").text)

    def test_a_step_can_be_jumped_to_and_a_step_of_another_plan_cannot(self):
        page = self.client.get(self.to("work:repair") + "?step=nudge")
        self.assertEqual(page.context["page"].now.id, "nudge")
        self.assertContains(self.press("done chip_lift"), "no step of this plan", status_code=422)

    def test_after_the_proof_the_closing_steps_come_and_the_bench_says_so(self):
        work_actions.do_rest(self.repair, reasons=TICKED_LATE, user=self.user, now=NOW)
        work_actions.finish_repair(self.repair, "", user=self.user, now=later(60))
        self.prove(70)
        self.assertContains(self.client.get(self.job.get_absolute_url()), "Go on closing")
        self.assertEqual(self.now().id, "off_again")
        self.assertContains(self.press("done nudge"), "no step of this plan", status_code=422)
        work_actions.do_rest(self.repair, reasons=TICKED_LATE, user=self.user, now=later(80))
        self.assertEqual(Job.objects.get(pk=self.job.pk).stage, Stage.PROVE)
        self.assertContains(self.client.get(self.to("work:repair")), "Now it is proved once more")
        self.prove(90)
        self.assertContains(self.client.get(self.to("work:repair")), "closed up and proved")
        self.assertNotContains(self.client.get(self.job.get_absolute_url()), "Go on closing")

    def test_a_failed_proof_ends_the_plan_and_the_next_one_begins_where_the_device_is_open(self):
        work_actions.do_rest(self.repair, reasons=TICKED_LATE, user=self.user, now=NOW)
        work_actions.finish_repair(self.repair, "", user=self.user, now=later(60))
        proof_actions.record_proof(self.job, {"amps": 0.05, "volts": 5.0}, user=self.user, now=later(70))
        proof_actions.fail_proof(self.job, user=self.user, now=later(70))
        with self.assertRaisesMessage(ChargepathError, "this repair is over"):
            work_actions.do_step(self.repair, "off_again", user=self.user, now=later(71))
        again = actions.choose_route(self.job, "replace_guard", "next", user=self.user, now=later(72))
        self.assertEqual(again.reached, "board_out")
        ids = [row.step.id for row in plan_of(again, self.job, Shop.current()).steps]
        self.assertTrue("part_off" in ids and "plate_part" not in ids and "board_out" not in ids)

    def test_a_danger_forbids_the_step_that_puts_current_in(self):
        job = make_job(self.user, ("i 0.1 5.0 2%",))
        repair = actions.choose_route(job, "leave_on_charge", "flat", user=self.user, now=NOW)
        actions.record_line(job, "danger swollen", user=self.user, now=NOW)
        with self.assertRaisesMessage(ChargepathError, "Swollen cell"):
            work_actions.do_step(repair, "on_charge", user=self.user, now=NOW)

    def test_a_level_that_was_opened_and_closed_step_by_step_teaches_its_minutes(self):
        self.until("test")
        work_actions.finish_repair(self.repair, "", user=self.user, now=later(60))
        self.prove(61)
        closing = [row.step.id for row in self.plan().steps if row.phase == "close"]
        for minute, step in enumerate(closing, 62):
            self.tick(step, later(minute))
        job = Job.objects.get(pk=self.job.pk)
        job.outcome_works, job.outcome_faults = True, ["port_worn"]
        (example,) = examples_of(job, Shop.current().known)
        keys = {timing.key: timing.minutes for timing in example.timings}
        level = [row.step.id for row in self.plan().steps if row.level == "board_out"]
        took = sum(run.seconds for run in StepRun.objects.filter(repair=self.repair, step__in=level)) / 60
        self.assertAlmostEqual(keys["open:board_out"], took)
        self.assertEqual(took, len(level))
        # The first step of all was done in no time at all, so that nobody knows how long opening the cover took.
        self.assertNotIn("open:opened", keys)

    def test_minutes_are_recorded_by_themselves_without_the_waits(self):
        ids = [row.step.id for row in self.plan().steps]
        self.until("dry_off")
        began = later(len(ids))
        work_actions.do_step(self.repair, "nudge", user=self.user, now=began)
        work_actions.start_timer(self.repair, "dry_off", user=self.user, now=began + timedelta(minutes=1))
        work_actions.do_step(self.repair, "dry_off", user=self.user, now=began + timedelta(minutes=4))
        # Four minutes by the clock, two of them the wait that the timer ran for.
        self.assertEqual(StepRun.objects.get(repair=self.repair, step="dry_off").seconds, 120)
        work_actions.do_rest(self.repair, reasons=TICKED_LATE, user=self.user, now=began + timedelta(minutes=5))
        at_once = StepRun.objects.filter(repair=self.repair, done_at=began + timedelta(minutes=5))
        self.assertEqual({run.seconds for run in at_once}, {0})
        work_actions.finish_repair(self.repair, "", user=self.user, now=began + timedelta(minutes=5))
        job = Job.objects.get(pk=self.job.pk)
        job.outcome_works, job.outcome_faults = True, ["port_worn"]
        keys = {
            timing.key: timing.minutes
            for example in examples_of(job, Shop.current().known)
            for timing in example.timings
        }
        work = [row.step.id for row in self.plan().steps if not row.level]
        took = sum(run.seconds for run in StepRun.objects.filter(repair=self.repair, step__in=work)) / 60
        self.assertAlmostEqual(keys["route:replace_port"], took, places=5)


class Timers(Working):
    def test_a_timer_goes_by_the_clock_and_stands_on_the_list_and_elsewhere(self):
        self.until("dry_off")
        self.press("start dry_off")
        timer = Timer.objects.get()
        self.assertEqual((timer.due_at - timer.started_at).total_seconds(), 120)
        self.assertContains(self.client.get(self.to("work:repair")), "data-due")
        self.assertContains(self.client.get(reverse("day:list")), "timer: 2 min left")
        other = make_job(self.user, ("port lint",))
        actions.choose_route(other, "clean_port", "x", user=self.user, now=NOW)
        page = self.client.get(reverse("work:repair", args=[other.pk]))
        self.assertContains(page, f"Job {self.job.pk}, ")
        Timer.objects.update(due_at=NOW - timedelta(days=400))
        self.assertContains(self.client.get(reverse("day:list")), "timer: over")
        self.press("done dry_off")
        self.assertFalse(Timer.objects.running().exists())
        self.assertFalse(self.job.entries.filter(name="passed", text__contains="After 0").exists())

    def test_work_by_hand_that_has_a_set_time_runs_a_timer_too(self):
        job = make_job(self.user, ("ring low",), carrier="none", traits=["stacked_board"])
        repair = actions.choose_route(job, "replace_charge_ic", "as agreed", user=self.user, now=NOW)
        made = work_actions.start_timer(repair, "split", user=self.user, now=NOW)
        self.assertEqual(made.due_at - made.started_at, timedelta(minutes=4))

    def test_started_twice_it_runs_once(self):
        self.until("dry_off")
        for _ in range(2):
            self.press("start dry_off")
        self.assertEqual(Timer.objects.running().count(), 1)


class Ways(Working):
    def test_a_way_is_picked_for_this_job_until_it_is_begun(self):
        self.client.post(self.to("work:pick"), {"pick": "removal iron"})
        self.assertIn("iron_flood", [row.step.id for row in self.plan().steps])
        self.until("iron_flood")
        work_actions.do_step(self.repair, "iron_flood", user=self.user, now=later(50))
        page = self.client.post(self.to("work:pick"), {"pick": "removal low_melt"})
        self.assertContains(page, "begun already", status_code=422)
        self.assertEqual(self.client.post(self.to("work:pick"), {"pick": "seating "}).status_code, 302)
        with self.assertRaisesMessage(ChargepathError, "does not suit"):
            work_actions.pick_option(self.repair, "seating", "magic", user=self.user, now=NOW)

    def test_a_step_says_why_its_tools_are_set_so(self):
        self.until("plate_warm")
        page = self.client.get(self.to("work:repair"))
        self.assertContains(page, 'data-key="w"')
        known = Shop.current().known
        for name in ("plate_c", "time_min"):
            self.assertContains(page, known.reasons.settings[name])
        fault = self.client.get(reverse("workshop:fault", args=["port_joint"]))
        self.assertContains(fault, known.reasons.faults["port_joint"])

    def test_the_solder_is_picked_for_one_step_or_for_all_until_it_is_on(self):
        self.client.post(self.to("work:pick"), {"pick": "removal iron"})
        self.until("iron_flood")
        page = self.client.get(self.to("work:repair"))
        self.assertContains(page, "Put leaded solder over all pins")
        self.assertContains(page, "wash hands")
        page = self.client.post(
            self.to("work:pick"), {"pick": "alloy:iron_flood lead_free"}, headers={"HX-Request": "true"}
        )
        self.assertContains(page, "Put lead-free solder over all pins")
        self.assertContains(page, '<span class="num">420</span>')
        self.assertNotContains(page, "wash hands")
        self.tick("iron_flood", later(50))
        for pick in ("alloy:iron_flood leaded", "alloy lead_free"):
            refused = self.client.post(self.to("work:pick"), {"pick": pick})
            self.assertContains(refused, "begun already", status_code=422)
        for pick in ("alloy:dry_fit leaded", "alloy:wick gold", "alloy:nothing leaded"):
            self.assertEqual(self.client.post(self.to("work:pick"), {"pick": pick}).status_code, 422)
        self.client.post(self.to("work:pick"), {"pick": "alloy:wick lead_free"})
        self.assertIn("lead-free solder", self.plan().materials)

    def test_a_lead_free_shop_tells_nobody_of_lead(self):
        boss = make_user("boss", role="lead")
        words = "an alloy that holds lead"
        self.assertContains(self.client.get(self.to("decide")), words)
        set_method("alloy", "lead_free", user=boss, now=NOW)
        self.assertNotContains(self.client.get(self.to("decide")), words)
        self.assertContains(self.client.get(self.to("choose", "replace_port")), "lead-free solder")

    def test_the_shop_sets_its_way_and_minutes_and_plan_follow(self):
        page = self.client.post(reverse("workshop:work"), {"way": "pads left"})
        self.assertEqual(page.status_code, 403)
        lead = make_user("boss", role="lead")
        set_method("removal", "iron", user=lead, now=NOW)  # Where low-melt went in, nothing may be left on the pads.
        before = Shop.current().minutes_for(judged(self.job).case.device, "x")["route:replace_port"]
        set_method("pads", "left", user=lead, now=NOW)
        self.assertIn("level", [row.step.id for row in self.plan().steps])
        self.assertLess(Shop.current().minutes_for(judged(self.job).case.device, "x")["route:replace_port"], before)
        self.client.force_login(lead)
        self.assertContains(self.client.get(reverse("workshop:work")), "chosen here")
        self.client.post(reverse("workshop:work"), {"way": "pads "})
        self.assertIn("wick", [row.step.id for row in self.plan().steps])

    def test_the_page_that_commits_shows_the_plan_with_its_minutes(self):
        page = self.client.get(self.to("choose", "replace_port"))
        for text in ("The plan", "Low-melt alloy and hot air", "Ready for the test", "Close"):
            self.assertContains(page, text)


class Drawn(Working):
    def test_a_step_that_was_left_out_changes_nothing_on_the_drawing_above_all_no_battery(self):
        self.until("cell_off")
        self.press("skip cell_off", why="not needed")
        page = self.client.get(self.to("work:repair"))
        self.assertContains(page, "battery connected")
        self.assertContains(page, 'class="live"')
        self.press("undo cell_off")
        self.tick("cell_off", later(60))
        page = self.client.get(self.to("work:repair"))
        self.assertContains(page, "battery disconnected")
        self.assertNotContains(page, 'class="live"')


class Screws(Working):
    def screw(self, number, act, **more):
        return self.client.post(self.to("work:screws"), {"act": f"{act} {number}", **more})

    def test_out_one_by_one_back_in_reverse_order_and_kept_for_the_model(self):
        for x, y in ((20, 20), (200, 20), (100, 300)):
            self.client.post(self.to("work:screws"), {"at.x": x, "at.y": y})
        self.screw(2, "describe", length="3,2", head="cross")
        for number in (1, 3, 2):
            self.screw(number, "out")
        page = self.client.get(self.to("work:screws"))
        self.assertEqual(page.context["next_in"].number, 2)
        self.assertContains(page, "3 of 3 out")
        self.screw(2, "in")
        self.assertEqual(self.client.get(self.to("work:screws")).context["next_in"].number, 3)
        other = make_job(self.user, carrier="none", connector="micro_b")
        self.assertEqual(screws.copy_screws(other, user=self.user, now=NOW), 3)
        self.assertEqual([row.length_mm for row in other.screws.all()], [None, 3.2, None])
        self.assertEqual(self.client.get(self.to("work:outline"))["Content-Type"], "image/svg+xml")

    def test_what_is_out_stays_on_the_map_and_what_is_missing_is_not_put_back_with_the_others(self):
        for _ in range(3):
            screws.add_screw(self.job, 0.5, 0.5, user=self.user, now=NOW)
        screws.move_screw(self.job, 1, "out", user=self.user, now=NOW)
        with self.assertRaisesMessage(ChargepathError, "put it back first"):
            screws.remove_screw(self.job, 1, user=self.user, now=NOW)
        screws.move_screw(self.job, 2, "lost", user=self.user, now=NOW)
        self.assertEqual(screws.move_all(self.job, "in", user=self.user, now=NOW), 1)
        self.assertEqual([row.place for row in Screw.objects.order_by("number")], ["in", "lost", "in"])

    def test_a_connector_counts_as_a_screw_does_and_none_is_forgotten_at_the_closing(self):
        # Soldered leads go on last of all: this device is screwed together before its test.
        self.job = make_job(self.user, carrier="none", connector="micro_b", traits=["cell_soldered"])
        self.repair = actions.choose_route(self.job, "replace_port", "worn", user=self.user, now=NOW)
        for kind in ("screw", "connector", "connector"):
            self.client.post(self.to("work:screws"), {"at.x": 60, "at.y": 60, "kind": kind})
        self.client.post(self.to("work:screws"), {"act": "connectors out"})
        page = self.client.get(self.to("work:screws"))
        self.assertContains(page, "0 of 1 out · connectors 2 of 2 off")
        self.assertContains(page, "All connectors back on")
        self.assertContains(self.screw(2, "lost"), "a connector is on or off", status_code=422)
        drawing = self.client.get(self.to("work:outline")).content.decode()
        self.assertIn("and 2 connectors, 2 of them off", drawing)
        self.assertIn('data-layer="board"', drawing)
        step = next(row for row in self.plan().steps if row.step.screws == "in").step.id
        with self.assertRaisesMessage(ChargepathError, "2 connectors still off on the map"):
            work_actions.do_step(self.repair, step, user=self.user, now=NOW)
        self.screw(1, "out")
        self.screw(2, "in")
        with self.assertRaisesMessage(ChargepathError, "1 screw still out and 1 connector still off"):
            work_actions.do_step(self.repair, step, user=self.user, now=NOW)
        self.assertEqual(self.client.get(self.to("work:screws")).context["next_in"].number, 1)
        other = make_job(self.user, carrier="none", connector="micro_b")
        screws.copy_screws(other, user=self.user, now=NOW)
        self.assertEqual([row.kind for row in other.screws.all()], ["screw", "connector", "connector"])

    def test_a_missing_screw_is_searched_for_before_power_goes_on(self):
        screws.add_screw(self.job, 0.5, 0.5, user=self.user, now=NOW)
        screws.move_screw(self.job, 1, "lost", user=self.user, now=NOW)
        work_actions.do_rest(self.repair, reasons=TICKED_LATE, user=self.user, now=NOW)
        with self.assertRaisesMessage(ChargepathError, "screw 1 is missing"):
            work_actions.finish_repair(self.repair, "", user=self.user, now=NOW)
        self.assertContains(self.screw(1, "remove"), "put it back first", status_code=422)
        self.screw(1, "out", note="under the mat")
        self.assertIn("under the mat", self.job.entries.filter(name="screw").last().text)
        work_actions.finish_repair(self.repair, "", user=self.user, now=NOW)

    def test_what_cannot_be_is_refused(self):
        screws.add_screw(self.job, 0.5, 0.5, user=self.user, now=NOW)
        for data, says in (
            ({"act": "describe 1", "length": "90"}, "no screw of such a device"),
            ({"act": "out 7"}, "no screw or connector 7"),
            ({"at.x": "9999", "at.y": "5"}, "beside the outline"),
            ({"act": "copy"}, "has a map already"),
        ):
            with self.subTest(data=data):
                self.assertContains(self.client.post(self.to("work:screws"), data), says, status_code=422)
        self.assertEqual(Screw.objects.count(), 1)


class Models(Signed):
    def details(self, **more):
        return {
            "model_name": "Orvane D2", "customer": "KM", "complaint": "dead", "kind": "tablet", "carrier": "flex",
            "connector": "eight_pad", "value": "120,50", "backup": "done", "limit": "", "battery_percent": "", **more,
        }  # fmt: skip

    def test_traits_are_told_at_the_counter_and_a_known_model_fills_the_rest(self):
        form = self.client.get(reverse("jobs:take_in")).context["form"]
        opens, more = form.built[0], form.built[-1]
        self.client.post(
            reverse("jobs:take_in"), self.details(**{opens: "clip_back", more: ["stacked_board", "sealed"]})
        )
        job = Job.objects.get()
        self.assertEqual((set(job.traits), job.stage), ({"clip_back", "stacked_board", "sealed"}, Stage.OUTSIDE))
        page = self.client.get(reverse("jobs:known_model"), {"model_name": "orvane d2"})
        self.assertContains(page, "Filled in from 1 earlier job")
        initial = page.context["form"].initial
        self.assertEqual(
            (initial["kind"], initial["connector"], str(initial["value"])), ("tablet", "eight_pad", "120.50")
        )
        self.assertContains(page, 'value="clip_back" id="id_built_0_2" checked')
        # Nothing is known: what was typed stays; only what an earlier name had filled in is cleared.
        never = {"model_name": "never"}
        self.assertEqual(self.client.get(reverse("jobs:known_model"), never).status_code, 204)
        cleared = self.client.get(reverse("jobs:known_model"), {**never, "filled": "yes"})
        self.assertNotContains(cleared, "Filled in")

    def test_traits_move_the_advice_and_go_with_the_case(self):
        plain, stacked = (make_job(self.user, traits=traits) for traits in ([], ["stacked_board"]))
        minutes = [
            next(term.act.minutes for term in judged(job).advice.routes if term.id == "replace_port_ic")
            for job in (plain, stacked)
        ]
        self.assertAlmostEqual(minutes[1] - minutes[0], 77.6)
        exported = self.client.get(reverse("exchange:case_file", args=[stacked.pk])).json()
        self.assertEqual(exported["device"]["traits"], ["stacked_board"])

    def test_the_card_gathers_what_the_shop_knows(self):
        job = make_job(self.user, model_name="Orvane D2", traits=["clip_back"])
        screws.add_screw(job, 0.5, 0.5, user=self.user, now=NOW)
        page = self.client.get(reverse("logbook:model", args=["orvane d2"]))
        for text in (
            "Clip-on back",
            "as usual",
            "Draws when it is well",
            "Known-good readings",
            "with 1 screw hole",
            "Parts",
        ):
            self.assertContains(page, text)
        self.assertContains(self.client.get(reverse("logbook:models")), "Orvane D2")
        self.assertEqual(self.client.get(reverse("logbook:model", args=["never"])).status_code, 404)


class Wire(Signed):
    def test_the_thinnest_wire_by_length_and_current(self):
        page = self.client.get(reverse("workshop:wire"), {"length_mm": "15", "amps": "2,0"})
        self.assertContains(page, "is the thinnest that will do")
        self.assertEqual(page.context["best"].gauge, 28)
        self.assertEqual(self.client.get(reverse("workshop:wire"), {"length_mm": "x", "amps": "2"}).status_code, 422)


class Hostile(Working):
    """What nobody should send changes nothing and is never a 500."""

    def test_garbage_on_every_new_address(self):
        posts = [
            ("work:step", {}, 302),
            ("work:step", {"act": "done"}, 422),
            ("work:step", {"act": "done \x00"}, 422),
            ("work:step", {"act": "skip off", "why": "x" * 5000}, 302),
            ("work:pick", {}, 422),
            ("work:pick", {"pick": "opening \u202e"}, 422),
            ("work:step_answer", {"line": "nosuch"}, 422),
            ("work:screws", {}, 302),
            ("work:screws", {"act": "describe 1", "length": "many"}, 422),
            ("work:screws", {"at.x": "-3", "at.y": "4"}, 422),
        ]
        for name, data, status in posts:
            with self.subTest(name=name, data=data):
                self.assertEqual(self.client.post(self.to(name), data).status_code, status)
        self.assertEqual(self.client.get(self.to("work:repair") + "?step=%00").status_code, 200)
        self.assertEqual(self.client.get(reverse("jobs:known_model"), {"model_name": "x" * 5000}).status_code, 204)
        self.assertEqual(self.client.get(reverse("stock:item", args=[999])).status_code, 404)

    def test_no_unlock_code_is_kept_in_any_of_the_new_texts(self):
        first = self.plan().steps[0].step.id
        screws.add_screw(self.job, 0.5, 0.5, user=self.user, now=NOW)
        stock.take_in(shipped(), "replace_port", "", 3, user=self.user, now=NOW)
        item = Item.objects.get()
        code = "unlock code 4711"
        for url, data in (
            (self.to("work:step"), {"act": f"done {first}", "why": code}),
            (self.to("work:step"), {"act": f"skip {first}", "why": code}),
            (self.to("work:step"), {"act": f"done {first}", "used": code}),
            (self.to("work:step"), {"act": "fails nudge", "why": code}),
            (self.to("work:screws"), {"act": "describe 1", "head": code}),
            (self.to("work:screws"), {"act": "lost 1", "note": code}),
            (reverse("stock:item", args=[item.pk]), {"which": "bin", "count": "1", "why": code}),
            (reverse("stock:donor"), {"name": "board", "note": code}),
        ):
            with self.subTest(url=url, data=data):
                page = self.client.post(url, data, follow=True)
                self.assertNotContains(page, "4711", status_code=page.status_code)
        self.assertEqual((self.settled(), item.count, Donor.objects.count()), (set(), 3, 0))

    def test_pages_cost_the_same_however_much_was_done(self):
        pages = [
            self.to("work:repair"),
            self.to("work:screws"),
            reverse("logbook:models"),
            reverse("logbook:model", args=["Orvane D2"]),
        ]
        counts = []
        for _ in range(2):
            row = []
            for url in pages:
                self.client.get(url)
                with CaptureQueriesContext(connection) as made:
                    self.client.get(url)
                row.append(len(made))
            counts.append(row)
            self.until("dry_off")
            for place in range(8):
                screws.add_screw(self.job, place / 10, 0.5, user=self.user, now=NOW)
            for _ in range(3):
                make_job(self.user)
        self.assertTrue(all(after <= before for before, after in zip(*counts, strict=True)), counts)
        self.assertLessEqual(max(counts[1]), 16)
