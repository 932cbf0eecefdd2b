"""Instruments that misbehave in twelve ways, over TCP and a serial line, asked or not: never a false value."""

import os
import pty
import threading
import time
import tty
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

from django.test import SimpleTestCase

from benchtalk.instrument import Instrument
from benchtalk.lines import LONGEST, WireLines
from benchtalk.running import Running
from benchtalk.standing_in import MISBEHAVIOURS, StandingIn
from benchtalk.trouble import Trouble, TroubleKind
from benchtalk.wire import SERIAL, TCP, WirePlace, open_wire
from chargepath.instrument.profile import InstrumentProfile, shipped_profiles
from chargepath.standin.bench import StandinBench
from chargepath.standin.bench_supply import StandinSupply, StandinThermocouple
from chargepath.standin.meter import StandinMeter
from chargepath.standin.multimeter import RATE, StandinMultimeter
from chargepath.standin.talkers import (
    StandinCells,
    StandinOfOurs,
    StandinPowerStream,
    StandinPressureStream,
    StandinRemoteMultimeter,
    StandinTextSupply,
    StandinThermoStream,
)
from rainfront.demo.management.commands.standins import shipped_map
from tests.sizes import sized
from tests.talk.rigs import WAYS, Known, Rig, profile_of
from tests.watched import until

PATIENCE_S = 30.0
# What a reader says of each; a stream that says everything twice says nothing wrong.
KINDS = {
    "silent": {"silent"}, "drip": {"silent", "out of step", "babble"}, "endless": {"babble", "out of step"},
    "garbage": {"babble", "out of step"}, "nan": {"babble"}, "huge": {"babble"}, "overload": {"babble"},
    "late": {"silent"}, "double": {"out of step", ""}, "gone": {"gone", "silent"},
    "other": {"other", "out of step", "babble"}, "slow_start": {"gone", "silent", "other", "out of step"},
}  # fmt: skip


class Grid(SimpleTestCase):
    def test_nothing_false_is_taken_whatever_goes_wrong_and_it_is_read_again(self):
        ways = sized(((TCP, "ask"), (SERIAL, "stream")), WAYS)
        jobs = [(way, acquire, how) for way, acquire in ways for how in MISBEHAVIOURS] * sized(1, 30)
        with TemporaryDirectory() as folder, ThreadPoolExecutor(24) as hands:

            def drive(numbered):
                number, (way, acquire, how) = numbered
                rig = Rig(way, acquire, Path(folder), number)
                try:
                    return way, acquire, how, rig.misbehave(how, 2.6, PATIENCE_S)
                finally:
                    rig.close()

            for way, acquire, how, seen in hands.map(drive, enumerate(jobs)):
                with self.subTest(way=way, acquire=acquire, how=how):
                    self.assertEqual(seen.false, 0)
                    self.assertGreater(seen.taken, 5)
                    self.assertLess(seen.again_s, PATIENCE_S)
                    if (acquire, how) != ("stream", "double"):
                        self.assertIn(seen.kind, KINDS[how])


class Limits(SimpleTestCase):
    """Bytes that come from the other end of a socket or a line, one by one or all at once."""

    def lines(self, *pieces, pause=0.0):
        master, slave = pty.openpty()
        tty.setraw(slave)
        self.addCleanup(os.close, master)
        wire = open_wire(WirePlace(SERIAL, path=os.ttyname(slave), baud=115_200))
        self.addCleanup(wire.close)
        os.close(slave)

        def say():
            for piece in pieces:
                os.write(master, piece)
                time.sleep(pause)

        saying = threading.Thread(target=say, daemon=True)
        saying.start()
        # Before the line is pulled out; what is said without a pause is there at once.
        self.addCleanup(saying.join)
        if not pause:
            saying.join()
        return WireLines(wire)

    def kind(self, act):
        with self.assertRaises(Trouble) as caught:
            act()
        return caught.exception.kind

    def test_a_deadline_is_for_the_whole_answer_not_for_a_byte(self):
        class Drips:
            now = 0.0

            def wait(self, seconds):
                self.now += 0.05
                return b"1"

        wire = Drips()
        with patch("benchtalk.lines.time") as clock:
            clock.monotonic = lambda: wire.now
            lines = WireLines(wire)
            self.assertEqual(self.kind(lambda: lines.line(0.4)), TroubleKind.SILENT)
        self.assertLess(wire.now, 0.5)

    def test_a_line_is_never_longer_than_an_instruments(self):
        self.assertEqual(self.kind(lambda: self.lines(b"1" * (LONGEST + 2)).line(5)), TroubleKind.BABBLE)
        self.assertEqual(self.kind(lambda: self.lines(b"1" * (LONGEST + 1) + b"\n").line(5)), TroubleKind.BABBLE)
        self.assertEqual(self.lines(b"1" * LONGEST + b"\r\n").line(5), "1" * LONGEST)

    def test_what_has_piled_up_is_dropped_for_the_newest(self):
        # All of it has been written when the lines are here.
        self.assertEqual(self.lines(b"1\n2\n3\n4").newest(5), "3")


class ByProfile(SimpleTestCase):
    """Each profile that ships reads its stand-in over a real port or a real serial line, all on one bench."""

    def standing(self, talker, way=TCP):
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        found = StandingIn(talker, way, Path(folder.name) / "line" if way == SERIAL else None).start()
        self.addCleanup(found.stop)
        return found

    def instrument(self, profile, talker, way=TCP):
        made = Instrument(shipped_profiles()[profile], self.standing(talker, way).place)
        self.addCleanup(made.close)
        made.open()
        return made

    def test_what_speaks_by_itself(self):
        bench = StandinBench(percent=40.0)
        meter, supply = StandinMeter(bench), StandinSupply(bench)
        multimeter = StandinMultimeter(shipped_map, bench)
        for profile, talker, way, wanted in (
            ("usb_power_meter", StandinPowerStream(meter), SERIAL, {"volts": (4.8, 5.3), "amps": (0.2, 3.2)}),
            ("csv_lines", StandinCells(meter), TCP, {"volts": (4.8, 5.3), "amps": (0.2, 3.2)}),
            ("json_lines", StandinOfOurs(meter, 10.0), TCP, {"volts": (4.8, 5.3), "amps": (0.2, 3.2)}),
            ("pressure_reader", StandinPressureStream(), TCP, {"mbar": (-200, -150)}),
            ("thermocouple_reader", StandinThermoStream(StandinThermocouple(supply)), SERIAL, {"celsius": (10, 40)}),
            ("json_multimeter", StandinOfOurs(multimeter, RATE), TCP, {"diode": (float("inf"), float("inf"))}),
        ):
            with self.subTest(profile):
                found = {row.quantity: row.value for row in self.instrument(profile, talker, way).readings()}
                for quantity, (low, high) in wanted.items():
                    self.assertTrue(low <= found[quantity] <= high, (quantity, found[quantity]))

    def test_a_multimeter_that_is_asked_in_each_of_its_modes(self):
        multimeter = StandinMultimeter(shipped_map, StandinBench())
        made = self.instrument("remote_multimeter", StandinRemoteMultimeter(multimeter), SERIAL)
        self.assertIn("multimeter", made.identity)
        self.assertEqual(made.read("diode").value, float("inf"))
        made.pretend("SIM:TOUCH usb_c,pads,A5")
        self.assertTrue(200 < made.read("diode").value < 1500)
        made.pretend("SIM:TOUCH cell")
        self.assertTrue(3.4 < made.read("volts").value < 4.3)
        made.pretend("SIM:TOUCH usb_c,pads,A1")
        self.assertLess(made.read("continuity").value, 5.0)

    def test_a_supply_is_limited_first_switched_and_read_back(self):
        supply = StandinSupply()
        made = self.instrument("remote_supply", StandinTextSupply(supply))
        made.set("over_volts", 4.4)
        made.set("off_after", 600.0)
        for name in ("over_amps", "warmth"):
            with self.assertRaises(Trouble) as caught:
                made.set(name, 1.0)
            self.assertEqual(caught.exception.kind, TroubleKind.REFUSED)
        made.set("volts", 4.2)
        made.set("amps", 0.5)
        made.output(on=True)
        self.assertEqual((supply.on, supply.volts, supply.amps, supply.cuts_at_v), (True, 4.2, 0.5, 4.4))
        self.assertEqual(supply.timer_s, 600.0)
        # What it keeps is what counts, not what it was told.
        with patch.object(supply, "_set"), self.assertRaisesMessage(Trouble, "keeps “4.400” as its over volts"):
            made.set("over_volts", 4.2)
        supply.misbehaves = "stuck"
        with self.assertRaisesMessage(Trouble, "its output is not off"):
            made.output(on=False)
        supply.misbehaves = "none"
        made.output(on=False)
        self.assertFalse(supply.on)
        with self.assertRaises(Trouble) as caught:
            made.set("volts", 99.0)
        self.assertEqual(caught.exception.kind, TroubleKind.REFUSED)

    def test_another_instrument_at_the_address_is_named(self):
        standing = self.standing(StandinTextSupply(StandinSupply()))
        standing.how = "other"
        profile = profile_of("ask")
        with self.assertRaises(Trouble) as caught:
            Instrument(profile, standing.place).open()
        self.assertEqual(caught.exception.kind, TroubleKind.OTHER)

    def test_what_took_a_simulated_ones_place_is_told_nothing(self):
        class Meter(Known):
            greets, told = '{"hello": "bench", "simulated": true}', 0

            def hello(self):
                return self.greets

            def answer(self, line):
                self.told += 1

        talker = Meter(20.0)
        made = Instrument(profile_of("stream"), self.standing(talker).place)
        self.addCleanup(made.close)
        for greets, told in (
            (talker.greets, 1),
            ("V: 5.0V A: 0.5A", 1),
            ('{"hello": "bench", "simulated": false}', 1),
        ):
            with self.subTest(greets=greets):
                talker.greets = greets
                made.open()
                made.pretend("SIM:TOUCH cell")
                until(lambda: len([made.readings() for _ in range(5)]) == 5)
                self.assertEqual(talker.told, told)

    def test_what_is_no_simulated_one_is_never_told_to_pretend(self):
        class Real(Known):
            told: list[str] = []

            def answer(self, line):
                self.told.append(line)
                return "a,real,one,1" if "IDN" in line else super().answer(line)

        profile = profile_of("ask")
        made = Instrument(profile.__class__(**{**profile.__dict__, "like": "*"}), self.standing(Real(0.0)).place)
        self.addCleanup(made.close)
        made.open()
        made.pretend("SIM:TOUCH cell")
        made.read("volts")
        self.assertNotIn("SIM:TOUCH cell", Real.told)


class KeptRead(SimpleTestCase):
    def test_one_that_is_left_to_settle_stops_at_once_all_the_same(self):
        standing = StandingIn(Known(0.0)).start()
        self.addCleanup(standing.stop)
        profile = profile_of("ask")
        made = Instrument(replace(profile, acquire=replace(profile.acquire, settle_s=10.0)), standing.place)
        self.addCleanup(made.close)
        made.open()
        made.pretend("SIM:TOUCH cell")
        kinds = []

        def read():
            try:
                made.read("volts")
            except Trouble as trouble:
                kinds.append(trouble.kind)

        reading = threading.Thread(target=read, daemon=True)
        reading.start()
        made.wake()
        reading.join(5)
        self.assertEqual(kinds, [TroubleKind.GONE])

    def test_it_is_read_while_others_misbehave_and_stops_at_once(self):
        with TemporaryDirectory() as folder:
            good = Rig(TCP, "ask", Path(folder), 0)
            bad = [Rig(SERIAL, "stream", Path(folder), number) for number in range(1, 5)]
            for rig, how in zip(bad, ("endless", "drip", "gone", "garbage"), strict=True):
                rig.standing.how = how
            good.until(lambda: len(good.times) > 20, PATIENCE_S)
            self.assertEqual(good.running.told()["state"], "reading")
            for rig in (good, *bad):
                rig.close()
                self.assertFalse(rig.running._thread.is_alive())

    def test_an_error_of_the_program_is_logged_and_the_instrument_read_again(self):
        standing = StandingIn(Known(0.0)).start()
        self.addCleanup(standing.stop)
        running = Running(profile_of("ask"), standing.place)
        self.addCleanup(running.stop)
        with (
            self.assertLogs("benchtalk.running", "ERROR"),
            patch.object(InstrumentProfile, "read", side_effect=KeyError),
        ):
            running.start()
            until(lambda: running.told()["state"] == "trouble")
        self.assertEqual(running.told()["kind"], "other")
        until(lambda: running.told()["state"] == "reading")

    def test_while_somebody_hears_no_line_is_passed_over(self):
        class Bursts(Known):
            number = 0

            def line(self):
                self.number += 3
                return "\n".join(f"V: 5.0V A: {(self.number + k) / 1000:.3f}A" for k in range(3))

        standing = StandingIn(Bursts(20.0)).start()
        self.addCleanup(standing.stop)
        running = Running(profile_of("stream"), standing.place)
        running.start()
        self.addCleanup(running.stop)
        until(lambda: running.told()["state"] == "reading")
        with running.hearing() as heard:
            amps = [heard(PATIENCE_S)[1].value for _ in range(40)][10:]
        steps = [round((after - before) * 1000) for before, after in pairwise(amps)]
        self.assertEqual(steps, [1] * len(steps))

    def test_what_a_page_is_told(self):
        standing = StandingIn(Known(0.0)).start()
        self.addCleanup(standing.stop)
        running = Running(profile_of("ask"), standing.place)
        self.assertEqual(running.told()["state"], "opening")
        running.start()
        self.addCleanup(running.stop)
        with running.hearing() as heard:
            (first,) = heard(PATIENCE_S)
        self.assertEqual(first.quantity, "volts")
        told = running.told()
        self.assertEqual((told["state"], told["kind"], list(told["values"])), ("reading", "", ["volts"]))
        self.assertLess(told["values"]["volts"]["age"], 5)
        running.wish("amps")
        with running.hearing() as heard:
            while heard(PATIENCE_S)[0].quantity != "amps":
                pass
        # What was read before the trouble is no value of now.
        standing.how = "silent"
        until(lambda: running.told()["state"] == "trouble")
        self.assertEqual((running.told()["kind"], running.told()["values"]), ("silent", {}))
