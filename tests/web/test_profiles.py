"""A meter whose lines no profile knows: heard, understood, read into a record, and never read wrong."""

import socket
import threading
import time

import numpy as np
from django.test import TransactionTestCase
from django.urls import reverse
from django.utils import timezone

from benchtalk.instrument import TalkedReading
from chargepath.instrument.profile import read_profile
from rainfront.instruments import actions
from rainfront.instruments.models import BenchInstrument, OwnProfile, Record
from rainfront.instruments.profiles import heard_lines, is_power_meter, profile_called, profile_text
from rainfront.instruments.recording import sample_of
from tests.builders import make_job, make_user
from tests.reading import read_instruments
from tests.web.test_pages import Signed

TEMPLATE = "V= {millivolts} mV; I={milliamps}mA #{_}"


class Talker:
    """A meter that sends lines by itself to whoever connects."""

    def __init__(self, lines, every=0.02):
        self.lines, self.every, self.over = lines, every, threading.Event()
        self.socket = socket.create_server(("127.0.0.1", 0))
        self.port = self.socket.getsockname()[1]
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self):
        while not self.over.is_set():
            try:
                made, _ = self.socket.accept()
            except OSError:
                return
            threading.Thread(target=self._talk, args=(made,), daemon=True).start()

    def _talk(self, made):
        with made:
            number = 0
            while not self.over.is_set():
                try:
                    made.sendall(self.lines(number).encode() + b"\r\n")
                except OSError:
                    return
                number += 1
                time.sleep(self.every)

    def close(self):
        self.over.set()
        self.socket.close()


def said(number):
    """Every seventh line is noise, every eleventh one that cannot be."""
    if number % 7 == 6:
        return "warming up"
    return f"V= {99_000 if number % 11 == 10 else 5080 + number % 5} mV; I={512 + number % 3}mA #{number}"


class Profiles(TransactionTestCase):
    def setUp(self):
        self.user = make_user("owner", "owner")
        self.client.force_login(self.user)
        read_instruments(self)

    def talk(self, lines=said):
        talker = Talker(lines)
        self.addCleanup(talker.close)
        place = {"profile": "json_lines", "host": "127.0.0.1", "port": talker.port}
        self.meter = BenchInstrument.objects.create(name="The grey one", **place)
        self.page = reverse("bench:lines", args=[self.meter.pk])
        return talker

    def test_from_raw_lines_to_a_record_without_a_line_of_code(self):
        self.talk()
        page = self.client.get(self.page)
        self.assertContains(page, "V= {millivolts} mV; I={milliamps}mA #{_}")
        self.assertContains(page, 'class="tag"> milliamps')
        sent = {"template": TEMPLATE, "store": "yes"}
        self.assertRedirects(self.client.post(self.page, sent), reverse("bench:bench"))
        self.assertContains(self.client.get(reverse("bench:bench")), "is read into records from The grey one")
        job = make_job(self.user)
        self.client.post(reverse("instruments:start", args=[job.pk]), {})
        record = Record.objects.get()

        def rows_now():
            return [row for chunk in record.chunks.all() for row in np.frombuffer(chunk.data).reshape(-1, 3)]

        end = time.monotonic() + 30
        while time.monotonic() < end and len(rows_now()) <= 30:
            time.sleep(0.2)
        rows = rows_now()
        actions.finish_record(Record.objects.get(pk=record.pk), user=self.user, now=timezone.now())
        self.assertGreater(len(rows), 30)
        made = profile_called(BenchInstrument.objects.get().profile)
        self.assertEqual(Record.objects.get().read_by, f"The grey one, revision {made.revision}")
        for _, volts, amps in rows:
            self.assertTrue(5.07 < volts < 5.09 and 0.511 < amps < 0.515, (volts, amps))

    def test_what_does_not_fit_the_lines_or_lacks_something_is_refused_and_nothing_is_stored(self):
        self.talk()
        for template, says in (
            ("V: {volts}V A: {amps}A", "too few of the lines"),
            ("V= {_} mV; I={_}mA #{seconds}", "it measures nothing"),
            ("V= {smell} mV; I={amps}mA #{_}", "nobody knows what smell is"),
            ("volts", "names no field"),
        ):
            with self.subTest(says=says):
                sent = {"template": template, "store": "yes"}
                self.assertContains(self.client.post(self.page, sent), says, status_code=422)
        self.assertFalse(OwnProfile.objects.exists())
        BenchInstrument.objects.update(port=1)
        self.assertContains(self.client.get(self.page), "cannot be reached", status_code=422)


class Understood(Signed):
    def test_one_who_may_not_say_where_instruments_are_makes_no_profile(self):
        self.client.force_login(make_user("second", "technician"))
        page = reverse("bench:lines", args=[1])
        self.assertEqual(self.client.get(page).status_code, 403)
        self.assertEqual(self.client.post(page).status_code, 403)

    def test_a_line_is_a_sample_only_whole_and_only_where_it_can_be(self):
        made = read_profile(profile_text('The "grey" one', TEMPLATE), "own-1")
        self.assertTrue(is_power_meter(made))

        def sample(line, profile=made):
            return sample_of([TalkedReading(name, value, 9.5) for name, value in profile.read(line).items()], 8.0)

        self.assertEqual(sample("V= 5080 mV; I=512mA #9"), (1.5, 5.08, 0.512))
        for line in ("V= 5080 mV; I=mA #9", "V= 99000 mV; I=512mA #9", "V= 5080 mV", "", '{"t": 1, "v": 5, "a": 1}'):
            self.assertIsNone(sample(line), line)
        ours = profile_called("json_lines")
        self.assertEqual(sample('{"t": 1.5, "v": 5, "a": 1}', ours), (1.5, 5.0, 1.0))
        self.assertIsNone(sample('{"t": 1.5, "v": 1e999, "a": 1}', ours))
        self.assertEqual(profile_called("own-99").id, "json_lines")

    def test_what_was_read_is_framed_in_its_line(self):
        (line, noise) = heard_lines(["V= 5080 mV; I=512mA #9", "hello"], TEMPLATE)
        self.assertEqual([piece for piece in line.pieces if piece[1]], [("5080", "millivolts"), ("512", "milliamps")])
        self.assertEqual("".join(text for text, _ in line.pieces), "V= 5080 mV; I=512mA #9")
        self.assertFalse(noise.fits)
