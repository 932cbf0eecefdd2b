"""The instruments of the bench through their pages: set up, read, taught what nobody knows, taken by a field."""

import os
import pty
import re
import socket
import threading
import tty
from html import unescape
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from benchtalk import bridge
from benchtalk.looking import Announced
from benchtalk.standing_in import StandingIn
from chargepath.standin.bench import StandinBench
from chargepath.standin.meter import StandinMeter
from chargepath.standin.multimeter import StandinMultimeter
from chargepath.standin.talkers import StandinPowerStream, StandinPressureStream, StandinRemoteMultimeter
from rainfront.demo.management.commands.standins import shipped_map
from rainfront.instruments import bench
from rainfront.instruments.models import BenchInstrument, OwnProfile
from rainfront.instruments.presenters_bench import trace_path
from tests.builders import make_job, make_user
from tests.reading import read_instruments
from tests.talk.rigs import Known
from tests.watched import until
from tests.web.test_pages import Signed

BENCH, NEW = reverse("bench:bench"), reverse("bench:new_instrument")


class Strange(Known):
    """A meter whose lines no profile knows: degrees and a counter."""

    def line(self):
        return f"probe#2 -> {180.5 + self.rate_hz / 10:.1f} C (n=7)"


class BenchInstruments(Signed):
    def setUp(self):
        super().setUp()
        self.client.force_login(make_user("owner", "owner"))
        read_instruments(self)

    def standing(self, talker):
        found = StandingIn(talker).start()
        self.addCleanup(found.stop)
        return found

    def store(self, **fields):
        fields = {"name": "On the mat", "profile": "usb_power_meter", "way": "tcp", "used": "on", **fields}
        return self.client.post(NEW, fields)

    def shown(self, what):
        """The page of the instruments once it says something."""

        def found():
            page = self.client.get(reverse("bench:bench_now")).content.decode()
            return page if what in page else ""

        return until(found, what=what)

    def test_one_is_set_up_read_and_goes_wrong_in_words_with_what_to_do(self):
        standing = self.standing(StandinPowerStream(StandinMeter(StandinBench())))
        answer = self.store(host="127.0.0.1", port=standing.place.port)
        self.assertRedirects(answer, BENCH)
        page = self.shown(" V</b>")
        self.assertIn("is read", page)
        self.assertRegex(page, r"[45]\.\d\d\d V")
        values = self.client.get(reverse("bench:values"), {"quantity": "amps"}).json()
        self.assertTrue(values["some"])
        self.assertRegex(values["values"][0]["text"], r"^\d\.\d\d\d$")
        self.assertEqual(self.client.get(reverse("bench:values"), {"quantity": "ohms"}).json()["some"], False)
        standing.how = "silent"
        page = self.shown("cannot be read")
        self.assertIn("switch it off and on", page)
        self.assertEqual(self.client.get(reverse("bench:values"), {"quantity": "amps"}).json()["values"], [])
        standing.how = ""
        self.shown("is read")

    def test_the_quick_line_of_a_check_is_offered_with_what_is_read_and_records_it(self):
        job = make_job(self.user)
        line = reverse("jobs:complete", args=[job.pk])
        self.assertNotContains(self.client.get(line, {"line": "i"}), "from On the mat")
        self.store(host="127.0.0.1", port=self.standing(StandinPowerStream(StandinMeter(StandinBench()))).place.port)
        self.shown(" V</b>")
        page = self.client.get(line, {"line": "i"}).content.decode()
        offered = re.search(r'data-line="(i \d\.\d+ [45]\.\d+ )">.*from On the mat, \d\.\d s ago', page, re.DOTALL)
        # The percentage is read off the device, and what is typed already stands.
        self.assertNotContains(self.client.get(line, {"line": "i 0.4"}), "from On the mat")
        self.assertNotContains(self.client.get(line, {"line": "flip"}), "from On the mat")
        self.client.post(reverse("jobs:line", args=[job.pk]), {"line": f"{offered[1]}20%"})
        values = job.entries.get(name="charger_current").values
        self.assertEqual([f"{values[name]:.3f}" for name in ("amps", "volts")], offered[1].split()[1:])

    def test_what_announces_itself_is_found_on_the_chosen_interface_and_set_up_from_there(self):
        said = [Announced("Bench <5>", "127.0.0.1", 5025), Announced("Elsewhere", "10.1.2.3", 5025)]
        self.enterContext(patch("rainfront.instruments.readers.look_for", {"127.0.0.1": said}.get))
        page = reverse("bench:find")
        shown = self.client.get(page)
        self.assertContains(shown, "127.0.0.1 (lo)")
        self.assertNotContains(shown, "Bench &lt;5&gt;")
        found = self.client.post(page, {"address": "127.0.0.1"}).content.decode()
        self.assertIn("Bench &lt;5&gt;", found)
        self.assertIn("10.1.2.3 is not where meters may be", found)
        (there,) = re.findall(r'href="(/instruments/new/[^"]*)"', found)
        form = self.client.get(unescape(there)).context["form"]
        self.assertEqual([form[name].value() for name in ("name", "host", "port")], ["Bench <5>", "127.0.0.1", "5025"])
        self.assertEqual(self.client.post(page, {"address": "8.8.8.8"}).status_code, 422)

    def test_a_ladder_is_walked_point_by_point_and_each_is_lifted_from(self):
        page = reverse("inside:ladder", args=[make_job(self.user).pk])
        self.assertNotContains(self.client.get(page), "data-walk")
        told = self.client.post(reverse("bench:steady"), {"quantity": "volts"})
        self.assertEqual((told.status_code, told.json()["again"]), (422, False))
        talker = StandinRemoteMultimeter(StandinMultimeter(shipped_map, StandinBench()))
        standing = self.standing(talker)
        self.store(profile="remote_multimeter", host="127.0.0.1", port=standing.place.port)
        self.shown("is read")
        self.assertContains(self.client.get(page), "Walk with On the mat")
        with patch.object(bench, "WAIT_S", 1.5):
            # In the air, then on the cell, then still there: it has to be lifted first.
            air = self.client.post(reverse("bench:steady"), {"quantity": "volts"}).json()
            self.assertTrue(air["again"], air)
            talker.answer("SIM:TOUCH cell")
            found = self.client.post(reverse("bench:steady"), {"quantity": "volts"}).json()
            self.assertRegex(found["text"], r"^[34]\.\d\d\d$")
            held = self.client.post(reverse("bench:steady"), {"quantity": "volts", "lifted": "no"}).json()
            self.assertTrue(held["again"], held)

    def test_a_depth_is_taken_in_its_fields_unit_whatever_sign_the_reader_gives_it(self):
        self.store(profile="pressure_reader", host="127.0.0.1", port=self.standing(StandinPressureStream()).place.port)
        self.shown("mbar")
        asked = {"quantity": "mbar", "unit": "kPa"}
        (found,) = self.client.get(reverse("bench:values"), asked).json()["values"]
        self.assertTrue(15 < float(found["text"]) <= 20, found)
        self.assertEqual(found["shown"], f"{found['text']} kPa")
        job = make_job(self.user)
        self.assertContains(self.client.get(reverse("proof:seal", args=[job.pk])), 'data-unit="kPa"')

    def test_what_cannot_be_is_refused_in_words_and_nothing_is_stored(self):
        for fields, says in (
            ({}, "Its address, as in"),
            ({"host": "8.8.8.8", "port": "5025"}, "is not where meters may be"),
            ({"way": "serial"}, "Choose the serial line"),
            ({"way": "serial", "line": "/etc/passwd"}, "That is no serial line"),
            ({"way": "serial", "line": "/dev/../etc/passwd"}, "That is no serial line"),
            ({"host": "127.0.0.1", "port": "99999"}, "Port"),
        ):
            with self.subTest(says):
                self.assertContains(self.store(**fields), says, status_code=422)
        self.assertFalse(BenchInstrument.objects.exists())

    def test_where_the_owner_allows_no_instrument_any_more_none_is_opened(self):
        BenchInstrument.objects.create(name="Elsewhere", profile="csv_lines", host="10.1.2.3", port=5025)
        self.assertIn("10.1.2.3 is not where meters may be", self.shown("cannot be read"))
        # One that may not be opened keeps no field from what the others read.
        BenchInstrument.objects.update(profile="remote_multimeter")
        self.store(host="127.0.0.1", port=self.standing(StandinPowerStream(StandinMeter(StandinBench()))).place.port)
        self.shown(" V</b>")
        values = self.client.get(reverse("bench:values"), {"quantity": "volts"}).json()["values"]
        self.assertEqual([row["name"] for row in values], ["On the mat"])

    def test_a_serial_line_is_read_by_its_name(self):
        master, slave = pty.openpty()
        tty.setraw(slave)
        self.addCleanup(os.close, master)
        self.addCleanup(os.close, slave)
        self.store(way="serial", line=os.ttyname(slave), profile="thermocouple_reader")

        def says():
            os.write(master, b"T1: 183.5 C\n")
            return "183.5" in self.client.get(reverse("bench:bench_now")).content.decode()

        until(says)

    def test_one_behind_a_bridge_gets_a_secret_and_the_command_that_serves_it_for_the_owner_alone(self):
        listening = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(listening.close)
        master, slave = pty.openpty()
        tty.setraw(slave)
        self.addCleanup(os.close, master)
        self.addCleanup(os.close, slave)
        port = listening.getsockname()[1]
        self.store(way="bridge", host="127.0.0.1", port=port, profile="thermocouple_reader")
        made = BenchInstrument.objects.get()
        self.assertGreater(len(made.secret), 30)
        page = self.client.get(made.get_absolute_url())
        self.assertContains(page, f"RAINFRONT_BRIDGE_SECRET={made.secret} python3 bridge.py")
        self.assertContains(self.client.get(reverse("bench:bridge_out")), "Serve one serial instrument")
        line = os.ttyname(slave)
        serving = bridge.Bridge(lambda: bridge.serial_line(line, 9600), made.secret)
        threading.Thread(target=serving.serve, args=(listening,), daemon=True).start()

        def says():
            os.write(master, b"T1: 183.5 C\n")
            return "183.5" in self.client.get(reverse("bench:bench_now")).content.decode()

        until(says)
        other = self.client.post(NEW, {"name": "B", "profile": "csv_lines", "way": "bridge", "host": "127.0.0.1"})
        self.assertContains(other, "Its port", status_code=422)
        wrong = self.client.post(made.get_absolute_url(), {"name": "B", "pin": "12:zz"})
        self.assertContains(wrong, "That is no fingerprint", status_code=422)
        self.client.force_login(make_user("lead", "lead"))
        self.assertNotContains(self.client.get(made.get_absolute_url()), made.secret)

    def test_lines_that_no_profile_knows_are_shown_and_read_by_a_template(self):
        standing = self.standing(Strange(20.0))
        answer = self.store(host="127.0.0.1", port=standing.place.port, profile="teach")
        made = BenchInstrument.objects.get()
        lines = reverse("bench:lines", args=[made.pk])
        self.assertRedirects(answer, lines)
        self.assertFalse(made.used)
        page = self.client.get(lines)
        self.assertContains(page, "probe#{_} -&gt; {celsius} C (n={_})")
        self.assertContains(page, "182.5<span")
        wrong = self.client.post(lines, {"template": "T {celsius}", "store": "yes"})
        self.assertContains(wrong, "too few of the lines", status_code=422)
        self.client.post(lines, {"template": "probe#{_} -> {celsius} C (n={_})", "store": "yes"})
        self.assertEqual(OwnProfile.objects.get().name, "On the mat")
        made.refresh_from_db()
        self.assertTrue(made.used)
        self.shown("182.5")

    def test_who_calibrated_it_and_off_the_bench(self):
        self.store(host="127.0.0.1", port=9)
        made = BenchInstrument.objects.get()
        path = reverse("bench:calibrated", args=[made.pk])
        self.assertContains(self.client.post(path, {"who": "", "on": "2026-03-01"}), "Fill this in", status_code=422)
        self.client.post(path, {"who": "Quay laboratory", "on": "2026-03-01"})
        self.assertContains(self.client.get(BENCH), "calibrated 1 Mar 2026 by Quay laboratory")
        self.client.post(made.get_absolute_url(), {"act": "remove"})
        self.assertFalse(BenchInstrument.objects.exists())

    def test_a_profile_goes_out_as_a_file_and_comes_in_again_and_no_other_text_does(self):
        page = reverse("bench:profiles")
        self.assertContains(self.client.get(page), "Multimeter with a remote interface")
        out = self.client.get(reverse("bench:profile_out", args=["usb_power_meter"]))
        for raw, status, says in (
            (out.content, 302, ""),
            (b"\xff\xfe", 422, "it is no text"),
            (b"name = 'x'", 422, "profile"),
            (out.content.replace(b'unit = "V"', b'unit = "furlong"'), 422, "its unit one of"),
            (b"#" * 50_000, 422, "longer than"),
        ):
            with self.subTest(says):
                answer = self.client.post(page, {"file": SimpleUploadedFile("p.toml", raw)})
                self.assertContains(answer, says, status_code=status)
        made = OwnProfile.objects.get()
        again = self.client.get(reverse("bench:profile_out", args=[f"own-{made.pk}"]))
        self.assertEqual(again.content, out.content)
        self.assertEqual(self.client.get(reverse("bench:profile_out", args=["own-77"])).status_code, 404)

    def test_two_on_one_part_say_how_far_they_are_apart(self):
        class Off(StandinRemoteMultimeter):
            def _ohms(self):
                return 101.5

        multimeter = StandinMultimeter(shipped_map, StandinBench())
        good = StandinRemoteMultimeter(multimeter)
        good._ohms = lambda: 100.0
        for name, talker in (("Bench", good), ("Second", Off(multimeter))):
            port = self.standing(talker).place.port
            self.store(name=name, profile="remote_multimeter", host="127.0.0.1", port=port)
        first, second = (made.pk for made in BenchInstrument.objects.all())
        page = reverse("bench:compare")
        sent = {"first": first, "second": second, "quantity": "ohms"}
        # Never both at once on the part: their test currents would add up.
        self.assertContains(self.client.post(page, sent), 'name="taken" value="100"')
        found = self.client.post(page, sent | {"taken": "100"})
        self.assertContains(found, "Second reads 1.500 ohm (1.5 %) more than Bench.")
        self.assertNotContains(found, 'name="taken"')
        same = self.client.post(page, sent | {"second": first})
        self.assertContains(same, "Choose another one", status_code=422)

    def test_the_trace_is_in_its_box_with_the_newest_at_the_right(self):
        path = trace_path([(15.0, 5.0), (7.5, 5.5), (3.0, float("inf")), (0.0, 5.0)])
        self.assertEqual(path, "M0.0 32.0 L80.0 4.0 L160.0 32.0")
        self.assertEqual(trace_path([(0.0, 5.0)]), "")
