"""Steps that guard a person or the device, ticked off through the interface."""

import re
from datetime import timedelta

from django.utils import timezone

from chargepath.base.errors import ChargepathError
from chargepath.repair.guards import GuardKind
from rainfront.demo.proofs import TICKED_LATE
from rainfront.jobs import actions
from rainfront.work import actions as work_actions
from rainfront.work.models import StepRun, Timer
from tests.builders import NOW, make_job
from tests.web.test_work import Working, later


class Guards(Working):
    """Steps that guard a person or the device: asked once, passed knowingly, kept in the log."""

    def passed(self):
        return list(self.job.entries.filter(name="passed").values_list("text", flat=True))

    def test_a_wait_cut_short_asks_and_a_reason_passes_it(self):
        self.until("dry_off")
        StepRun.objects.update(done_at=timezone.now())
        for _ in range(2):
            page = self.press("done dry_off")
            self.assertContains(page, "After 0 of 2 min.", status_code=422)
            self.assertNotIn("dry_off", self.settled())
        self.press("done dry_off Looked at: it is ready already")
        self.assertIn("dry_off", self.settled())
        self.assertRegex(self.passed()[-1], r"^After 0 of 2 min\. Blow it dry.* \(Looked at: it is ready already\)$")

    def test_a_wait_that_the_clock_has_seen_does_not_ask(self):
        self.until("dry_off")
        passed = self.passed()
        last = max(run.done_at for run in StepRun.objects.all())
        for early in (timedelta(seconds=119), timedelta(0)):
            with self.assertRaisesMessage(work_actions.GuardError, f"After {early.seconds // 60} of 2 min"):
                work_actions.do_step(self.repair, "dry_off", user=self.user, now=last + early)
        work_actions.do_step(self.repair, "dry_off", user=self.user, now=last + timedelta(minutes=2))
        self.assertEqual(self.passed(), passed)

    def test_a_timer_that_ran_before_the_step_failed_does_not_pass_for_the_new_wait(self):
        self.until("plate_warm")
        work_actions.start_timer(self.repair, "plate_warm", user=self.user, now=later(100))
        work_actions.fail_check(self.repair, "plate_warm", user=self.user, now=later(130))
        self.assertFalse(Timer.objects.running().exists())

    def test_lines_before_power_take_their_reading_or_a_reason(self):
        self.until("measure_port")
        passed = self.passed()
        self.assertContains(self.press("done measure_port"), "No reading is entered.", status_code=422)
        self.client.post(self.to("work:step_answer"), {"line": "power 512", "at": "measure_port"})
        self.press("done measure_port")
        self.assertIn("measure_port", self.settled())
        self.assertEqual(self.passed(), passed)

    def test_a_line_that_reads_low_before_power_asks_once_more(self):
        self.until("measure_port")
        self.client.post(self.to("work:step_answer"), {"line": "power 260/512", "at": "measure_port"})
        page = self.press("done measure_port")
        self.assertContains(page, "What was read is off.", status_code=422)
        self.assertNotIn("measure_port", self.settled())
        self.client.post(self.to("work:step_answer"), {"line": "power 505/512", "at": "measure_port"})
        self.press("done measure_port")
        self.assertIn("measure_port", self.settled())

    def test_all_that_are_left_stop_at_what_guards_and_a_reason_covers_its_own_kind_only(self):
        def rest(*kinds, minutes=0.0):
            reasons = dict.fromkeys(kinds, "done, ticked off late")
            return work_actions.do_rest(self.repair, reasons=reasons, user=self.user, now=later(minutes))

        stops = []
        kinds = []
        while (found := rest(*kinds)).guards:
            stops.append((found.step, [guard.kind.value for guard in found.guards]))
            kinds = [guard.kind for guard in found.guards]
            self.assertNotIn(found.step, self.settled())
        self.assertEqual([kind for _, kind in stops], [["wait"], ["cell"], ["wait"], ["reading"]], stops)
        self.assertEqual(stops[-1][0], "measure_port")
        waits = [row.step.wait for row in self.plan().steps if row.step.wait and row.step.id in self.settled()]
        self.assertEqual(sum("After 0 of" in text for text in self.passed()), len(waits))

    def test_one_part_of_the_plan_is_marked_and_nothing_beyond_it(self):
        page = self.press("part open")
        while b"data-asked" in page.content:
            act = re.search(rb'name="act" value="(part open:[^ "]+) ', page.content)[1].decode()
            page = self.press(f"{act} it is so")
        opening = {row.step.id for row in self.plan().steps if row.phase == "open"}
        self.assertEqual(set(self.settled()), opening)
        self.assertGreater(len(opening), 4)

    def test_the_clock_answers_for_the_waits_that_it_had_time_for_and_for_no_more(self):
        steps = [row.step for row in self.plan().steps if row.phase in ("open", "work", "ready")]
        waits = [step.wait for step in steps if step.wait]
        known = {GuardKind.CELL: "off", GuardKind.READING: "measured", GuardKind.SCREWS: "counted"}
        short = work_actions.do_rest(self.repair, reasons=known, user=self.user, now=later(sum(waits) - 0.5))
        self.assertEqual([guard.kind for guard in short.guards], [GuardKind.WAIT])
        self.assertEqual(short.step, [step.id for step in steps if step.wait][-1])
        work_actions.undo_step(self.repair, steps[0].id, user=self.user, now=later(1))

    def test_what_a_danger_forbids_is_not_ticked_off_with_the_rest(self):
        job = make_job(self.user, ("i 0.1 5.0 2%",))
        repair = actions.choose_route(job, "leave_on_charge", "flat", user=self.user, now=NOW)
        actions.record_line(job, "danger swollen", user=self.user, now=NOW)
        with self.assertRaisesMessage(ChargepathError, "Swollen cell"):
            work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=NOW)
        self.assertFalse(StepRun.objects.exists())

    def test_what_is_refused_further_down_keeps_what_was_ticked_before_it(self):
        """The battery stays off while the rail is shorted; a reading that is in band lets the rest go on."""
        job = make_job(self.user, ("rail 3/400",), carrier="none")
        repair = actions.choose_route(job, "repair_rail", "as agreed", user=self.user, now=NOW)
        hand = {"reasons": TICKED_LATE, "user": self.user, "now": NOW}
        stopped = work_actions.do_rest(repair, **hand)
        self.assertEqual(stopped.step, "cell_on")
        self.assertIn("Shorted rail", stopped.refused)
        self.assertIn("measure_rail", StepRun.objects.settled(repair.pk))
        with self.assertRaisesMessage(ChargepathError, "Shorted rail"):
            work_actions.do_rest(repair, **hand)
        work_actions.record_at_step(repair, "rail 400/400", user=self.user, now=NOW)
        self.assertEqual(work_actions.do_rest(repair, **hand).refused, "")
