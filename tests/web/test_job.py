"""One job through the actions, and what they refuse."""

import math
import re
from datetime import timedelta

from django.test import TestCase
from django.urls import reverse

from chargepath.base.errors import ChargepathError
from chargepath.knowledge.loader import shipped
from rainfront.demo.proofs import TICKED_LATE, good_readings, prove_whole
from rainfront.jobs import actions, adapters
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.proof import actions as proof_actions
from rainfront.proof.proving import proving_of
from rainfront.work import actions as work_actions
from rainfront.work.models import StepRun
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, handed_on, judged, make_job, make_user


class OneJob(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.user = make_user()

    def job(self, *lines, **details):
        return make_job(self.user, lines, **details)

    def test_an_open_repair_keeps_a_job_from_being_closed_and_goes_with_it_when_it_is_handed_on(self):
        job = self.job("port lint", "did clean_port yes")
        go = {"user": self.user, "now": NOW}
        actions.choose_route(job, "swap_carrier", "as well", **go)
        with self.assertRaisesMessage(ChargepathError, "a repair is still open"):
            proof_actions.close_job(job, [], **go)
        handed_on(job, "no more here", **go)
        self.assertIsNotNone(job.repairs.get().dropped_at)
        job.refresh_from_db()
        self.assertEqual((job.stage, job.outcome_works), (Stage.CLOSED, False))

    def test_an_entry_is_struck_out_once_and_counts_again_once(self):
        job, go = self.job("port lint"), {"user": self.user, "now": NOW}
        entry = job.entries.get(kind="check")
        actions.strike_entry(entry, "wrong device", **go)
        with self.assertRaisesMessage(ChargepathError, "struck out already"):
            actions.strike_entry(entry, "again", **go)
        self.assertEqual(judged(job).belief.entries, ())
        actions.restore_entry(entry, **go)
        with self.assertRaisesMessage(ChargepathError, "not struck out"):
            actions.restore_entry(entry, **go)
        self.assertEqual(len(judged(job).belief.entries), 1)

    def test_overrange_is_read_back_from_the_log_as_overrange(self):
        job = self.job("power OL/512")
        self.assertEqual(job.entries.get(kind="check").values["reading"], "OL")
        (entry,) = judged(job).belief.entries
        self.assertEqual((entry.event.values["reading"], entry.grade), (math.inf, "open"))

    def test_steps_that_are_marked_at_once_teach_no_minutes(self):
        job = self.job("port lint")
        repair = actions.choose_route(job, "clean_port", "", user=self.user, now=NOW)
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=NOW + timedelta(minutes=30))
        self.assertEqual({run.seconds for run in repair.steps.all()}, {0})

    def stage(self, job):
        return Job.objects.get(pk=job.pk).stage

    def repair(self, job, route, reason="habit of the house"):
        repair = actions.choose_route(job, route, reason, user=self.user, now=NOW)
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=NOW)
        return work_actions.finish_repair(repair, "alcohol", user=self.user, now=NOW)

    def test_from_the_counter_to_a_proven_repair(self):
        job = self.job("i 0.0 5.1 20%", "port lint plug_proud", "wiggle drops", history=["pocket_carried"])
        self.assertEqual(job.stage, Stage.DECIDE)
        repair = self.repair(job, "clean_port", "")
        self.assertEqual((self.stage(job), repair.entry.works), (Stage.PROVE, None))
        prove_whole(job, self.user, NOW)
        self.assertEqual(self.stage(job), Stage.HAND_OVER)
        proof_actions.close_job(job, ["port_fouled"], "lint", user=self.user, now=NOW)
        case = adapters.case_of(Job.objects.get(pk=job.pk), shipped())
        self.assertEqual(
            (case.outcome.faults, case.outcome.repairs, case.outcome.works), (("port_fouled",), ("clean_port",), True)
        )

    def test_a_failed_proof_reopens_at_the_right_place_with_the_evidence_kept(self):
        job = self.job("i 0.0 5.1 20%", "port lint plug_proud")
        self.repair(job, "clean_port")
        read = {"amps": 0.05, "volts": 5.0, "amps_flipped": 0.05, "wiggle": "steady"}
        _, result = proof_actions.record_proof(job, read, user=self.user, now=NOW)
        self.assertEqual((result.works, self.stage(job)), (False, Stage.PROVE))
        proof_actions.fail_proof(job, user=self.user, now=NOW)
        step = judged(job).advice.next
        expected = {"outside": Stage.OUTSIDE, "opened": Stage.OPEN}
        self.assertEqual(self.stage(job), expected[shipped().checks[step.id].access])
        read = [(entry.name, entry.works, bool(entry.values)) for entry in job.entries.evidence()[2:]]
        shown = [("charger_current", None, True), ("plug_flip", None, False), ("plug_wiggle", None, False)]
        self.assertEqual(read, [("clean_port", False, False), shown[0], shown[2], shown[1]])
        self.assertEqual(judged(job).belief.entries[3].grade, "trickle")
        self.assertNotEqual(step.id, "clean_port")

    def test_a_proof_may_come_in_pieces_and_takes_its_minutes_from_the_clock(self):
        job = self.job("did clean_port")
        later = NOW + timedelta(minutes=12)
        whole = good_readings(proving_of(job, Shop.current()).asked, amps=1.1)
        late = ("percent_second", "minutes_between", "charge_mah")
        first = {name: value for name, value in whole.numbers.items() if name not in late}
        proof, result = proof_actions.record_proof(job, {**first, **whole.answers}, user=self.user, now=NOW)
        self.assertIsNone(result.works)
        proof, result = proof_actions.record_proof(job, {"percent_second": 28.0}, user=self.user, now=later)
        self.assertEqual((proof.numbers["minutes_between"], result.works, job.proofs.count()), (12, True, 1))

    def test_overruling_the_advice_needs_a_reason_and_the_record_keeps_both(self):
        job = self.job("i 0.08 5.1 12%")
        with self.assertRaisesMessage(ChargepathError, "say why in a few words"):
            actions.choose_route(job, "swap_battery", user=self.user, now=NOW)
        repair = actions.choose_route(job, "swap_battery", "customer asks for it", user=self.user, now=NOW)
        self.assertEqual(repair.reason, "customer asks for it")
        self.assertTrue(repair.advised)

    def test_a_struck_entry_stays_readable_and_counts_no_more(self):
        job = self.job("i 0.0 5.1 20%")
        before = judged(job).belief.faults
        entry = actions.record_line(job, "port lint", user=self.user, now=NOW)
        actions.strike_entry(entry, "wrong device", user=self.user, now=NOW)
        self.assertEqual(judged(job).belief.faults, before)
        self.assertEqual(Entry.objects.get(pk=entry.pk).struck_why, "wrong device")

    def test_refusals_leave_everything_as_it_was(self):
        job = self.job("i 0.0 5.1 20%")
        repair = actions.choose_route(job, "clean_port", "try it", user=self.user, now=NOW)
        note = actions.add_note(job, "seen by the lead", user=self.user, now=NOW)
        go = {"user": self.user, "now": NOW}
        refused = [
            (lambda: actions.record_line(job, "i -1", **go), "is not possible"),
            (lambda: actions.choose_route(job, "swap_battery", "x", **go), "still open"),
            (lambda: actions.choose_route(job, "paint_it", "x", **go), "is no route"),
            (lambda: work_actions.finish_repair(repair, "", **go), "not done yet: Switch it off and unplug it"),
            (lambda: work_actions.do_step(repair, "cell_off", **go), "no step of this plan"),
            (lambda: work_actions.start_timer(repair, "port_pick", **go), "waits for nothing"),
            (lambda: work_actions.undo_step(repair, "port_pick", **go), "not done yet"),
            (lambda: work_actions.fail_check(repair, "port_pick", **go), "looks at nothing"),
            (lambda: work_actions.pick_option(repair, "removal", "iron", **go), "no such choice"),
            (lambda: proof_actions.close_job(job, [], **go), "nothing proves yet"),
            (lambda: handed_on(job, " ", **go), "say what is known and what is not"),
            (lambda: proof_actions.reopen_job(job, "x", **go), "the job is open"),
            (lambda: actions.strike_entry(note, "", **go), "add a note instead"),
            (lambda: actions.move_stage(job, "closed", **go), "is no stage"),
            (lambda: actions.add_note(job, "PIN is 2468", **go), "no code is ever stored"),
            (lambda: proof_actions.record_proof(job, {"amps": 1.0}, **go), "still being worked on"),
        ]
        entries = list(job.entries.values_list("pk", "struck_at"))
        for call, message in refused:
            with self.subTest(message=message), self.assertRaisesMessage(ChargepathError, message):
                call()
        self.assertEqual(list(job.entries.values_list("pk", "struck_at")), entries)
        self.assertEqual(job.proofs.count(), 0)

    def test_a_closed_job_is_read_only_until_reopened(self):
        job = self.job("did clean_port yes")
        proof_actions.close_job(job, ["port_fouled"], user=self.user, now=NOW)
        with self.assertRaisesMessage(ChargepathError, "reopen it first"):
            actions.record_line(job, "port lint", user=self.user, now=NOW)
        proof_actions.reopen_job(job, "came back", user=self.user, now=NOW)
        actions.record_line(job, "port lint", user=self.user, now=NOW)

    def test_striking_out_is_undone_and_the_log_keeps_both(self):
        job = self.job("port lint")
        before = judged(job).belief.faults
        entry = job.entries.get(name="port_look")
        actions.strike_entry(entry, "wrong phone", user=self.user, now=NOW)
        self.assertNotEqual(judged(job).belief.faults, before)
        actions.restore_entry(entry, user=self.user, now=NOW + timedelta(minutes=2))
        self.assertEqual(judged(job).belief.faults, before)
        self.assertIn("struck out 09:30 by TE: wrong phone", job.entries.last().text)
        with self.assertRaisesMessage(ChargepathError, "it is not struck out"):
            actions.restore_entry(entry, user=self.user, now=NOW)

    def test_the_limit_asks_its_own_question(self):
        """Against the advice and over the limit are two reasons; what was done already is named."""
        job = self.job("port clean", limit=20)
        for reasons, says in ((("as agreed", ""), "over the customer's limit of 20"), (("", "agreed"), "not what the")):
            with self.assertRaisesMessage(ChargepathError, says):
                actions.choose_route(job, "swap_battery", *reasons, user=self.user, now=NOW)
        repair = actions.choose_route(job, "swap_battery", "asked for", "agreed by phone", user=self.user, now=NOW)
        self.assertEqual((repair.reason, repair.over_limit), ("asked for", "agreed by phone"))
        actions.drop_repair(repair, user=self.user, now=NOW)
        actions.record_line(job, "did swap_carrier no", user=self.user, now=NOW)
        with self.assertRaisesRegex(ChargepathError, r"about \d+, \d+ of it done already, over the customer's limit"):
            actions.choose_route(job, "swap_battery", "as agreed", user=self.user, now=NOW)

    def test_a_step_that_measures_takes_its_answer_and_the_job_stays_at_the_repair(self):
        job = self.job("i 0.0 5.1 20%", "power 220/512 at board")
        repair = actions.choose_route(job, "replace_port_ic", "pads look burnt", user=self.user, now=NOW)
        self.client.force_login(self.user)
        at = reverse("work:repair", args=[job.pk]) + "?step=chip_off_lines"
        self.assertContains(self.client.get(at), 'value="liftport recovers"')
        answer = {"line": "liftport recovers", "at": "chip_off_lines"}
        self.client.post(reverse("work:step_answer", args=[job.pk]), answer)
        page = self.client.get(at)
        self.assertContains(page, "entered: <b>recovers")
        self.assertEqual((self.stage(job), job.entries.get(name="lift_port_ic").grade), (Stage.REPAIR, "recovers"))
        with self.assertRaisesMessage(ChargepathError, "nosuch"):
            work_actions.record_at_step(repair, "nosuch 1", user=self.user, now=NOW)

    def test_what_was_used_survives_a_tick(self):
        job = self.job("port lint")
        repair = actions.choose_route(job, "clean_port", "x", user=self.user, now=NOW)
        work_actions.do_step(repair, "port_off_charge", used="brush and 99 %", user=self.user, now=NOW)
        work_actions.do_step(repair, "port_pick", user=self.user, now=NOW)
        repair.refresh_from_db()
        self.assertEqual(
            (repair.used, set(StepRun.objects.settled(repair.pk))), ("brush and 99 %", {"port_off_charge", "port_pick"})
        )

    def test_a_long_log_is_shown_in_parts_and_nothing_of_it_is_hidden(self):
        job = make_job(self.user, ("port lint",))
        notes = [Entry(job=job, kind="note", text=f"note {n} here", by=self.user, at=NOW) for n in range(1200)]
        Entry.objects.bulk_create(notes)
        count = Entry.objects.filter(job=job).count()
        self.client.force_login(self.user)
        bench = self.client.get(job.get_absolute_url()).content.decode()
        record = reverse("jobs:record", args=[job.pk])
        self.assertEqual(len(re.findall(r"note \d+ here", bench)), 300)
        self.assertIn(f'<a href="{record}">{count - 300} older lines', bench)
        self.assertTrue("note 1199 here" in bench and "note 899 here" not in bench)
        page = self.client.get(record).content.decode()
        self.assertEqual(len(re.findall(r"note \d+ here", page)), 1000)
        self.assertIn(f"All of them, {count - 1000} older ones too", page)
        whole = self.client.get(record, {"whole": "yes"}).content.decode()
        self.assertEqual(len(re.findall(r"note \d+ here", whole)), 1200)
        self.assertNotIn("All of them", whole)

    def test_details_are_corrected_with_what_they_were_in_the_log(self):
        job = self.job()
        actions.change_details(job, {"carrier": "none"}, user=self.user, now=NOW)
        self.assertIn("sub_board → none", job.entries.last().text)
