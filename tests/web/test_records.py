"""Records through the web: handing in, using, live meters, routines, waiting."""

import json
import socket
import threading
import time
from collections import Counter
from contextlib import suppress
from datetime import timedelta
from functools import partial
from pathlib import Path
from unittest.mock import patch

import numpy as np
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connections
from django.test import TransactionTestCase
from django.urls import reverse
from django.utils import timezone

from benchtalk.running import Running
from benchtalk.standing_in import StandingIn
from benchtalk.wire import TCP, WirePlace
from benchwatch import client
from chargepath.base.errors import ChargepathError
from chargepath.knowledge.loader import shipped
from chargepath.standin.device import StandinDevice, play
from chargepath.standin.meter import StandinMeter
from chargepath.standin.records import METERS, compose, scenarios
from chargepath.standin.talkers import StandinOfOurs
from chargepath.trace.table import look
from rainfront.instruments import actions, adapters, asking, recording
from rainfront.instruments.models import BenchInstrument, Chunk, Draft, KnownGood, Record, Waiting
from rainfront.instruments.presenters import Hands
from rainfront.instruments.profiles import profile_called
from rainfront.instruments.readers import LISTENS_S, SOCKET, pretend_at
from rainfront.jobs.writing import JobError
from rainfront.web.secrets import UnlockCodeError
from tests.builders import NOW, make_job, make_user
from tests.ports import free_port
from tests.reading import read_instruments
from tests.shop import at_once
from tests.web.test_pages import Signed


def csv_of(name: str = "drops out three times") -> str:
    trace, _ = compose(scenarios()[name][2], METERS["10 Hz, 1 mA"], seed=3)
    rows = zip(trace.seconds, trace.volts, trace.amps, strict=True)
    return "t,v,i\n" + "\n".join(f"{t:.1f},{v:.3f},{a:.4f}" for t, v, a in rows)


class RecordTest(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user)

    def to(self, name, *args):
        return reverse(f"instruments:{name}", args=(self.job.pk, *args))

    def record(self, text: str = "", **details) -> Record:
        draft = actions.keep_draft(self.job, (text or csv_of()).encode(), "r.csv", "file", user=self.user, now=NOW)

        return actions.store_draft(draft, look(text or csv_of()), {"percent": 40.0, **details}, user=self.user, now=NOW)


class HandingIn(RecordTest):
    def test_what_was_understood_is_shown_and_corrected_before_it_is_stored(self):
        response = self.client.post(self.to("hand_in"), {"text": "a;b;c\n1;5,1;500\n2;5,0;600\n3;5;x\n"})
        draft = Draft.objects.get()
        self.assertRedirects(response, self.to("confirm", draft.pk))
        self.assertFalse(Record.objects.exists())
        roles = {
            "role_0": "time",
            "role_1": "volts",
            "role_2": "ignore",
            "interval": "1",
            "name": "typed",
            "source": "bc12",
        }
        response = self.client.post(self.to("confirm", draft.pk), roles)
        self.assertContains(response, "no column is amps", status_code=422)
        response = self.client.post(self.to("confirm", draft.pk), {**roles, "role_2": "amps", "name": "PIN 2468"})
        self.assertContains(response, "no code is ever stored", status_code=422)
        self.client.post(
            self.to("confirm", draft.pk), {**roles, "role_2": "amps", "factor_2": "0.001", "percent": "40"}
        )
        record = Record.objects.get()
        self.assertEqual((record.samples, record.rejected, record.source), (2, 1, "bc12"))
        np.testing.assert_allclose(adapters.load(record).amps, [0.5, 0.6])
        page = self.client.get(record.get_absolute_url())
        self.assertContains(page, "1 line left out")
        self.assertFalse(Draft.objects.exists())

    def test_a_record_is_struck_out_with_what_was_entered_from_it_and_that_is_undone(self):
        record = self.record()
        actions.use_record(record, "charger_current", user=self.user, now=NOW)
        page = self.client.post(self.to("strike", record.pk), {"why": "another phone"}, follow=True)
        self.assertContains(page, "another phone")
        self.assertFalse(self.job.entries.evidence().exists())
        for act in (actions.use_record, actions.strike_record):
            with self.assertRaises(ChargepathError):
                act(Record.objects.get(), "charger_current", user=self.user, now=NOW)
        self.assertContains(self.client.get(self.to("outside")), "struck out by")
        self.client.post(self.to("strike", record.pk), {"do": "restore"})
        self.assertEqual(self.job.entries.evidence().get().name, "charger_current")
        self.assertIsNone(Record.objects.get().struck_at)

    def test_columns_read_wrong_are_corrected_and_what_came_of_them_is_struck_out(self):
        """Volts taken for amps: the text is read again, nothing has to be handed in anew."""
        rows = "\n".join(f"{t},0.95,5.05" for t in range(30))
        self.client.post(self.to("hand_in"), {"text": f"s;x;y\n{rows}".replace(",", ";")})
        roles = {"name": "r", "role_0": "time", "role_1": "volts", "role_2": "amps", "interval": "1"}
        self.client.post(self.to("confirm", Draft.objects.get().pk), {**roles, "percent": "40", "source": "bc12"})
        record = Record.objects.get()
        actions.use_record(record, "charger_current", user=self.user, now=NOW)
        page = self.client.get(self.to("columns", record.pk))
        self.assertContains(page, '<option value="volts" selected>')
        bad = self.client.post(self.to("columns", record.pk), {**roles, "role_1": "amps"})
        self.assertContains(bad, "two columns are amps", status_code=422)
        self.client.post(self.to("columns", record.pk), {**roles, "role_1": "amps", "role_2": "volts"})
        record = Record.objects.get()
        self.assertAlmostEqual(record.figures["plateau"], 0.95, 3)
        self.assertFalse(self.job.entries.evidence().exists())
        self.assertIn("columns of", self.job.entries.get(name="charger_current").struck_why)

    def test_bad_input_is_refused_in_words(self):
        rows = [({}, "paste a column"), ({"text": "hello"}, "looks like samples")]
        for data, message in rows:
            self.assertContains(self.client.post(self.to("hand_in"), data), message, status_code=422)
        file = SimpleUploadedFile("big.csv", b"0,5,1\n" * 21_000_000)
        self.assertContains(self.client.post(self.to("hand_in"), {"file": file}), "120 MB", status_code=422)

    def test_the_page_its_data_and_its_still_picture(self):
        record = self.record()
        page = self.client.get(record.get_absolute_url())
        for text in ("drops out 3 times", "Source and cable", "mAh", "common practice for a phone"):
            self.assertContains(page, text)
        data = self.client.get(self.to("data", record.pk) + "?from=10&to=20").json()
        self.assertTrue(all(10 <= t <= 20 for t in data["t"]))
        still = self.client.get(self.to("still", record.pk))
        self.assertEqual(still["Content-Type"], "image/svg+xml")
        self.assertEqual(still.content.decode().count("drop-mark"), 3)
        for query in ("?from=x&to=nan", "?from=1e999&to=-5", "?from=50&to=10"):
            self.assertEqual(self.client.get(self.to("data", record.pk) + query).status_code, 200)

    def test_a_draft_is_stored_by_one_of_two_and_a_code_in_a_files_name_by_nobody(self):
        hand = {"user": self.user, "now": NOW}
        draft = actions.keep_draft(self.job, b"t,a\n0,1\n1,1\n", "r", "file", **hand)
        again = Draft.objects.get()
        actions.store_draft(draft, look("t,a\n0,1\n1,1\n"), {}, **hand)
        with self.assertRaisesMessage(JobError, "somebody has stored it already"):
            actions.store_draft(again, look("t,a\n0,1\n1,1\n"), {}, **hand)
        self.assertEqual(Record.objects.count(), 1)
        with self.assertRaisesMessage(UnlockCodeError, "no code is ever stored"):
            actions.keep_draft(self.job, b"t,a\n0,1\n", "pin 1234.csv", "file", **hand)

    def test_four_readings_of_a_wait_at_once_are_all_kept(self):
        waiting = actions.start_waiting(self.job, 3.0, user=self.user, now=NOW)
        seen = [Waiting.objects.get(pk=waiting.pk) for _ in range(4)]
        for number, one in enumerate(seen):
            actions.read_waiting(one, 3.0, user=self.user, now=NOW + timedelta(minutes=1 + number))
        waiting.refresh_from_db()
        self.assertEqual([row[0] for row in waiting.readings], [1.0, 2.0, 3.0, 4.0])

    def test_drafts_leave_no_files_behind(self):
        for _ in range(2):
            draft = actions.keep_draft(self.job, b"t,a\n0,1\n1,1\n", "r", "file", user=self.user, now=NOW)
        storage = draft.file.storage
        before = set(storage.listdir("drafts")[1])
        self.assertIn(Path(draft.file.name).name, before)

        with self.captureOnCommitCallbacks(execute=True):
            actions.store_draft(draft, look("t,a\n0,1\n1,1\n"), {}, user=self.user, now=NOW)
        self.assertEqual(len(before - set(storage.listdir("drafts")[1])), 1)

    def test_conditions_that_cannot_be_are_answered_with_a_page_in_words(self):
        record = self.record()
        Record.objects.update(source="sunlight")
        response = self.client.get(self.to("still", record.pk))
        self.assertContains(response, "is no source", status_code=400)
        self.assertContains(response, "usb2_low", status_code=400)

    def test_a_closed_job_takes_no_record(self):
        from rainfront.jobs import actions as job_actions
        from rainfront.proof import actions as proof_actions

        job_actions.record_line(self.job, "did clean_port yes", user=self.user, now=NOW)
        proof_actions.close_job(self.job, [], user=self.user, now=NOW)
        response = self.client.post(self.to("hand_in"), {"text": "0.5\n0.6\n0.7\n"})
        self.assertContains(response, "reopen it first", status_code=422)

    def test_data_lines_are_shown_where_they_were_recorded(self):
        rows = "\n".join(f"{t},5.0,1.0,2.7,2.65" for t in range(30))
        record = self.record(f"time,V,A,D+,D-\n{rows}")
        self.assertContains(self.client.get(record.get_absolute_url()), "D+ 2.70\u00a0V, D- 2.65\u00a0V")

    def test_thinning_keeps_the_extremes(self):
        trace, _ = compose(scenarios()["one dropout of 0.2 s"][2], METERS["1 kHz, noisy"], seed=1)
        seconds, amps, _ = adapters.thin(trace, 0, trace.duration, 1000)
        self.assertLessEqual(seconds.size, 1002)
        self.assertEqual((amps.min(), amps.max()), (trace.amps.min(), trace.amps.max()))

    def test_a_record_becomes_a_check(self):
        record = self.record()
        self.client.post(self.to("use", record.pk), {"check": "plug_wiggle"})
        self.client.post(self.to("use", record.pk), {"check": "charger_current@own"})
        self.client.post(self.to("use", record.pk), {"check": "battery_volts"})
        made = [(entry.name, entry.variant, entry.grade) for entry in self.job.entries.evidence()]
        self.assertEqual(made, [("plug_wiggle", "", "drops"), ("charger_current", "own", "normal")])
        looped = self.record(csv_of("loop of 4 s"))
        actions.use_record(looped, "charger_current", user=self.user, now=NOW)
        self.assertEqual(self.job.entries.evidence().last().grade, "cycling")

    def test_other_conditions_judge_again_and_known_good_narrows_the_band(self):
        record = self.record(csv_of("reduced"))
        self.assertEqual(record.grade, "reduced")
        self.client.post(self.to("conditions", record.pk), {"source": "usb2_high", "percent": "40"})
        record.refresh_from_db()
        self.assertEqual(record.grade, "normal")
        response = self.client.post(self.to("conditions", record.pk), {"source": "usb2_high", "percent": "140"})
        self.assertEqual(response.status_code, 422)
        good = self.record(csv_of("healthy"))
        self.client.post(self.to("known_good", good.pk))
        self.assertAlmostEqual(KnownGood.objects.get().amps, 1.2, places=2)
        self.assertIn("known-good plateau", adapters.band_of(good, shipped()).basis[0])

    def test_page_cost_does_not_grow_with_records(self):
        record = self.record()
        with self.assertNumQueries(8):
            self.client.get(record.get_absolute_url())
        for _ in range(5):
            self.record()
        with self.assertNumQueries(8):
            self.client.get(record.get_absolute_url())
        with self.assertNumQueries(8):
            self.client.get(self.to("outside"))


class Nonsense(RecordTest):
    def answers(self, *parts, every=0.0):
        """A meter that says these and hangs up, or goes on with the last one each so many seconds; its port."""
        server = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(server.close)

        def send():
            with suppress(OSError):
                while True:
                    made, _ = server.accept()
                    threading.Thread(target=talk, args=(made,), daemon=True).start()

        def talk(made):
            with suppress(OSError), made:
                for part in parts:
                    made.sendall(part)
                while every:
                    time.sleep(every)
                    made.sendall(parts[-1])
                # Hang up in good order: what is unread at a close would cut off what was said.
                made.shutdown(socket.SHUT_WR)
                while made.recv(4096):
                    pass

        threading.Thread(target=send, daemon=True).start()
        return server.getsockname()[1]

    def test_only_what_says_that_it_is_simulated_is_told_to_pretend(self):
        greets = b'{"hello": "rainfront-meter", "simulated": true}\n'
        for said, wanted in ((b"5\n", "it is a real one"), (b'{"hello": "real"}\n', "it is a real one")):
            with self.subTest(said=said), self.assertRaisesMessage(ChargepathError, wanted):
                pretend_at(WirePlace(TCP, "127.0.0.1", self.answers(said)), {"do": "plug"})
        at = WirePlace(TCP, "127.0.0.1", self.answers(greets, b'{"t": 1}\n', b'{"error": "no such device"}\n'))
        self.assertEqual(pretend_at(at, {"do": "plug"}), "no such device")

    def test_one_that_drips_is_given_two_seconds_as_a_whole_and_holds_up_two_at_most(self):
        read_instruments(self)
        fields = {"host": "127.0.0.1", "port": self.answers(b"1", every=0.2)}
        one = partial(client.ask, settings.WATCH_FOLDER, "listen", socket_name=SOCKET, within=30.0, **fields)
        begun = time.monotonic()
        says = Counter(found["error"] for found in at_once([one] * 16))
        took = time.monotonic() - begun
        busy = says.pop("the instruments are busy with two others")
        self.assertIn("says nothing by itself", next(iter(says)))
        # As many as come one after the other in that time, two at once, and no more.
        self.assertLessEqual(16 - busy, 2 * (1 + took // LISTENS_S))

    def test_a_time_that_cannot_be_is_left_out_and_counted_and_a_clock_that_begins_anew_goes_on(self):
        samples = recording.Samples()
        for seconds in (5.0, 5.5, 9e99, 1.0, 6.0):
            samples.take((seconds, 5.0, 1.0))
        self.assertEqual(([row[0] for row in samples.rows], samples.dropped), ([0.0, 0.5, 1.0], 2))
        for seconds in range(recording.ANEW_AFTER + 2):
            samples.take((float(seconds) / 10, 5.0, 1.0))
        times = [row[0] for row in samples.rows]
        self.assertEqual((times, len(times)), (sorted(times), 6))
        self.assertAlmostEqual(times[-1], 1.2)


class Routines(RecordTest):
    def run_routine(self, name, fault, acts, cut=None):
        record = actions.start_record(self.job, name, {"percent": 40.0}, user=self.user, now=NOW)
        seconds = cut or shipped().routines[name].seconds
        samples = list(play(StandinDevice.broken(fault), 10.0, acts, seconds + 0.2))
        rows = [(t, v, a) for t, v, a in samples]
        for start in range(0, len(rows), 10):
            self.assertTrue(actions.append_samples(record.pk, rows[start : start + 10], now=NOW))
        return actions.finish_record(record, user=self.user, now=NOW)

    def test_a_whole_routine_makes_its_check_by_itself(self):
        record = self.run_routine(
            "directions", "port_worn.one_side", [(20.0, {"plugged": False}), (26.0, {"plugged": True, "flipped": True})]
        )
        entry = self.job.entries.evidence().get()
        self.assertEqual((entry.name, entry.grade), ("plug_flip", "one_side"))
        self.assertIn("one way", record.reason)
        self.assertFalse(Chunk.objects.exists())
        self.assertEqual(list(record.entries.all()), [entry])

    def test_a_stopped_one_keeps_its_record_and_makes_no_check(self):
        record = self.run_routine("wiggle", "good", [], cut=20)
        self.assertEqual((record.samples, self.job.entries.evidence().count()), (202, 0))
        self.assertIn("stopped before its end", record.trouble)

    def test_each_routine_has_its_page_and_can_be_answered_instead(self):
        for routine in shipped().routines.values():
            response = self.client.get(self.to("routine", routine.id))
            self.assertIn(response.status_code, (200, 302))
        self.assertEqual(self.client.get(self.to("routine", "juggling")).status_code, 404)

    def test_samples_after_the_end_are_not_kept(self):
        record = self.run_routine("directions", "good", [])
        self.assertFalse(actions.append_samples(record.pk, [(99.0, 5.0, 1.0)], now=NOW))
        self.assertFalse(Chunk.objects.exists())

    def test_one_record_at_a_time_and_a_forgotten_one_is_broken_off(self):
        first = actions.start_record(self.job, "", {}, user=self.user, now=NOW)
        with self.assertRaisesMessage(ChargepathError, "running already"):
            actions.start_record(self.job, "", {}, user=self.user, now=NOW)
        actions.start_record(self.job, "", {}, user=self.user, now=NOW + timedelta(minutes=1))
        first.refresh_from_db()
        self.assertEqual((first.state, first.trouble), ("broken", "the program stopped reading the meter"))

    def test_the_waiting_timer_lives_with_the_job(self):
        self.client.post(self.to("wait"), {"value": "3.10V"})
        waiting = self.job.waitings.get()
        self.assertContains(self.client.get(self.to("wait")), "On charge since")
        self.assertContains(self.client.post(self.to("wait"), {"value": "lots"}), "is not a number", status_code=422)
        go = {"user": self.user}
        start = waiting.started_at
        waiting = actions.read_waiting(waiting, 3.11, now=start + timedelta(minutes=10), **go)
        self.assertIsNone(waiting.ended_at)
        self.assertContains(self.client.get(self.to("wait")), "Rising, +0.01 V in 10 min (+0.06 V an hour)")
        actions.read_waiting(waiting, 3.11, now=start + timedelta(minutes=31), **go)
        self.assertEqual(self.job.entries.evidence().get().grade, "no_rise")

    def test_the_waiting_timer_shows_on_the_bench_and_on_the_list(self):
        actions.start_waiting(self.job, 3.1, "V", user=self.user, now=timezone.now() - timedelta(minutes=12))
        bench, jobs = self.client.get(self.job.get_absolute_url()), self.client.get(reverse("day:list"))
        self.assertContains(bench, '<b class="num">12 min</b> so far, <span class="num">18 min</span> to go')
        self.assertContains(jobs, "on charge: 18 min left")
        actions.stop_waiting(self.job.waitings.get(), user=self.user, now=timezone.now())
        self.assertNotContains(self.client.get(reverse("day:list")), "on charge:")

    def test_a_level_keeps_its_unit(self):
        """Four percent is no four volts, and the page never mixes them."""
        for text, says in (("4", "type 4 % or 4 V"), ("12 V", "12 V is no single cell")):
            self.assertContains(self.client.post(self.to("wait"), {"value": text}), says, status_code=422)
        self.client.post(self.to("wait"), {"value": "4 %"})
        self.assertContains(self.client.get(self.to("wait")), 'It began at <b class="num">4\u00a0%</b>')
        self.assertContains(self.client.post(self.to("wait"), {"value": "4 V"}), "percent again", status_code=422)
        self.client.post(self.to("wait"), {"value": "6"})
        self.assertEqual(self.job.entries.evidence().get().grade, "rises")

    def test_without_a_meter_it_says_so(self):
        start = {"routine": "wiggle", "source": "brick_5v2a"}
        page = self.client.get(self.to("routine", "wiggle"))
        self.assertContains(page, "no power meter is read here")
        for says in ("no meter that says volts and amps is read here", "nobody reads the instruments now"):
            self.assertContains(self.client.post(self.to("start"), start, follow=True), says)
            place = {"profile": "json_lines", "host": "127.0.0.1", "port": free_port()}
            BenchInstrument.objects.get_or_create(name="Grey", defaults=place)
        read_instruments(self)
        self.assertContains(self.client.post(self.to("start"), start, follow=True), "cannot be reached")
        self.assertFalse(Record.objects.exists())


class MeterProtocol(TransactionTestCase):
    def setUp(self):
        self.user = make_user()
        self.client.force_login(self.user)
        self.job = make_job(self.user)
        self.standing = StandingIn(StandinOfOurs(StandinMeter(), 50.0)).start()
        self.addCleanup(self.standing.stop)
        self.running = Running(profile_called("json_lines"), self.standing.place)
        self.running.start()
        self.addCleanup(self.running.stop)
        self.record = actions.start_record(self.job, "", {}, user=self.user, now=timezone.now())
        for name, value in (("SILENT_S", 1.5), ("FLUSH_S", 0.1), ("LOOKS_UP_S", 0.05)):
            self.enterContext(patch.object(recording, name, value))

    def taken(self, more_than):
        """Wait until so many samples are stored."""
        end = time.monotonic() + 60
        while time.monotonic() < end:
            count = sum(len(bytes(chunk.data)) // 24 for chunk in self.record.chunks.all())
            if count > more_than:
                return count
            time.sleep(0.05)
        raise AssertionError("no samples came")

    def recorded(self):
        """The thread that records, and what it will have returned."""
        said = []
        thread = threading.Thread(target=lambda: said.append(recording.record_from(self.running, self.record.pk)))
        thread.start()
        self.addCleanup(connections.close_all)
        return thread, said

    def test_when_the_meter_goes_away_what_was_taken_is_kept_and_said(self):
        thread, said = self.recorded()
        self.taken(20)
        self.standing.stop()
        thread.join(60)
        self.assertIn("cannot be reached", said[0])
        actions.break_off(self.record.pk, said[0], now=timezone.now())
        count = self.taken(20)
        tail = self.client.get(reverse("instruments:tail", args=(self.job.pk, self.record.pk))).json()
        self.assertEqual((tail["state"], len(tail["t"])), ("broken", count))
        self.client.post(reverse("instruments:stop", args=(self.job.pk, self.record.pk)))
        self.record.refresh_from_db()
        self.assertEqual(self.record.samples, count)
        self.assertContains(self.client.get(self.record.get_absolute_url()), "What was taken is kept")

    def test_a_meter_that_is_back_soon_goes_on_with_its_record_and_every_line_is_in_it(self):
        thread, said = self.recorded()
        before = self.taken(20)
        self.standing.how = "gone"
        while self.running.told()["state"] == "reading":
            time.sleep(0.01)
        self.standing.how = ""
        self.taken(before + 60)
        Record.objects.filter(pk=self.record.pk).update(state="done")
        thread.join(60)
        self.assertEqual(said, [""])
        rows = np.concatenate([np.frombuffer(chunk.data).reshape(-1, 3) for chunk in self.record.chunks.all()])
        steps = np.diff(rows[:, 0])
        # The stand-in's clock goes on by a hundredth a line: one gap, and no line left out before it or after it.
        self.assertTrue((steps > 0).all())
        self.assertEqual((steps > 1.5 / StandinMeter().rate).sum(), 1)

    def test_a_simulated_meter_is_told_what_it_knows_and_says_which_device_lies_there(self):
        meter = BenchInstrument.objects.create(
            name="Grey", profile="json_lines", host="127.0.0.1", port=self.standing.place.port
        )
        self.assertEqual(asking.told_to(meter, {"do": "plug"}), "there is no simulated meter here")
        read_instruments(self)
        end = time.monotonic() + 30
        while not asking.greeting(meter) and time.monotonic() < end:
            time.sleep(0.05)
        self.assertEqual(asking.told_to(meter, {"device": "toaster"}), "unknown device")
        self.assertEqual(asking.told_to(meter, {"device": "port_joint.cracked", "percent": 40}), "")
        while asking.greeting(meter).get("device") != "port_joint.cracked" and time.monotonic() < end:
            time.sleep(0.05)
        self.assertEqual(asking.greeting(meter)["device"], "port_joint.cracked")

    def test_commands_are_carried_out_or_refused_with_what_is_allowed(self):
        meter = StandinMeter()
        good = ['{"device": "port_joint.cracked", "percent": 40}', '{"do": "lean", "to": "left"}', '{"do": "unplug"}']
        for line in good:
            self.assertIs(json.loads(meter.command(line))["ok"], True)
        self.assertEqual(json.loads(meter.sample())["a"], 0.0)
        for line in (
            "x",
            "[]",
            '{"device": "toaster"}',
            '{"do": "dance"}',
            '{"device": "battery_flat", "percent": 400}',
            '{"device": ["good"]}',
            '{"device": "good", "seed": -1}',
            '{"do": "lean"}',
        ):
            self.assertIn("allowed", meter.command(line))

    def test_what_a_simulated_meter_says_of_itself_is_shown_in_words_or_passed_over(self):
        hands = Hands.of(None, json.loads(StandinMeter().hello()), shipped())
        self.assertEqual(hands.groups[0], ("Sound", [("good", "Good device")]))
        labels = {name: label for _, devices in hands.groups for name, label in devices}
        self.assertEqual(labels["carrier_fault.data"], "Failed sub-board or flex: a data line open")
        self.assertEqual(labels["battery_flat"], shipped().faults["battery_flat"].label)
        self.assertIsNone(Hands.of(None, {}, shipped()))
        for nonsense in ({"devices": ["good"], "leans": "up"}, {"devices": 3, "leans": None}, {"device": [1]}):
            shown = Hands.of(None, nonsense, shipped())
            self.assertEqual((shown.groups, shown.leans), ([], ()))
