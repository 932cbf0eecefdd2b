"""The cell desk through the web: what is refused, and the watch against a simulated supply that misbehaves."""

import threading
from datetime import timedelta
from types import SimpleNamespace
from unittest import mock

from django.urls import reverse
from django.utils import timezone

from chargepath.base.errors import ReadingError
from chargepath.knowledge.loader import shipped
from chargepath.repair.cell import Cell, Feed
from chargepath.standin.bench_supply import StandinSupply, StandinThermocouple
from rainfront.cell import actions, watching
from rainfront.cell.models import CellRun
from rainfront.instruments.models import Supply
from rainfront.instruments.serving import serve, serve_answers
from rainfront.jobs.actions import record_line
from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User
from tests.builders import NOW, make_job, make_user
from tests.ports import free_port
from tests.served import served
from tests.web.test_pages import Signed

TYPED = {"kind": "v420", "capacity": "3000", "volts": "3,10", "temp": "22", "by": "supply"}
CELL = Cell(shipped().cells.kinds["v420"], 3000.0, 3.1)
FEED = Feed(4.2, 1.5)


class Desk(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user, ("cell 2.60",))
        cls.path = reverse("cell:desk", args=[cls.job.pk])

    def test_the_desk_without_a_job_says_what_to_set_and_when_it_can_start(self):
        page = self.client.get(reverse("cell:plan"))
        self.assertContains(page, "It can start after")
        self.assertContains(page, "From 3.0 V on 1.50 A")
        page = self.client.get(reverse("cell:plan"), {**TYPED, "volts": "1,9"})
        self.assertContains(page, "Do not charge it")
        self.assertContains(page, "under 2.00")

    def test_nobody_guesses_what_it_holds_and_its_volts_come_from_the_log(self):
        page = self.client.get(self.path).content.decode()
        self.assertIn('value="2.60"', page)
        self.assertNotIn("3000", page)
        self.assertNotIn("is required", page)

    def test_wrong_figures_are_named_and_kept(self):
        page = self.client.get(self.path, {**TYPED, "volts": "37"}, headers={"HX-Request": "true"})
        self.assertContains(page, "is too much", status_code=422)
        page = self.client.post(self.path, {**TYPED, "capacity": ""})
        self.assertContains(page, 'value="3,10"', status_code=422)
        self.assertFalse(CellRun.objects.exists())

    def test_what_may_not_be_is_refused_before_anybody_reaches_for_the_supply(self):
        Supply.objects.update_or_create(pk=1, defaults={"port": free_port()})
        for more, says in (
            ({"looks": ["swollen"]}, "it is swollen"),
            ({"volts": "1,99"}, "it reads 1.99 V, under 2.00"),
            ({"temp": "-1"}, "it has -1 °C, under 0"),
            ({"by": "bare"}, "a bare 5 V lead"),
            ({"set_amps": "3,1"}, "3.10 A is over the 3.00"),
            ({"volts": "2,6", "set_amps": "0,3", "then_amps": "3,2"}, "3.20 A later is over"),
        ):
            page = self.client.post(self.path, {**TYPED, **more})
            self.assertContains(page, f"not charged: {says}", status_code=422)
        self.assertFalse(CellRun.objects.exists())
        self.assertFalse(Entry.objects.filter(job=self.job, name="cell").exists())

    def test_a_pack_of_two_is_never_fed_whatever_is_typed(self):
        job = make_job(self.user)
        Job.objects.filter(pk=job.pk).update(traits=["two_cells"])
        path = reverse("cell:desk", args=[job.pk])
        page = self.client.get(path)
        self.assertContains(page, '<option value="2" selected>')
        page = self.client.post(path, {**TYPED, "series": "1"})
        self.assertContains(page, "it reads 1.55 V, under 2.00", status_code=422)
        for volts in ("7,4", "4,4"):
            page = self.client.post(path, {**TYPED, "volts": volts, "series": "2"})
            self.assertContains(page, "a pack of two cells in series", status_code=422)
        self.assertFalse(CellRun.objects.exists())
        page = self.client.get(reverse("cell:plan"), {**TYPED, "volts": "7,5", "series": "2"})
        self.assertContains(page, "Not from a bench supply")

    def test_a_danger_on_the_job_forbids_it_though_nothing_is_ticked(self):
        record_line(self.job, "inside swollen", user=self.user, now=NOW)
        page = self.client.post(self.path, TYPED)
        self.assertContains(page, "swollen", status_code=422)
        self.assertFalse(CellRun.objects.exists())

    def test_a_supply_that_is_not_there_says_so_and_nothing_runs(self):
        Supply.objects.update_or_create(pk=1, defaults={"port": free_port()})
        self.assertContains(self.client.post(self.path, TYPED), "the supply at 127.0.0.1", status_code=422)
        self.assertFalse(CellRun.objects.exists())


class Watching(Signed):
    """The stand-in is served on a thread; the watch runs where the test can wait for it."""

    def setUp(self):
        super().setUp()
        self.job = make_job(self.user)
        self.path = reverse("cell:desk", args=[self.job.pk])
        self.bench = StandinSupply()
        self.bench.command("SIM:CELL 3.1,3000")
        self.bench.speed = 500.0
        port = served(self, lambda port: serve_answers(self.bench, port, 100.0))
        self.thermo = StandinThermocouple(self.bench)
        thermo = served(self, lambda port: serve(self.thermo, port, 100.0))
        Supply.objects.update_or_create(pk=1, defaults={"port": port, "thermo_port": thermo})
        self.begun = []
        for patch in (
            mock.patch.object(watching, "EVERY_S", 0.01),
            mock.patch.object(watching, "FLUSH_S", 0.05),
            mock.patch.object(watching, "connections"),
            mock.patch.object(watching, "threading", SimpleNamespace(Thread=self.thread)),
        ):
            patch.start()
            self.addCleanup(patch.stop)

    def thread(self, target, args=(), **more):
        """The watch waits for `run`; what only reads an instrument runs at once."""
        if more.get("name", "").startswith("cell-"):
            self.begun.append((target, args))
            return mock.Mock()
        return threading.Thread(target=target, args=args, **more)

    def start(self, **typed):
        response = self.client.post(self.path, {**TYPED, **typed})
        self.assertEqual(response.status_code, 302, response.content.decode()[-3000:])
        return CellRun.objects.get()

    def run_out(self):
        target, args = self.begun.pop()
        target(*args)
        return CellRun.objects.get()

    def test_a_flat_cell_is_charged_full_and_the_log_says_so(self):
        self.bench.command("SIM:CELL 2.7,3000")
        self.bench.speed = 1500.0
        run = self.start(volts="2,7")
        self.assertTrue(self.bench.on)
        self.assertAlmostEqual(self.bench.amps, 0.3)
        self.assertContains(self.client.get(reverse("jobs:bench", args=[self.job.pk])), "A cell is on the supply")
        run = self.run_out()
        self.assertEqual((run.state, run.still_on, self.bench.on), ("done", False, False), run.says)
        self.assertAlmostEqual(self.bench.amps, 1.5)
        self.assertGreater(max(row[2] for row in run.rows), 1.4)
        self.assertGreater(self.bench.cell.share, 0.9)
        self.assertAlmostEqual(run.moved_mah / 3000, 1, delta=0.15)
        page = self.client.get(run.get_absolute_url())
        self.assertContains(page, "mAh went in")
        self.assertNotContains(page, "hx-trigger")
        said = [row.text for row in Entry.objects.filter(job=self.job, name="cell").order_by("pk")]
        self.assertIn("later 1.50 A", said[0])
        self.assertIn("full", said[1])

    def test_every_way_of_misbehaving_ends_with_the_output_off_or_with_an_alarm(self):
        for how, state, says, alarm in (
            ("overshoot", "cut", "over the limit", False),
            ("hot", "cut", "°C", False),
            ("short", "cut", "may short inside", False),
            ("open", "cut", "a lead is off", False),
            ("silent", "broken", "does not answer", True),
            ("garbage", "broken", "answers '#4%!'", True),
            ("stuck", "stopped", "by hand", True),
        ):
            with self.subTest(how=how):
                CellRun.objects.all().delete()
                self.bench.command("SIM:CELL 4.0,3000")
                run = self.start(volts="4,0")
                self.bench.misbehaves = how
                if how == "stuck":
                    actions.ask_to_stop(run, user=self.user, now=NOW)
                with mock.patch("rainfront.instruments.supply.ASKS_S", 0.2):
                    run = self.run_out()
                self.assertEqual((run.state, run.still_on), (state, alarm), run.says)
                self.assertIn(says, run.says)
                self.assertEqual(self.bench.on, alarm)
                self.bench.misbehaves = "none"
        page = self.client.get(run.get_absolute_url())
        self.assertContains(page, "switch the supply off by hand, now")
        self.client.post(reverse("cell:stop", args=[self.job.pk, run.pk]))
        self.assertFalse(CellRun.objects.live().exists())

    def test_a_thermocouple_that_comes_off_a_warm_cell(self):
        self.start()
        self.bench.cell.temp_c = 31.0
        self.bench.speed = 1.0
        threading.Timer(0.5, lambda: self.thermo.command('{"do": "come_off"}')).start()
        run = self.run_out()
        self.assertEqual(run.state, "cut")
        self.assertIn("has come off", run.says)

    def test_a_danger_that_is_entered_meanwhile_cuts_it(self):
        self.start()
        record_line(self.job, "danger swollen", user=self.user, now=NOW)
        run = self.run_out()
        self.assertEqual((run.state, self.bench.on, run.still_on), ("cut", False, False))
        self.assertIn("swollen", run.says.lower())

    def test_who_began_it_may_be_gone_when_it_ends(self):
        self.start()
        User.objects.filter(pk=self.user.pk).update(role="counter")
        actions.ask_to_stop(CellRun.objects.get(), user=make_user("second"), now=NOW)
        run = self.run_out()
        self.assertEqual((run.state, self.bench.on), ("stopped", False))

    def test_another_cell_than_was_typed_is_not_fed(self):
        page = self.client.post(self.path, {**TYPED, "volts": "3,6"})
        self.assertContains(page, "it reads 3.10 V at the cell, not 3.60", status_code=422)
        self.assertFalse(self.bench.on)
        self.assertEqual(CellRun.objects.get().state, "broken")

    def test_one_cell_at_a_time_and_stopped_by_hand(self):
        run = self.start()
        self.assertContains(self.client.post(self.path, TYPED), "feeds a cell already", status_code=422)
        self.assertContains(self.client.get(reverse("instruments:supply_now")), "feeds a cell now")
        self.client.post(reverse("cell:stop", args=[self.job.pk, run.pk]))
        run = self.run_out()
        self.assertEqual((run.state, self.bench.on), ("stopped", False))
        self.assertContains(self.client.get(reverse("instruments:supply_now")), "The supply shows")

    def test_a_run_that_nobody_watches_any_more_raises_the_alarm(self):
        run = actions.start_run(self.job, CELL, FEED, user=self.user, now=timezone.now() - timedelta(minutes=5))
        page = self.client.get(run.get_absolute_url())
        self.assertContains(page, "switch the supply off by hand, now")
        self.assertEqual(CellRun.objects.get().state, "broken")
        self.assertIn("by hand, now", Entry.objects.filter(job=self.job).latest("pk").text)

    def test_a_program_that_ends_switches_off_what_it_feeds(self):
        self.start()
        watching.leave()
        self.assertFalse(self.bench.on)

    def test_the_supplys_page_shows_it_and_has_the_simulated_one_do_things(self):
        page = self.client.get(reverse("instruments:supply_now"))
        self.assertContains(page, "3.10")
        self.assertContains(page, "500 times faster")
        path = reverse("instruments:pretend")
        self.client.post(
            path, {"cell_volts": "2,9", "cell_mah": "4000", "misbehaves": "hot", "thermocouple": "come_off"}
        )
        self.assertEqual(
            (self.bench.cell.capacity_ah, self.bench.misbehaves, self.thermo.comes_off), (4.0, "hot", True)
        )
        self.assertContains(self.client.post(path, {"cell_volts": "2,9"}), "both", status_code=422)
        Supply.objects.update(port=free_port())
        gone = self.client.get(reverse("instruments:supply_now"))
        self.assertContains(gone, "cannot be reached")


class Hunting(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user, ("idle 0.18",))
        cls.path = reverse("inside:hunt", args=[cls.job.pk])

    def send(self, act, part="", amps="", status=302):
        answer = self.client.post(self.path, {"act": act, "part": part, "amps": amps})
        self.assertEqual(answer.status_code, status, answer.content.decode()[-2000:])
        return answer

    def test_the_page_leads_through_the_parts_and_points_to_the_one_that_drops_it(self):
        self.assertContains(self.send("keep", amps="0,004", status=422), "is no standing draw", status_code=422)
        self.send("keep", amps="180 mA")
        self.assertContains(
            self.client.get(self.path), "Output off. Unplug the display, leave the rest as it is. Output on."
        )
        self.assertContains(self.send("keep", "display", "eleven", 422), "eleven", status_code=422)
        self.send("keep", "display", "0,02")
        self.send("back")
        self.send("keep", "display", "0,178")
        self.send("skip", "camera")
        self.send("keep", "sub_board", "0,018")
        page = self.client.get(self.path)
        self.assertContains(page, "The sub-board takes it: 0.16\xa0A of 0.18\xa0A went with it")
        self.assertFalse(Entry.objects.filter(name="draw_unplugged").exists())
        self.send("end")
        self.assertEqual(Entry.objects.get(name="draw_unplugged").signs, ["sub_board"])
        self.assertContains(self.client.get(reverse("inside:supply", args=[self.job.pk])), "the sub-board takes it")
        self.send("end")

    def test_what_the_supply_shows_is_taken_with_one_press(self):
        bench = StandinSupply()
        port = served(self, lambda port: serve_answers(bench, port))
        Supply.objects.update_or_create(pk=1, defaults={"port": port})
        pretend = reverse("instruments:pretend")
        self.assertContains(
            self.client.get(reverse("instruments:supply")), "Battery rail shorted: goes with the camera"
        )
        self.client.post(pretend, {"device": "rail_short.camera", "clip": "board"})
        self.assertContains(self.client.post(pretend, {"device": "toaster"}), "toaster", status_code=422)
        self.send("take")
        for part in ("display", "camera"):
            self.client.post(pretend, {"unplug": part})
            self.send("take", part)
        self.assertContains(self.client.get(self.path), "A camera takes it: 0.16\xa0A of 0.17\xa0A")

    def test_a_device_that_may_have_no_current_is_not_hunted_in(self):
        record_line(self.job, "inside corroded", user=self.user, now=NOW)
        self.assertContains(self.send("keep", amps="0,18", status=422), "not power it", status_code=422)
        self.assertEqual(Job.objects.get(pk=self.job.pk).draw_runs.count(), 0)


class Refused(Signed):
    def test_a_step_that_was_asked_or_a_hunt_that_is_over(self):
        from rainfront.inside import actions as inside

        job = make_job(self.user, ("idle 0.18",))
        hand = {"user": self.user, "now": NOW}
        draws = inside.begin_hunt(job, 0.18, **hand)
        inside.unplug(draws, "display", 0.02, **hand)
        with self.assertRaisesMessage(ReadingError, "asked already"):
            inside.unplug(draws, "display", 0.02, **hand)
        inside.end_hunt(draws, **hand)
        with self.assertRaisesMessage(ReadingError, "is over"):
            inside.one_back(draws, **hand)
