"""Inside: probe sheets, lifts, ladder, supply, battery lines through the web."""

import math
from datetime import timedelta

from django.urls import reverse

from benchtalk.standing_in import StandingIn
from chargepath.instrument.profile import shipped_profiles
from chargepath.knowledge.loader import shipped
from chargepath.standin.multimeter import StandinMultimeter
from chargepath.standin.talkers import StandinRemoteMultimeter
from rainfront.inside import actions, adapters
from rainfront.inside.models import Ladder, Sheet
from rainfront.inside.probed import probed_on
from rainfront.instruments.models import BenchInstrument
from rainfront.instruments.serving import serve
from rainfront.jobs.actions import record_line
from rainfront.jobs.models import Entry
from rainfront.reference.actions import keep_readings
from rainfront.reference.models import DiodeMeter, GoodReading, IdleCurrent
from tests.builders import NOW, judged, make_job
from tests.reading import be_patient, read_instruments
from tests.served import served
from tests.web.test_pages import Signed

USB_C = shipped().connectors["usb_c"].map
GOOD = {"power": 600.0, "data": 480.0, "control": 700.0, "sideband": 700.0, "ground": 0.0}


class InsideTest(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user)
        cls.meter = DiodeMeter.objects.create(name="Bench", style="millivolts", test_ma=1.0)

    def to(self, name, *args):
        return reverse(f"inside:{name}", args=(self.job.pk, *args))

    def start(self, **details):
        data = {"what": "usb_c@contact", "meter": self.meter.pk, "revision": "B", "mode": "diode", **details}
        response = self.client.post(self.to("start"), data)
        self.assertEqual(response.status_code, 302, response.content.decode()[:4000])
        return Sheet.objects.latest("pk")

    def keep_good(self, boards=6, meter=None):
        details = {
            "model_name": self.job.model_name,
            "revision": "B",
            "map_id": "usb_c",
            "place": "contact",
            "meter": meter or self.meter,
        }
        for k in range(boards):
            rows = [(pin, self.good(pin) + (k % 3) - 1) for pin in USB_C.walk() if USB_C.net(pin).group != "ground"]
            keep_readings(details, rows, user=self.user, now=NOW)

    @staticmethod
    def good(pin):
        return GOOD[USB_C.net(pin).group]

    def fill(self, sheet, **odd):
        for pin in USB_C.walk():
            actions.store_point(sheet, pin, odd.get(pin, self.good(pin)), user=self.user, now=NOW)
        return Sheet.objects.whole().get(pk=sheet.pk)

    def point(self, sheet, pin, value="", act="", **headers):
        return self.client.post(self.to("point", sheet.pk), {"pin": pin, "value": value, "act": act}, headers=headers)


class OneVerdict(InsideTest):
    """What was read along the path is evidence as it is stored, once, and every page says the same."""

    def chance(self, station):
        return judged(self.job, self.user).belief.stations[station]

    def test_each_reading_moves_the_bench_and_entering_the_sheet_moves_it_no_further(self):
        self.keep_good()
        sheet = self.start()
        before = self.chance("port_ic")
        self.fill(sheet, A5=90.0, B5=110.0, A6=70.0, B6=71.0, A7=80.0, B7=81.0)
        after = self.chance("port_ic")
        self.assertGreater(after, max(0.4, 3 * before))
        page = self.client.get(sheet.get_absolute_url())
        self.assertContains(page, f'<td class="r num">{after:.0%}</td>')
        self.client.post(self.to("enter", sheet.pk))
        self.assertTrue(Entry.objects.filter(name="line_data").exists())
        self.assertAlmostEqual(self.chance("port_ic"), after, places=9)
        self.assertContains(self.client.get(self.job.get_absolute_url()), "counted with the readings along the path")

    def test_a_pin_read_again_is_followed_and_a_known_good_board_says_nothing_of_this_one(self):
        self.keep_good()
        before = self.chance("port_ic")
        sheet = self.fill(self.start(), A5=9.0)
        actions.store_point(sheet, "A5", 701.0, user=self.user, now=NOW)
        self.assertLess(self.chance("port_ic"), before)
        self.assertEqual(Entry.objects.filter(kind="path").count(), 1)
        clean = make_job(self.user)
        other = Sheet.objects.create(job=clean, map_id="usb_c", place="contact", good=True, by=self.user, at=NOW)
        actions.store_point(other, "A5", 9.0, user=self.user, now=NOW)
        self.assertFalse(Entry.objects.filter(job=clean, kind="path").exists())

    def test_a_shorted_power_line_is_a_danger_the_moment_it_is_read(self):
        sheet = self.start()
        actions.store_point(sheet, "A4", 4.0, user=self.user, now=NOW)
        found = judged(self.job, self.user)
        self.assertEqual([danger.hazard.id for danger in found.dangers], ["input_shorted"])
        self.assertNotIn("line_power", [option.id for option in found.advice.options])

    def test_a_ladder_is_one_observation_and_its_rungs_count_with_it(self):
        volts = {"source": 5.1, "plug": 5.08, "carrier": 5.06, "link": 5.04, "guard": 0.05, "charge_ic": 0.04}
        actions.store_ladder(self.job, {**volts, "cell": 3.8}, 0.0, user=self.user, now=NOW)
        self.assertGreater(self.chance("guard"), 0.8)
        self.assertLess(self.chance("link"), 0.1)
        states = [entry.state for entry in judged(self.job, self.user).belief.entries]
        # The cell's own volts are no reading of the path from the charger: they count by themselves.
        self.assertEqual((states.count("joint"), states.count("counts")), (2, 2))

    def test_a_repair_begins_a_new_observation_and_the_old_one_stays_for_what_it_saw(self):
        self.keep_good()
        self.fill(self.start(), A5=9.0)
        record_line(self.job, "did replace_port_ic no", user=self.user, now=NOW)
        low = self.chance("port_ic")
        later = NOW + timedelta(minutes=40)
        sheet = self.start()
        Sheet.objects.filter(pk=sheet.pk).update(at=later)
        actions.store_point(Sheet.objects.get(pk=sheet.pk), "A5", 8.0, user=self.user, now=later)
        self.assertEqual(Entry.objects.filter(kind="path", struck_at=None).count(), 2)
        self.assertGreater(self.chance("port_ic"), low)


class ProbeSheet(InsideTest):
    def test_it_walks_from_pin_to_pin_and_says_where_the_probes_go(self):
        sheet = self.start()
        page = self.client.get(sheet.get_absolute_url())
        self.assertContains(page, "A1 ground")
        after = self.client.get(self.point(sheet, "A1", "0").url)
        self.assertContains(after, "red on ground, black on A2 TX1+")
        skipped = self.client.get(self.point(sheet, "A2", act="skip").url)
        self.assertContains(skipped, "black on A3")
        back = self.client.get(self.point(sheet, "A3", act="back").url)
        self.assertContains(back, "black on A2")

    def test_open_and_short_are_one_key_each(self):
        sheet = self.start()
        self.point(sheet, "A4", act="short")
        self.point(sheet, "A5", act="open")
        found = adapters.readings_of(Sheet.objects.whole().get(pk=sheet.pk))
        self.assertEqual((found["A4"].mv, found["A5"].mv), (0.0, math.inf))

    def test_a_pin_read_again_keeps_the_earlier_reading(self):
        sheet = self.start()
        for value in ("512", "41"):
            self.point(sheet, "A4", value)
        page = self.client.get(self.to("points", sheet.pk))
        self.assertContains(page, "512")
        self.assertEqual(sheet.points.filter(replaced_at__isnull=True).get().value, 41)

    def test_what_cannot_be_is_refused_with_what_would_and_what_was_typed_stays(self):
        sheet = self.start()
        for typed, says in (("90000", "90000"), ("-12", "-12"), ("512 V", "512 V"), ("moon", "moon")):
            with self.subTest(typed=typed):
                page = self.point(sheet, "A4", typed)
                self.assertContains(page, says, status_code=422)
                self.assertContains(page, f'value="{typed}"', status_code=422)
        self.assertContains(self.point(sheet, "Z9", "512"), "choose one from the drawing", status_code=422)
        self.assertEqual(sheet.points.count(), 0)

    def test_units_follow_the_meter(self):
        volts = DiodeMeter.objects.create(name="Pocket", style="volts")
        sheet = self.start(meter=volts.pk)
        self.point(sheet, "A4", "0.512")
        self.assertEqual(sheet.points.get().value, 512)
        old = DiodeMeter.objects.create(name="Old", style="one_volts")
        sheet = self.start(meter=old.pk)
        for pin, typed in (("A4", ".041"), ("A5", "1")):
            self.point(sheet, pin, typed)
        rows = {row.pin: row for row in self.client.get(sheet.get_absolute_url()).context["page"].rows}
        self.assertEqual((rows["A4"].value, rows["A5"].value), ("0.041\u00a0V", "1"))
        self.assertIn("0.041\u00a0V", rows["A4"].says)
        self.assertIn("0.000 to 0.020\u00a0V", self.client.get(sheet.get_absolute_url() + "?pin=A1").content.decode())

    def test_bands_twins_and_meaning_stand_beside_each_line(self):
        self.keep_good()
        sheet = self.fill(self.start(), A6=41.0, B6=41.0)
        page = self.client.get(sheet.get_absolute_url())
        for text in ("Held against 6 good boards", "about 41\u00a0ohm to ground", "B6 41\u00a0mV"):
            self.assertContains(page, text)

    def test_without_references_the_page_says_that_it_is_weaker(self):
        page = self.client.get(self.fill(self.start()).get_absolute_url())
        self.assertContains(page, "which is weaker")

    def test_entering_gives_each_check_its_worst_line_and_moves_the_belief(self):
        self.keep_good()
        sheet = self.fill(self.start(), A5=9.0, A6=6.0, B6=7.0, A7=12.0, B7=12.0, A8=41.0)
        self.assertRedirects(self.client.post(self.to("enter", sheet.pk)), reverse("jobs:bench", args=(self.job.pk,)))
        entry = Entry.objects.get(name="line_data")
        self.assertEqual(entry.values["reading"], 9.0)
        self.assertIn("A5 CC1", entry.text)
        bench = self.client.get(reverse("jobs:bench", args=(self.job.pk,))).context["bench"]
        self.assertIn("Port IC", " ".join(row.label for row in bench.suspects[:2]))
        self.assertContains(self.client.get(self.to("inside")), "The lines point to")

    def test_a_sheet_through_the_plug_opens_nothing_and_one_on_the_board_does(self):
        spent = {}
        for what in ("usb_c@contact", "usb_c@pads"):
            sheet = self.start(what=what)
            actions.store_point(sheet, "A5", 700.0, user=self.user, now=NOW)
            by_path = judged(self.job, self.user)
            self.client.post(self.to("enter", sheet.pk))
            core = judged(self.job, self.user)
            self.assertEqual(by_path.belief.access, core.belief.access)
            spent[core.belief.access] = core.spent
        self.assertEqual(list(spent), ["outside", "opened"])
        self.assertGreater(spent["opened"] - spent["outside"], 10)
        page = self.client.get(reverse("jobs:decide", args=(self.job.pk,)))
        self.assertEqual(page.status_code, 200)

    def test_a_ladder_up_to_the_plug_opens_nothing(self):
        actions.store_ladder(self.job, {"source": 5.1, "plug": 5.08}, 0.0, user=self.user, now=NOW)
        self.assertEqual(judged(self.job, self.user).belief.access, "outside")
        actions.store_ladder(self.job, {"source": 5.1, "plug": 5.08, "guard": 5.0}, 0.0, user=self.user, now=NOW)
        self.assertEqual(judged(self.job, self.user).belief.access, "opened")

    def test_volts_on_the_sheet_are_the_input_at_the_port(self):
        sheet = self.start(mode="volts")
        for pin, volts in (("A4", "4.91"), ("A9", "4.2")):
            self.point(sheet, pin, volts)
        self.client.post(self.to("enter", sheet.pk))
        self.assertEqual(Entry.objects.get(name="input_volts_port").values, {"volts": 4.2})
        self.assertContains(self.point(sheet, "B4", "55"), "-1 to 30 V", status_code=422)

    def test_mirrored_and_one_way_round(self):
        sheet = self.start()
        scene = self.client.get(sheet.get_absolute_url() + "?side=solder&way=A side up").context["page"].scene
        self.assertIn("mirrored", scene.title)

    def test_a_good_board_becomes_a_reference_and_never_evidence(self):
        sheet = self.fill(self.start(good="on"))
        refused = self.client.post(self.to("enter", sheet.pk))
        self.assertContains(refused, "known-good board", status_code=422)
        self.client.post(self.to("keep", sheet.pk))
        self.assertEqual(GoodReading.objects.count(), 24)
        self.assertIsNone(probed_on(self.job, shipped()).location)

    def test_a_closed_job_takes_no_reading(self):
        from rainfront.proof.actions import close_job

        sheet = self.start()
        record_line(self.job, "did clean_port yes", user=self.user, now=NOW)
        close_job(self.job, ["port_fouled"], user=self.user, now=NOW)
        self.assertEqual(self.point(sheet, "A4", "512").status_code, 422)
        self.assertEqual(sheet.points.count(), 0)

    def test_queries_do_not_grow_with_what_was_read(self):
        self.keep_good()
        sheet = self.fill(self.start())
        with self.assertNumQueries(16):
            self.client.get(sheet.get_absolute_url())
        self.fill(sheet)
        with self.assertNumQueries(16):
            self.client.get(sheet.get_absolute_url())

    def test_the_list_costs_the_same_with_more_sheets(self):
        self.fill(self.start())
        self.client.get(self.to("inside"))
        with self.assertNumQueries(19):
            self.client.get(self.to("inside"))
        for _ in range(3):
            self.start()
        with self.assertNumQueries(19):
            self.client.get(self.to("inside"))


class Live(InsideTest):
    def setUp(self):
        super().setUp()
        be_patient(self)
        read_instruments(self)

    def test_a_reading_is_taken_from_the_meter_once_it_stands(self):
        meter = StandinMultimeter({"usb_c": USB_C}.get)
        self.on_the_bench("json_multimeter", served(self, lambda port: serve(meter, port, 200.0)))
        sheet = self.start()
        self.assertContains(self.client.get(sheet.get_absolute_url()), "From the meter")
        self.point(sheet, "A4", act="take")
        found = sheet.points.get()
        self.assertTrue(found.live)
        self.assertTrue(450 < found.value < 750, found.value)

    def test_a_multimeter_that_is_asked_gives_its_reading_in_the_mode_of_the_sheet(self):
        talker = StandinRemoteMultimeter(StandinMultimeter({"usb_c": USB_C}.get))
        standing = StandingIn(talker).start()
        self.addCleanup(standing.stop)
        self.on_the_bench("remote_multimeter", standing.place.port)
        revision = shipped_profiles()["remote_multimeter"].revision
        for mode, low, high in (("diode", 450, 750), ("ohms", 450, 750)):
            with self.subTest(mode):
                sheet = self.start(mode=mode)
                self.point(sheet, "A4", act="take")
                found = sheet.points.get()
                self.assertTrue(low < found.value < high, found.value)
                self.assertIn(
                    f"Bench, Multimeter with a remote interface, revision {revision}, rainfront,multimeter,simulated",
                    found.source,
                )
        standing.how = "nan"
        self.assertContains(self.point(sheet, "A5", act="take"), "which is no reading", status_code=422)
        self.assertEqual(sheet.points.count(), 1)

    def on_the_bench(self, profile, port):
        fields = {"name": "Bench", "profile": profile, "host": "127.0.0.1", "port": port, "sheet_meter": self.meter}
        return BenchInstrument.objects.create(**fields)

    def test_a_meter_that_is_not_there(self):
        self.on_the_bench("json_multimeter", 9)
        sheet = self.start()
        self.assertContains(self.point(sheet, "A4", act="take"), "127.0.0.1:9 cannot be reached", status_code=422)


class Lifts(InsideTest):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        hands = cls.hands()
        hands.keep_good()
        cls.sheet = hands.fill(hands.start(), A6=41.0, B6=42.0, A8=300.0)

    def after(self, **values):
        self.client.post(self.to("lift", self.sheet.pk), {"chip": "port_ic"})
        sheet = Sheet.objects.latest("pk")
        for pin, mv in values.items():
            actions.store_point(sheet, pin, mv, user=self.user, now=NOW)
        self.client.post(self.to("enter", sheet.pk))
        return sheet

    def test_the_lines_that_were_off_are_asked_for_again_and_shown_beside_each_other(self):
        sheet = self.after(A6=490.0, B6=488.0, A8=710.0)
        self.assertEqual(sheet.pins, ["A6", "A8", "B6"])
        page = self.client.get(sheet.get_absolute_url())
        self.assertContains(page, "Before and after the port IC was lifted")
        self.assertContains(page, "recovers", 3)
        self.assertEqual(Entry.objects.get(name="lift_port_ic").grade, "recovers")

    def test_still_low(self):
        self.after(A6=44.0, B6=45.0, A8=310.0)
        self.assertEqual(Entry.objects.get(name="lift_port_ic").grade, "still_low")

    def test_a_lift_needs_a_line_that_reads_low(self):
        sheet = self.fill(self.start())
        page = self.client.post(self.to("lift", sheet.pk), {"chip": "port_ic"})
        self.assertContains(page, "no line on this sheet reads low", status_code=422)
        page = self.client.post(self.to("lift", self.sheet.pk), {"chip": "moon"})
        self.assertContains(page, "no chip to lift", status_code=422)


class Power(InsideTest):
    def test_a_ladder_is_judged_kept_and_entered(self):
        data = {"amps": "1.5", "v_plug": "4.92", "v_carrier": "4.4", "v_charge_ic": "4.2", "v_cell": "3.7"}
        self.client.post(self.to("ladder"), data)
        self.assertEqual(Ladder.objects.get().volts["carrier"], 4.4)
        self.assertContains(self.client.get(self.to("ladder")), "<b>Guilty: </b>", 1)
        names = set(Entry.objects.filter(kind="check").values_list("name", flat=True))
        self.assertLessEqual({"input_volts_port", "input_volts_board", "battery_volts"}, names)

    def test_bad_ladders_keep_what_was_typed(self):
        page = self.client.post(self.to("ladder"), {"amps": "1.5", "v_plug": "4.92"})
        self.assertContains(page, "two places", status_code=422)
        self.assertContains(page, 'value="4.92"', status_code=422)
        page = self.client.post(self.to("ladder"), {"amps": "1.5", "v_plug": "4.92", "v_rail": "12"})
        self.assertContains(page, "0 to 10 V", status_code=422)
        self.assertFalse(Ladder.objects.exists())

    def test_cable_and_injection_are_worked_out_on_the_page(self):
        page = self.client.get(self.to("ladder") + "?gauge=24&metres=1&cable_amps=3")
        self.assertContains(page, "253 mV")
        page = self.client.get(self.to("supply") + "?ohms=0.25&rail_volts=4.4&most_amps=3")
        self.assertContains(page, "0.60 V")
        self.assertContains(page, "2.00 A")
        page = self.client.get(self.to("supply") + "?ohms=0.25&rail_volts=99&most_amps=3")
        self.assertContains(page, "20", status_code=422)

    def test_supply_grades_and_a_good_boards_current(self):
        self.client.post(self.to("supply"), {"before": "40 mA"})
        self.assertEqual(Entry.objects.get(name="supply_idle").values, {"amps": 0.04})
        self.client.post(self.to("keep_supply"), {"before": "0.6 mA"})
        self.assertAlmostEqual(IdleCurrent.objects.get().amps, 0.0006)
        self.assertContains(self.client.get(self.to("supply")), "good board 0.6 mA")
        self.assertContains(self.client.post(self.to("supply"), {}), "when off", status_code=422)

    def test_a_thermistors_own_curve(self):
        base = {"ntc_ohms": "32650", "room_c": "2", "rail_volts": "1.8", "act": "look"}
        for curve, own, temp in (
            ("type_2", "", "0.0 °C"),
            ("points", "0 32650, 25 10000, 50 3603", "0.0 °C"),
            ("own_beta", "10000 3950", "0."),
            ("beta", "", "-2.8 °C"),
        ):
            with self.subTest(curve=curve):
                page = self.client.post(self.to("sense"), {**base, "ntc_curve": curve, "ntc_own": own})
                self.assertContains(page, temp)
        page = self.client.post(self.to("sense"), {**base, "ntc_curve": "points", "ntc_own": "0 32650"})
        self.assertContains(page, "three points as in", status_code=422)
        page = self.client.post(self.to("sense"), {**base, "ntc_curve": "points", "ntc_own": "0 1, 25 2, 50 3"})
        self.assertContains(page, "falling curve", status_code=422)

    def test_battery_lines(self):
        page = self.client.post(
            self.to("sense"), {"ntc_ohms": "OL", "room_c": "22", "rail_volts": "1.8", "act": "look"}
        )
        self.assertContains(page, "thermistor open")
        self.client.post(
            self.to("sense"),
            {"ntc_ohms": "9.8k", "room_c": "22", "rail_volts": "1.8", "data_volts": "0.4", "act": "enter"},
        )
        self.assertEqual(Entry.objects.get(name="sense_lines").grade, "faulty")
        page = self.client.post(self.to("sense"), {"ntc_ohms": "warm", "room_c": "22", "rail_volts": "1.8"})
        self.assertContains(page, "9800, 9.8k or OL", status_code=422)
        page = self.client.post(self.to("sense"), {"clock_before": "yes", "room_c": "22", "rail_volts": "1.8"})
        self.assertContains(page, "both sides", status_code=422)


class DemoMeter(InsideTest):
    def test_the_demo_points_its_live_meter_at_the_simulated_probe(self):
        from rainfront.demo.management.commands.load_demo import point

        point(probe=7998)
        point(probe=7999)
        found = BenchInstrument.objects.get()
        self.assertEqual((found.sheet_meter, str(found.place)), (self.meter, "127.0.0.1:7999"))
