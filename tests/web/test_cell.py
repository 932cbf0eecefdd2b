"""The cell desk through the web: what is refused, and the watch against a simulated supply that misbehaves."""

import os
import socket
import threading
import time
from contextlib import suppress
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.db import OperationalError
from django.test import SimpleTestCase, override_settings
from django.urls import reverse
from django.utils import timezone

from benchwatch.keeper import Keeper
from benchwatch.line import Address, Held, LineError
from benchwatch.line import Line as BenchLine
from benchwatch.state import Run
from chargepath.base.errors import ReadingError
from chargepath.knowledge.loader import shipped
from chargepath.repair.cell import Cell, Feed
from chargepath.repair.watch import Watch
from rainfront.cell import actions, tending
from rainfront.cell.models import CellRun
from rainfront.instruments.models import Supply
from rainfront.instruments.readers import Readers
from rainfront.jobs.actions import record_line
from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User
from tests.builders import NOW, make_job, make_user
from tests.ports import free_port
from tests.sizes import sized
from tests.watched import WatchedBench, until
from tests.web.test_pages import Signed

# How a run ends with a supply that misbehaves, what it says, and whether the output then reads back off; None: it goes
# off and cannot confirm it, so nobody says that it is off.
ENDS = {
    "overshoot": ("cut", "over the limit", True),
    "hot": ("cut", "°C", True),
    "short": ("cut", "may short inside", True),
    "open": ("cut", "a lead is off", True),
    "nan": ("broken", "answers 'nan'", True),
    "silent": ("broken", "does not answer", False),
    "mute": ("broken", "does not answer", None),
    "garbage": ("broken", "answers '#4%!'", False),
    "drip": ("broken", "does not answer", None),
    "endless": ("broken", "without an end", None),
    "late": ("broken", "does not answer", None),
    "hang_up": ("broken", "hung up", None),
}
TYPED = {"kind": "v420", "capacity": "3000", "volts": "3,10", "temp": "22", "by": "supply"}


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
            ({"temp": "-1"}, "its temperature is -1 °C, under 0"),
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

    def test_without_a_watch_nothing_runs(self):
        Supply.objects.update_or_create(pk=1, defaults={"port": free_port()})
        self.assertContains(
            self.client.post(self.path, TYPED), "start it: the service rainfront-watch", status_code=422
        )
        self.assertFalse(CellRun.objects.exists())


class Shifted(SimpleTestCase):
    """An answer that belongs to another question is never taken for this one's."""

    def line(self, *answers):
        """A line to a supply that gives these answers in turn, whatever is asked."""
        server = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(server.close)

        def talk():
            made, _ = server.accept()
            left = list(answers)
            with suppress(OSError), made, made.makefile("r") as asked:
                for question in asked:
                    if question.strip().endswith("?") and left:
                        made.sendall(f"{left.pop(0)}\n".encode())

        threading.Thread(target=talk, daemon=True).start()
        line = BenchLine(at=Address(host="127.0.0.1", port=server.getsockname()[1]))
        self.addCleanup(line.close)
        return line

    def test_a_round_that_ends_with_another_name_is_dropped(self):
        self.assertEqual(self.line("a supply", "4.0", "1.0", "a supply").measured(), (4.0, 1.0))
        self.assertTrue(self.line("a supply", "0", "a supply").off())
        for answers, ask in (
            (("a supply", "4.0", "4.0", "1.0"), BenchLine.measured),
            (("a supply", "0", "0.0012"), BenchLine.off),
            (("a supply", "1", "0"), BenchLine.is_on),
        ):
            with self.subTest(answers=answers), self.assertRaisesMessage(LineError, "out of step"):
                ask(self.line(*answers))


class LeftAlone(SimpleTestCase):
    def test_only_a_run_that_somebody_left_alone_goes_on_without_a_sign_of_life(self):
        known = shipped()
        watch = Watch.begin(Cell(known.cells.kinds["v420"], 3000.0, 3.7), Feed(4.2, 1.0), known)
        with TemporaryDirectory() as folder:
            keeper = Keeper(Path(folder))
            for unattended, silent_s, ends in ((False, 9, False), (False, 11, True), (True, 11, False)):
                alive = time.monotonic() - silent_s
                held = Held(volts=4.2, amps=1.0)
                run = Run(id=1, watch=watch, held=held, unattended=unattended, began=alive, alive=alive)
                with self.subTest(unattended=unattended, silent_s=silent_s):
                    self.assertEqual(keeper._forsaken(run) is not None, ends)


class Fed(Signed):
    """A supply and the watch in processes of their own; the test tends where a web worker would."""

    @classmethod
    def setUpClass(cls):
        # Before the database: a class whose set-up fails after that leaves its rows to all that come later.
        cls.rig = WatchedBench(cls)
        cls.rig.start_watch()
        super().setUpClass()

    def setUp(self):
        super().setUp()
        # A rig that a test broke is no other test's business.
        self.rig.mended()
        self.rig.tell("SIM:PLAIN 0", "SIM:MISB none", "SIM:SPEED 500")
        patch = override_settings(WATCH_FOLDER=self.rig.folder)
        patch.enable()
        self.addCleanup(patch.disable)
        self.addCleanup(tending.forget_alarms)
        readers = Readers(self.rig.folder)
        readers.start()
        self.addCleanup(readers.stop)
        Supply.objects.update_or_create(pk=1, defaults=self.rig.at)
        self.job = make_job(self.user)
        self.path = reverse("cell:desk", args=[self.job.pk])

    def start(self, cell="3.1,3000", **typed):
        self.rig.tell(f"SIM:CELL {cell}")
        response = self.client.post(self.path, {**TYPED, **typed})
        self.assertEqual(response.status_code, 302, response.content.decode()[-3000:])
        return CellRun.objects.latest("pk")

    def tended(self, run, is_so=lambda run: not run.is_running):
        """Tend until something is so of the run."""

        def looked():
            tending.tend()
            run.refresh_from_db()
            return is_so(run)

        until(looked)
        return run


class Charging(Fed):
    def test_a_flat_cell_is_charged_full_and_the_log_says_so(self):
        self.rig.tell("SIM:SPEED 1000")
        run = self.start("2.7,3000", volts="2,7")
        self.assertEqual((self.rig.truth()["on"], self.rig.truth()["amps"]), (True, 0.3))
        self.assertContains(self.client.get(reverse("jobs:bench", args=[self.job.pk])), "A cell is on the supply")
        page = self.client.get(run.get_absolute_url())
        self.assertContains(page, "cuts 60 s after the watch falls silent and cuts when the line to it breaks")
        self.tended(run)
        self.assertEqual((run.state, run.still_on, self.rig.truth()["on"]), ("done", False, False), run.says)
        self.assertAlmostEqual(self.rig.truth()["amps"], 1.5)
        self.assertGreater(max(row[2] for row in run.rows), 1.4)
        self.assertAlmostEqual(run.moved_mah / 3000, 1, delta=0.15)
        self.assertEqual(run.taken, len({row[0] for row in run.rows}))
        page = self.client.get(run.get_absolute_url())
        self.assertContains(page, "mAh went in")
        self.assertNotContains(page, "hx-trigger")
        said = [row.text for row in Entry.objects.filter(job=self.job, name="cell").order_by("pk")]
        self.assertIn("later 1.50 A", said[0])
        self.assertIn("full", said[1])

    def test_the_full_current_waits_for_somebody_who_has_looked_for_dangers(self):
        self.rig.tell("SIM:SPEED 200")
        run = self.start("2.97,3000", volts="2,97")
        until(lambda: self.rig.ask("state")["run"]["wants_more"])
        self.assertEqual(self.rig.truth()["amps"], 0.3)
        record_line(self.job, "danger swollen", user=self.user, now=NOW)
        self.tended(run)
        self.assertEqual((run.state, self.rig.truth()["amps"], self.rig.truth()["on"]), ("cut", 0.3, False))
        self.assertIn("swollen", run.says.lower())

    def test_a_thermocouple_that_comes_off_a_warm_cell(self):
        # Slowly, so that on a busy machine too the cell is not cut for its warmth before the thermocouple comes off.
        run = self.start("3.9,3000", volts="3,9")
        self.rig.tell("SIM:SPEED 12", "SIM:MISB hot")
        until(lambda: [row for row in self.rig.ask("rows", run=run.pk, start=0)["rows"] if (row[3] or 0) > 27.5])
        self.pretend(misbehaves="none", thermocouple="come_off", speed="1")
        self.tended(run)
        self.assertEqual(run.state, "cut")
        self.assertIn("has come off", run.says)
        self.pretend(thermocouple="stick")

    def pretend(self, **what):
        """Have the simulated instruments do something; what a busy machine did not answer in time is asked again."""

        until(lambda: self.client.post(reverse("instruments:pretend"), what).status_code == 302)

    def test_who_began_it_may_be_gone_when_it_ends(self):
        run = self.start()
        User.objects.filter(pk=self.user.pk).update(role="counter")
        actions.ask_to_stop(run, user=make_user("second"), now=NOW)
        self.tended(run)
        self.assertEqual((run.state, self.rig.truth()["on"]), ("stopped", False))

    def test_another_cell_than_was_typed_is_not_fed(self):
        self.rig.tell("SIM:CELL 3.1,3000")
        page = self.client.post(self.path, {**TYPED, "volts": "3,6"})
        self.assertContains(page, "it reads 3.10 V at the cell, not 3.60", status_code=422)
        self.assertEqual((self.rig.truth()["on"], CellRun.objects.get().state), (False, "broken"))
        self.assertFalse(CellRun.objects.get().still_on)

    def test_one_cell_at_a_time_and_stopped_by_hand(self):
        run = self.start()
        self.assertContains(self.client.post(self.path, TYPED), "feeds a cell already", status_code=422)
        self.assertContains(self.client.get(reverse("instruments:supply_now")), "feeds a cell now")
        self.client.post(reverse("cell:stop", args=[self.job.pk, run.pk]))
        self.assertFalse(self.rig.truth()["on"])
        run.refresh_from_db()
        self.assertEqual(run.state, "stopped")
        until(lambda: "The supply shows" in self.client.get(reverse("instruments:supply_now")).content.decode())

    def test_a_program_that_falls_silent_and_one_whose_run_was_left_alone_on_purpose(self):
        run = self.start()
        self.assertTrue(until(lambda: not self.rig.truth()["on"]))
        self.tended(run)
        self.assertIn("no sign of life for 10 s", run.says)
        # Whether such a run is let go on is `LeftAlone`'s business; the whole ten seconds are waited for in the grid.
        run = self.start(unattended="on")
        self.assertIn("goes on alone", Entry.objects.filter(job=self.job).latest("pk").text)
        self.assertContains(self.client.get(run.get_absolute_url()), "Left alone on purpose")
        time.sleep(sized(0, 11))
        self.assertTrue(self.rig.truth()["on"])
        self.client.post(reverse("cell:stop", args=[self.job.pk, run.pk]))

    def test_the_supplys_page_shows_it_and_has_the_simulated_one_do_things(self):
        self.rig.tell("SIM:CELL 3.1,3000")
        page = until(
            lambda: (said := self.client.get(reverse("instruments:supply_now"))) and b"3.10" in said.content and said
        )
        self.assertContains(page, "500 times faster")
        path = reverse("instruments:pretend")
        self.client.post(path, {"cell_volts": "2,9", "cell_mah": "4000", "misbehaves": "hot"})
        with BenchLine(at=Address(**self.rig.at)) as line:
            self.assertEqual(line.ask("SIM:MISB?"), "hot")
        self.assertContains(self.client.post(path, {"cell_volts": "2,9"}), "both", status_code=422)
        Supply.objects.update(port=free_port())
        self.assertContains(self.client.post(self.path, TYPED), "cannot be reached", status_code=422)
        until(lambda: b"cannot be reached" in self.client.get(reverse("instruments:supply_now")).content)


class Shown(Fed):
    def hunt(self, act, part=""):
        path = reverse("inside:hunt", args=[self.job.pk])
        answer = self.client.post(path, {"act": act, "part": part, "amps": ""})
        self.assertEqual(answer.status_code, 302, answer.content.decode()[-2000:])
        self.path = path

    def test_what_the_supply_shows_is_taken_with_one_press(self):
        pretend = reverse("instruments:pretend")
        self.assertContains(
            self.client.get(reverse("instruments:supply")), "Battery rail shorted: goes with the camera"
        )
        self.client.post(pretend, {"device": "rail_short.camera", "clip": "board"})
        self.assertContains(self.client.post(pretend, {"device": "toaster"}), "toaster", status_code=422)
        self.hunt("take")
        for part in ("display", "camera"):
            self.client.post(pretend, {"unplug": part})
            self.hunt("take", part)
        self.assertContains(self.client.get(self.path), "A camera takes it: 0.16\xa0A of 0.17\xa0A")


class Misbehaving(Fed):
    """A supply that misbehaves, and a watch that dies: the output goes off, or nobody says that it is off."""

    def test_each_way_of_misbehaving_ends_with_the_output_off_or_with_an_alarm(self):
        for how, (state, says, off) in ENDS.items():
            if how not in sized(("hot", "nan", "silent", "drip"), ENDS):
                continue
            with self.subTest(how=how):
                self.rig.tell("SIM:PLAIN 1", "SIM:MISB none", "SIM:SPEED 500")
                run = self.start("4.0,3000", volts="4,0")
                self.rig.tell(f"SIM:MISB {how}")
                self.tended(run)
                self.assertEqual((run.state, run.still_on), (state, off is not True), run.says)
                self.assertIn(says, run.says)
                self.assertEqual(self.rig.truth()["on"], off is False)
                if off is not True:
                    page = self.client.get(reverse("day:list"))
                    self.assertContains(page, "not confirmed off")
                    self.client.post(reverse("cell:stop", args=[self.job.pk, run.pk]))
                    self.assertTrue(CellRun.objects.get(pk=run.pk).still_on)
                self.rig.tell("SIM:MISB none")
                self.tended(run, lambda run: not run.still_on)
                self.assertFalse(self.rig.truth()["on"])
        self.assertEqual(tending.alarms(), ())

    def test_one_that_answers_twice_is_never_taken_at_its_word(self):
        self.rig.tell("SIM:PLAIN 1")
        run = self.start("4.0,3000", volts="4,0")
        self.rig.tell("SIM:MISB double")
        before = len(run.rows)
        self.tended(run, lambda run: len(run.rows) > before + 3 or not run.is_running)
        self.assertTrue(run.rows or not run.is_running)
        readings = [(row[1], row[2]) for row in run.rows]
        self.assertTrue(all(3.9 < volts < 4.25 and amps < 1.6 for volts, amps in readings), readings)

    def test_one_that_does_not_switch_off_is_not_off_until_the_leads_are_off(self):
        run = self.start("4.0,3000", volts="4,0")
        self.rig.tell("SIM:MISB stuck")
        stop = reverse("cell:stop", args=[self.job.pk, run.pk])
        self.client.post(stop)
        run.refresh_from_db()
        self.assertEqual((run.state, run.still_on), ("stopped", True))
        self.assertContains(self.client.post(stop, follow=True), "reads back on, or does not answer")
        self.assertContains(self.client.post(self.path, TYPED), "not confirmed off", status_code=422)
        self.client.post(stop, {"leads": "off"})
        self.assertIn("never confirmed", Entry.objects.filter(job=self.job).latest("pk").text)
        self.assertFalse(CellRun.objects.live().exists())

    def test_whichever_of_its_processes_dies_or_freezes_the_output_goes_off(self):
        for how in sized(("keeper", "freeze"), ("keeper", "guardian", "both", "freeze", "end", "line")):
            with self.subTest(how=how):
                self.rig.tell("SIM:PLAIN 1", "SIM:MISB none")
                run = self.start("4.0,3000", volts="4,0", unattended="on")
                pid = self.rig.ask("state")["pid"]
                self.rig.strike(how, pid)
                until(lambda: not self.rig.truth()["on"])
                self.rig.answering(but=pid if how != "line" else 0)
                self.tended(run)
                self.tended(run, lambda run: not run.still_on)
                self.assertEqual(run.state, "broken", run.says)
                self.assertFalse(self.rig.truth()["on"])

    def test_a_watch_that_is_away_raises_the_alarm_until_it_is_back_and_reads_off(self):
        run = self.start("4.0,3000", volts="4,0")
        self.rig.tell("SIM:PLAIN 1")
        self.rig.kill_watch()
        tending.tend()
        self.assertContains(self.client.get(reverse("day:list")), "does not answer: the supply may be on")
        page = self.client.post(reverse("cell:stop", args=[self.job.pk, run.pk]), follow=True)
        self.assertContains(page, "The watch over the supply does not answer")
        CellRun.objects.update(last_at=timezone.now() - timedelta(seconds=6))
        self.tended(run)
        self.assertEqual((run.state, run.still_on), ("broken", True))
        self.rig.start_watch()
        self.tended(run, lambda run: not run.still_on)
        self.assertIn("reads back off", Entry.objects.filter(job=self.job).latest("pk").text)

    def test_a_database_that_cannot_be_written_to_does_not_hold_up_the_stop(self):
        run = self.start("4.0,3000", volts="4,0")
        until(lambda: self.rig.ask("rows", run=run.pk, start=0)["rows"])
        full = mock.patch.object(actions, "ask_to_stop", side_effect=OperationalError("database or disk is full"))
        with full, self.assertLogs("rainfront", "ERROR") as said:
            page = self.client.post(reverse("cell:stop", args=[self.job.pk, run.pk]))
        self.assertContains(page, "The output is off", status_code=503)
        self.assertEqual([row.getMessage() for row in said.records], ["request"])
        self.assertFalse(self.rig.truth()["on"])
        with mock.patch.object(actions, "append_rows", side_effect=OperationalError("database is locked")):
            self.assertEqual(self.client.get(run.get_absolute_url()).status_code, 200)
        self.tended(run)
        self.assertEqual(run.state, "stopped")
        self.assertTrue(run.rows)

    def test_a_full_disk_of_the_watch_feeds_nothing(self):
        self.rig.tell("SIM:CELL 3.1,3000")
        self.rig.folder.chmod(0o500)
        self.addCleanup(self.rig.folder.chmod, 0o700)
        if os.geteuid() == 0:
            (self.rig.folder / "known.json").unlink(missing_ok=True)
            (self.rig.folder / "known.json").mkdir()
            self.addCleanup((self.rig.folder / "known.json").rmdir)
        self.assertContains(self.client.post(self.path, TYPED), "the disk is full", status_code=422)
        self.assertFalse(self.rig.truth()["on"])


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
        self.assertContains(self.send("keep", amps="0,004", status=422), "is no leakage current", status_code=422)
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
