"""One knowledge, one judgement, one guard: what used to be told differently on different pages."""

import re
from datetime import timedelta
from decimal import Decimal
from importlib import import_module, util
from pathlib import Path
from unittest import mock

from django.apps import apps
from django.core.exceptions import ValidationError
from django.db import connection
from django.forms import BaseForm, DecimalField, FloatField, IntegerField, NumberInput
from django.http import Http404
from django.test import SimpleTestCase, TransactionTestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from chargepath.base.quantities import METERS
from chargepath.case.entries import CheckEvent, RepairEvent
from chargepath.grading import readings
from chargepath.knowledge.loader import shipped
from chargepath.learning.betas import LearnedNumber
from chargepath.learning.examples import Estimates
from chargepath.repair.cell import Cell, Feed
from chargepath.trace.table import look
from rainfront.cell.actions import start_run
from rainfront.counter.papers import _how_known
from rainfront.demo.picture import draw_board
from rainfront.demo.proofs import TICKED_LATE
from rainfront.inside import actions as inside
from rainfront.inside.models import Mark, Photo, Sheet
from rainfront.inside.probed import probed_on
from rainfront.instruments import actions as instruments
from rainfront.instruments.models import Record
from rainfront.jobs import actions, judging
from rainfront.jobs.adapters import evidence_before_repairs, evidence_of
from rainfront.jobs.judging import is_proved
from rainfront.jobs.models import Entry, Job, Quote, Repair
from rainfront.jobs.writing import JobError, open_job
from rainfront.people.rights import NotAllowed
from rainfront.proof import actions as proof_actions
from rainfront.reference.models import DiodeMeter
from rainfront.stock import actions as stock
from rainfront.web.forms import CountField, DiodeField, MoneyField, QuantityField
from rainfront.work import actions as work_actions
from rainfront.work.actions import screws
from rainfront.workshop.actions import change_number, store_estimates
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, handed_on, judged, make_job, make_user
from tests.sizes import sized
from tests.web.test_pages import Signed

ROOT = Path(__file__).parents[2]
LATER = NOW + timedelta(minutes=1)


class OneKnowledge(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.lead = make_user("lead", "lead")
        cls.hand = {"user": cls.user, "now": LATER}

    def set(self, path, value):
        change_number(path, value, "as we see it here", user=self.lead, now=NOW)

    def grades(self, job, check):
        known, device = Shop.current().known, judging.device_of(job)
        return {
            readings.grade_event(known, device, judging.case_of(job, known, [row]).events[0]).grade
            for row in Entry.objects.filter(job=job, name=check)
        }

    def test_a_leak_limit_set_by_the_lead_holds_on_the_quick_line_and_on_the_supply_page(self):
        self.set("checks.supply_idle.reading.leaks_from_a", 0.0005)
        job = make_job(self.user, ("idle 0.004",))
        inside.enter_supply(job, 0.004, None, **self.hand)
        self.assertEqual(self.grades(job, "supply_idle"), {"leaks"})
        page = self.client.get(reverse("inside:supply", args=[job.pk]))
        self.assertEqual(page.context["limits"][0], 0.5)

    def test_a_changed_expectation_holds_for_what_is_typed_and_for_a_record(self):
        self.set("checks.charger_current.reading.phone_watts", 12.0)
        job = make_job(self.user, ("i 1.2 5.0 20%",))
        text = "seconds,volts,amps\n" + "\n".join(f"{k},5.0,{1.2 + 0.002 * (k % 2)}" for k in range(90))
        draft = instruments.keep_draft(job, text.encode(), "steady.csv", "file", **self.hand)
        record = instruments.store_draft(draft, look(text), {"percent": 20.0}, **self.hand)
        self.assertEqual((record.grade, self.grades(job, "charger_current")), ("reduced", {"reduced"}))

    def test_a_cure_set_by_hand_is_the_prior_that_learning_moves_whichever_comes_first(self):
        path, key = "routes.clean_port.cures.port_fouled", ("clean_port", "port_fouled")
        for first in ("hand", "job"):
            with self.subTest(first=first):
                if first == "hand":
                    self.set(path, 0.40)
                job = make_job(self.user, ("i 0.6 5.0 20%", "port lint"))
                actions.record_line(job, "did clean_port yes", **self.hand)
                proof_actions.close_job(job, ["port_fouled"], **self.hand)
                if first == "job":
                    self.set(path, 0.40)
                shop = Shop.current()
                self.assertEqual(shop.estimates.cures[key].count, 1 if first == "hand" else 2)
                expected = (10 * 0.40 + shop.estimates.cures[key].count) / (10 + shop.estimates.cures[key].count)
                self.assertAlmostEqual(shop.known.routes["clean_port"].cures["port_fouled"], expected, places=6)
                self.assertEqual(shop.changed.routes["clean_port"].cures["port_fouled"], 0.40)


class OneJudgement(Signed):
    def paced(self, person, factor):
        pace = {str(person.pk): LearnedNumber(1.0, factor, 9)}
        store_estimates(
            Estimates(shares={}, cures={}, comebacks={}, minutes={}, pace=pace, jobs=1), user=person, now=NOW
        )

    def test_what_the_bench_advises_a_slow_hand_the_choose_page_and_its_action_call_advised(self):
        self.paced(self.user, 3.0)
        other = make_user("fast")
        lines = ("i 0.6 5.0 20%", "port lint", "flip same", "wiggle steady")
        for value in sized((30, 150), (30, 60, 90, 150)):
            job = make_job(self.user, lines, value=value)
            step = judged(job, self.user).advice.next
            self.assertNotEqual(judged(job, self.user).advice.commit, judged(job, other).advice.commit)
            bench = self.client.get(job.get_absolute_url()).context["bench"]
            self.assertEqual((bench.next.kind, bench.next.id), (step.kind, step.id))
            for term in judged(job, self.user).advice.routes:
                if term.id in ("prove", "refer"):
                    continue
                page = self.client.get(reverse("jobs:choose", args=[job.pk, term.id]))
                equal = [option.id for option in judged(job, self.user).advice.equals if option.kind == "repair"]
                self.assertEqual(page.context["advised"], step.id == term.id or term.id in equal)

    def test_one_line_costs_one_advice_one_grading_and_few_queries(self):
        job = make_job(self.user, ("i 0.6 5.0 20%", "start starts", "vport 4.9"))
        self.client.get(job.get_absolute_url())
        address = reverse("jobs:line", args=[job.pk])
        before = readings._grade.cache_info().misses
        with (
            mock.patch.object(judging, "judge", wraps=judging.judge) as judge,
            CaptureQueriesContext(
                connection,
            ) as queries,
        ):
            page = self.client.post(address, {"line": "vboard 4.8731"}, headers={"HX-Request": "true"})
        self.assertContains(page, "97% of")
        self.assertEqual((judge.call_count, readings._grade.cache_info().misses - before), (1, 1))
        asked = [row["sql"] for row in queries if "SAVEPOINT" not in row["sql"]]
        self.assertLess(len(asked), 12, "\n".join(asked))

    def test_something_entered_meanwhile_is_looked_at_before_a_repair_is_begun(self):
        job = make_job(self.user, ("port lint", "i 0.6 5.0 20%"))
        real = judging.judgement_for

        def and_then_somebody_enters(*args):
            found = real(*args)
            Entry.objects.create(job=job, kind="check", name="plug_wiggle", grade="drops", by=self.user, at=LATER)
            return found

        with (
            mock.patch("rainfront.jobs.actions.repair.judgement_for", and_then_somebody_enters),
            self.assertRaisesMessage(JobError, "something was entered on this job meanwhile"),
        ):
            actions.choose_route(job, "clean_port", "", user=self.user, now=LATER)
        self.assertFalse(Repair.objects.exists())


class OneTimeline(Signed):
    """What somebody else did before the device came in is a line of the log and no boundary, whenever it is entered."""

    LINES = ("port clean", "inside clean", "power 3/512")

    def setUp(self):
        super().setUp()
        self.job = make_job(self.user, self.LINES)
        self.shop = Shop.current()

    def told(self):
        actions.record_line(self.job, "did clean_port other", user=self.user, now=LATER)
        return Job.objects.get(pk=self.job.pk)

    def test_the_benchs_marks_stay(self):
        before = self.client.get(self.job.get_absolute_url()).context["bench"]
        self.told()
        after = self.client.get(self.job.get_absolute_url()).context["bench"]
        marks = [{gauge.id: gauge.mark for gauge in bench.scene.gauges} for bench in (before, after)]
        self.assertEqual(marks[0], marks[1])
        self.assertEqual(marks[1]["port"], "short")

    def test_where_a_sheet_points_stays(self):
        meter = DiodeMeter.objects.create(name="Bench", style="millivolts", test_ma=1.0)
        sheet = Sheet.objects.create(
            job=self.job, map_id="usb_c", place="contact", mode="diode", meter=meter, by=self.user, at=NOW
        )
        for pin in ("A4", "A6", "A7", "B4", "B6", "B7"):
            inside.store_point(sheet, pin, 40.0, user=self.user, now=NOW)
        before = probed_on(self.job, self.shop.known).location
        self.assertIsNotNone(before)
        self.assertEqual(probed_on(self.told(), self.shop.known).location, before)

    def test_the_report_says_how_it_is_known(self):
        # As it is usually told: at the counter, before anything was measured.
        job = make_job(self.user, ("did clean_port other", *self.LINES))
        self.assertEqual(len(_how_known(job, self.shop.known)), 1)
        self.assertEqual(evidence_before_repairs(job), evidence_of(job))

    def test_a_part_that_this_bench_never_took_does_not_go_back_on_the_shelf(self):
        stock.take_in(self.shop.known, "swap_battery", "", 1, user=make_user("lead", "lead"), now=NOW)
        actions.record_line(self.job, "did swap_battery other", user=self.user, now=LATER)
        entry = Entry.objects.get(kind="repair")
        with mock.patch("rainfront.jobs.actions.log.put_back") as back:
            actions.strike_entry(entry, "wrong device", user=self.user, now=LATER)
        back.assert_not_called()

    def test_what_others_did_does_not_undo_a_proof(self):
        self.job = make_job(self.user, ("port lint", "did clean_port yes"))
        self.assertTrue(is_proved(Job.objects.get(pk=self.job.pk), self.shop.known))
        self.assertTrue(is_proved(self.told(), self.shop.known))
        actions.record_line(self.job, "wiggle drops", user=self.user, now=LATER)
        self.assertFalse(is_proved(Job.objects.get(pk=self.job.pk), self.shop.known))


class OneLog(Signed):
    def test_what_is_filled_in_later_holds_for_the_log_and_the_case_that_were_fetched_before(self):
        job = make_job(self.user, ("port lint", "did clean_port"))
        row = Entry.objects.get(kind="repair")
        with open_job(job, self.user, LATER) as log:
            self.assertEqual(log.case.events[-1].works, None)
            log.correct(row, works=True, values={"proved": True})
            self.assertEqual((log.case.events[-1].works, log.evidence[-1].works), (True, True))
            log.add(RepairEvent("prove", False), seen=True)
            self.assertEqual([event.works for event in log.case.events[1:]], [True, False])
            log.strike(log.evidence[-1], "not so")
            self.assertEqual(len(log.case.events), 2)

    def test_a_job_whose_device_is_corrected_is_judged_as_that_device(self):
        job = make_job(self.user, ("port lint",))
        with open_job(job, self.user, LATER) as log:
            self.assertEqual(log.case.device.carrier, "sub_board")
            log.change(carrier="none")
            self.assertEqual(log.case.device.carrier, "none")


class OutsideTheTransaction(TransactionTestCase):
    def test_nothing_is_reckoned_while_the_database_is_locked(self):
        user = make_user()
        real, locked = judging.judge, []

        def judge(*args, **details):
            locked.append(connection.in_atomic_block)
            return real(*args, **details)

        judging._judged.cache_clear()
        with mock.patch.object(judging, "judge", judge):
            job = make_job(user, ("port lint", "i 0.6 5.0 20%"))
            hand = {"user": user, "now": LATER}
            repair = actions.choose_route(job, "clean_port", "so we do", **hand)
            actions.drop_repair(repair, **hand)
            actions.strike_entry(Entry.objects.filter(name="port_look").get(), "slip", **hand)
            proof_actions.record_proof(job, {"amps": 0.1, "volts": 5.0, "percent_first": 20.0}, **hand)
            proof_actions.reopen_job(handed_on(job, **hand), "came back", **hand)
        self.assertGreater(len(locked), 4)
        self.assertFalse(any(locked))

    def test_two_readings_at_once_are_both_kept_and_the_stage_follows_both(self):
        user = make_user()
        job = make_job(user, ("port clean",))
        with open_job(job, user, LATER) as log:
            log.add(CheckEvent("plug_flip", grade="same"))
            log.add(CheckEvent("plug_wiggle", grade="steady"))
        self.assertEqual(Job.objects.get(pk=job.pk).stage, judging.stage_by_advice(job, judged(job, user)))


class OneGuard(Signed):
    """Every act on a closed job is refused, and so is every act of somebody who may not work here."""

    def setUp(self):
        super().setUp()
        self.job = make_job(self.user, ("port lint", "i 0.6 5.0 20%"))
        hand = {"user": self.user, "now": NOW}
        text = "seconds,amps\n" + "\n".join(f"{k},1.0" for k in range(60))
        self.draft = instruments.keep_draft(self.job, text.encode(), "a.csv", "file", **hand)
        self.record = instruments.store_draft(self.draft, look(text), {"percent": 20.0}, **hand)
        self.draft = instruments.keep_draft(self.job, text.encode(), "b.csv", "file", **hand)
        self.layout, self.waiting = look(text), instruments.start_waiting(self.job, 3.0, **hand)
        details = {"map_id": "usb_c", "place": "contact", "meter": DiodeMeter.objects.create(name="M")}
        self.sheet = inside.start_sheet(self.job, details, **hand)
        inside.store_point(self.sheet, "A4", 380.0, **hand)
        self.struck = actions.record_line(self.job, "wiggle drops", **hand)
        actions.strike_entry(self.struck, "slip", **hand)
        self.quote = actions.make_quote(self.job, "clean_port", 20, "clean it", **hand)
        self.repair = actions.choose_route(self.job, "clean_port", "so we do", **hand)
        self.picture = draw_board(3)
        self.photo = inside.add_photo(self.job, self.picture, "port", **hand)
        self.mark = inside.add_mark(self.photo, 0.5, 0.5, "hot", "part", "touch", **hand)
        self.draws = inside.begin_hunt(self.job, 0.18, **hand)
        inside.unplug(self.draws, "display", 0.02, **hand)

    def acts(self):
        entry = Entry.objects.filter(job=self.job, name="port_look").get()
        job = self.job
        return {
            "line": lambda **hand: actions.record_line(job, "flip same", **hand),
            "event": lambda **hand: actions.record_event(job, CheckEvent("plug_flip", grade="same"), **hand),
            "strike": lambda **hand: actions.strike_entry(entry, "slip", **hand),
            "stage": lambda **hand: actions.move_stage(job, "inside", **hand),
            "details": lambda **hand: actions.change_details(job, {"complaint": "other"}, **hand),
            "proof": lambda **hand: proof_actions.record_proof(job, {"amps": 1.0}, **hand),
            "quote": lambda **hand: actions.make_quote(job, "clean_port", 5, "words", **hand),
            "answer": lambda **hand: actions.answer_quote(self.quote, "approved", "KM", **hand),
            "school": lambda **hand: actions.set_school(job, "none", **hand),
            "choose": lambda **hand: actions.choose_route(job, "replace_port", "why", **hand),
            "tick": lambda **hand: work_actions.do_rest(self.repair, reasons=TICKED_LATE, **hand),
            "step": lambda **hand: work_actions.do_step(self.repair, "port_pick", **hand),
            "undo": lambda **hand: work_actions.undo_step(self.repair, "port_pick", **hand),
            "fails": lambda **hand: work_actions.fail_check(self.repair, "port_alcohol", **hand),
            "timer": lambda **hand: work_actions.start_timer(self.repair, "port_alcohol", **hand),
            "stop": lambda **hand: work_actions.stop_timer(self.repair, "port_alcohol", **hand),
            "pick": lambda **hand: work_actions.pick_option(self.repair, "seal", "cut", **hand),
            "hole": lambda **hand: screws.add_screw(job, 0.5, 0.5, **hand),
            "screw": lambda **hand: screws.move_screw(job, 1, "out", **hand),
            "length": lambda **hand: screws.describe_screw(job, 1, 3.0, "", **hand),
            "screws": lambda **hand: screws.move_all(job, "out", **hand),
            "unhole": lambda **hand: screws.remove_screw(job, 1, **hand),
            "map": lambda **hand: screws.copy_screws(job, **hand),
            "finish": lambda **hand: work_actions.finish_repair(self.repair, "", **hand),
            "drop": lambda **hand: actions.drop_repair(self.repair, **hand),
            "close": lambda **hand: proof_actions.close_job(job, [], **hand),
            "refer": lambda **hand: handed_on(job, **hand),
            "draft": lambda **hand: instruments.keep_draft(job, b"1", "c", "file", **hand),
            "store": lambda **hand: instruments.store_draft(self.draft, self.layout, {}, **hand),
            "start": lambda **hand: instruments.start_record(job, "", {}, **hand),
            "use": lambda **hand: instruments.use_record(self.record, "charger_current", **hand),
            "conditions": lambda **hand: instruments.set_conditions(self.record, {"percent": 90.0}, **hand),
            "strike record": lambda **hand: instruments.strike_record(self.record, "wrong", **hand),
            "restore": lambda **hand: actions.restore_entry(self.struck, **hand),
            "wait": lambda **hand: instruments.start_waiting(job, 3.0, **hand),
            "read": lambda **hand: instruments.read_waiting(self.waiting, 4.5, **hand),
            "sheet": lambda **hand: inside.start_sheet(job, {"map_id": "usb_c", "place": "contact"}, **hand),
            "point": lambda **hand: inside.store_point(self.sheet, "A4", 500.0, **hand),
            "enter": lambda **hand: inside.enter_sheet(self.sheet, **hand),
            "lift": lambda **hand: inside.start_lift(self.sheet, "port_ic", **hand),
            "ladder": lambda **hand: inside.store_ladder(job, {"source": 5.0, "plug": 4.9}, 1.0, **hand),
            "hunt": lambda **hand: inside.begin_hunt(job, 0.18, **hand),
            "unplug": lambda **hand: inside.unplug(self.draws, "display", 0.02, **hand),
            "one back": lambda **hand: inside.one_back(self.draws, **hand),
            "hunted": lambda **hand: inside.end_hunt(self.draws, **hand),
            "cell": lambda **hand: start_run(
                job, Cell(shipped().cells.kinds["v420"], 3000.0, 3.1), Feed(4.2, 1.5), **hand
            ),
            "supply": lambda **hand: inside.enter_supply(job, 0.004, None, **hand),
            "sense": lambda **hand: inside.enter_sense(job, [], **hand),
            "photo": lambda **hand: inside.add_photo(job, self.picture, "again", **hand),
            "mark": lambda **hand: inside.add_mark(self.photo, 0.1, 0.1, "here", **hand),
            "unmark": lambda **hand: inside.remove_mark(self.mark, **hand),
            "unphoto": lambda **hand: inside.remove_photo(self.photo, **hand),
        }

    def state(self):
        tables = (Job, Entry, Repair, Quote, Record, Sheet, Photo, Mark)
        return [list(table.objects.order_by("pk").values()) for table in tables]

    def test_a_closed_job_is_changed_by_nothing(self):
        Job.objects.filter(pk=self.job.pk).update(stage="closed")
        before = self.state()
        for name, act in self.acts().items():
            with self.subTest(act=name), self.assertRaisesMessage(JobError, "the job is closed"):
                act(user=self.user, now=LATER)
        self.assertEqual(self.state(), before)

    def test_nobody_without_the_right_changes_a_job(self):
        gone = make_user("gone")
        gone.is_active = False
        before = self.state()
        for name, act in self.acts().items():
            with self.subTest(act=name), self.assertRaises(NotAllowed):
                act(user=gone, now=LATER)
        self.assertEqual(self.state(), before)

    def test_every_act_does_something_on_an_open_job(self):
        for name in ("tick", "use", "conditions", "point", "stage"):
            with self.subTest(act=name):
                before = self.state()
                instruments_before = list(self.sheet.points.values())
                self.acts()[name](user=self.user, now=LATER)
                self.assertNotEqual((self.state(), list(self.sheet.points.values())), (before, instruments_before))

    def test_there_is_no_such_job(self):
        with self.assertRaises(Http404):
            actions.record_line(99_999, "flip same", user=self.user, now=LATER)

    def test_the_conditions_of_a_closed_jobs_record_stay_through_the_page_too(self):
        Job.objects.filter(pk=self.job.pk).update(stage="closed")
        address = reverse("instruments:conditions", args=[self.job.pk, self.record.pk])
        page = self.client.post(address, {"source": "brick_5v2a", "percent": "90"})
        self.assertContains(page, "reopen it first", status_code=422)
        self.assertEqual(Record.objects.get(pk=self.record.pk).percent, 20.0)


class Fragments(Signed):
    def test_a_reading_makes_no_prompts_that_its_fragment_leaves_out(self):
        job = make_job(self.user)
        details = {"map_id": "usb_c", "place": "contact"}
        sheet = inside.start_sheet(job, details, user=self.user, now=NOW)
        address = reverse("inside:point", args=[job.pk, sheet.pk])
        page = self.client.post(
            address, {"pin": "A4", "act": "", "value": "500"}, headers={"HX-Request": "true", "HX-Target": "sheet"}
        )
        self.assertEqual(page.context["page"].prompts, [])
        self.assertEqual(len(self.client.get(sheet.get_absolute_url()).context["page"].prompts), 24)


def _below(kind):
    for found in kind.__subclasses__():
        yield found
        yield from _below(found)


class OneNumberField(SimpleTestCase):
    def test_numbers_are_read_as_people_type_them_wherever_they_are_typed(self):
        """A decimal comma, a unit, and in plain words what would be right."""
        rows = [
            (QuantityField("ohm", least=0, most=100_000), "4,7 kohm", 4700.0),
            (QuantityField("°C", least=-10, most=50), "21,5 °C", 21.5),
            (QuantityField("% or V"), "3,42V", 3.42),
            (QuantityField("% or V"), "17 %", 17.0),
            (QuantityField("days"), "2", 2.0),
            (QuantityField("m", most=20), "150 cm", 1.5),
            (DiodeField(METERS["volts"]), "0,512", 512.0),
            (MoneyField(), "12,50", Decimal("12.50")),
        ]
        for field, text, value in rows:
            with self.subTest(text=text):
                self.assertEqual(field.clean(text), value)
        refused = [
            (QuantityField("V", least=0.3, most=20), "24", "24 is too much: 20 V or less"),
            (QuantityField("V", least=0.3, most=20), "0,1", "0,1 is too little: 0.3 V or more"),
            (QuantityField(""), "3 V", "a number without a unit"),
            (QuantityField("V"), "1,8 a", "the unit a; this takes V, mV"),
            (MoneyField(), "twelve", "as in 12,50"),
        ]
        for field, text, says in refused:
            with self.subTest(text=text), self.assertRaisesRegex(ValidationError, says):
                field.clean(text)

    def test_no_form_has_another_kind_of_number(self):
        """Every form of the program, what a model makes of its columns included, and every input written by hand."""
        for app in apps.get_app_configs():
            if app.name.startswith("rainfront.") and util.find_spec(f"{app.name}.forms"):
                import_module(f"{app.name}.forms")
        forms = [form for form in _below(BaseForm) if form.__module__.startswith("rainfront.")]
        self.assertGreater(len(forms), 20)
        for form in forms:
            for name, field in form.base_fields.items():
                with self.subTest(form=form.__name__, field=name):
                    number = isinstance(field, (IntegerField, FloatField, DecimalField))
                    self.assertFalse(
                        isinstance(field.widget, NumberInput) or (number and type(field) is not MoneyField)
                    )
        for path in (ROOT / "rainfront").rglob("*.html"):
            self.assertNotIn('type="number"', path.read_text("utf-8"), path)
        for text, value in (("3", 3), ("3,0", 3)):
            self.assertEqual(CountField("", least=1).clean(text), value)
        with self.assertRaisesRegex(ValidationError, "'2,5' is not a whole number"):
            CountField("").clean("2,5")


class OneRegistry(SimpleTestCase):
    def test_jobs_and_what_lies_below_them_name_no_app_above(self):
        """Not by import (a contract sees that), address or related name."""
        above = [app for app in apps.get_app_configs() if app.name in ("rainfront.inside", "rainfront.instruments")]
        related = {
            field.remote_field.related_name
            for app in above
            for model in app.get_models()
            for field in model._meta.get_fields()
            if field.is_relation and not field.auto_created and field.related_model in (Job, Entry)
        }
        self.assertIn("photos", related)
        names = "|".join(sorted(related))
        pattern = re.compile(rf"(inside|instruments):|rainfront\.(inside|instruments)|[.\"']({names})\b(?!-)")
        below = [ROOT / "rainfront" / app for app in ("web", "people", "workshop", "stock", "jobs")]
        for path in (path for folder in below for kind in ("*.py", "*.html") for path in folder.rglob(kind)):
            with self.subTest(path=path.relative_to(ROOT)):
                self.assertIsNone(pattern.search(path.read_text("utf-8")))
