"""The simulated device behaves like the thing it stands for, and the still drawing like its record."""

import json

import numpy as np
from django.test import SimpleTestCase

from chargepath.instrument.profile import shipped_profiles
from chargepath.knowledge.loader import shipped
from chargepath.standin.bench import StandinBench
from chargepath.standin.bench_supply import StandinSupply
from chargepath.standin.board import Board, BoardModel, StandinDiodeMeter
from chargepath.standin.device import StandinDevice, play
from chargepath.standin.faults import BY_NAME
from chargepath.standin.meter import StandinMeter
from chargepath.standin.multimeter import StandinMultimeter
from chargepath.standin.records import METERS, RecordPiece, compose
from rainfront.web.scenes.trace_chart import draw, nice_steps
from tests.sizes import sized


def made(name="good", **about) -> StandinDevice:
    return StandinDevice.broken(name, **about)


def amps(device: StandinDevice, seconds: float = 20, actions=()) -> np.ndarray:
    return np.array([a for _, _, a in play(device, 10.0, list(actions), seconds)])


class OnTheMeter(SimpleTestCase):
    def test_a_healthy_cell_takes_constant_current_and_then_less_and_less(self):
        levels = [float(np.median(amps(made(percent=percent)))) for percent in (5, 40, 70, 85, 95, 99)]
        self.assertEqual(levels, sorted(levels, reverse=True))
        self.assertAlmostEqual(levels[0], levels[2])
        self.assertLess(levels[-1], levels[0] / 5)

    def test_charge_taken_raises_the_percentage_by_what_went_in(self):
        device = made()
        went_in = float(np.sum(amps(device, 600))) / 10 / 3.6 - 0.066 * 600 / 3.6
        self.assertAlmostEqual(device.percent - 40, went_in / 3400 * 100, delta=0.1)

    def test_nothing_flows_unplugged_and_volts_stay_at_the_source(self):
        device = made()
        device.plugged = False
        self.assertEqual(device.step(0.1), (5.1, 0.0))

    def test_the_customers_weak_source_sags_by_its_ohms_and_the_shops_does_not(self):
        weak, strong = made("source_weak.cable"), made("source_weak.cable")
        strong.charger = "shop"
        for _ in range(20):
            one, two = strong.step(0.1), weak.step(0.1)
        self.assertGreater(one[1], two[1])
        self.assertGreater(one[0], two[0] + 0.3)
        self.assertAlmostEqual(two[0], 5.1 - two[1] * 0.95)

    def test_each_fault_shows_its_own_face(self):
        self.assertLess(float(amps(made("charge_ic_fault.stopped")).max()), 0.1)
        self.assertGreater(float(np.std(amps(made("battery_worn.dead")))), 0.1)
        self.assertLess(float(np.mean(amps(made("input_short.hard")) > 0)), 0.2)
        self.assertLess(float(np.median(amps(made("battery_flat")))), 0.1)
        sided = amps(made("port_worn.one_side"), 20, [(10.0, {"flipped": True})])
        self.assertEqual((sided[50] > 1, sided[150]), (True, 0.0))
        confused = amps(made("software_state.slow"), 20, [(10.0, {"powered": False})])
        self.assertGreater(float(np.median(confused[120:])), 3 * float(np.median(confused[20:90])))

    def test_a_cracked_joint_holds_at_rest_and_drops_when_leaned(self):
        still = amps(made("port_joint.cracked", seed=2), 60)
        leaning = made("port_joint.cracked", seed=2)
        leaning.lean = "up"
        self.assertEqual(int(np.sum(still[10:] == 0)), 0)
        self.assertGreater(int(np.sum(amps(leaning, 60) == 0)), 30)

    def test_a_deeply_discharged_cell_comes_back_on_a_charger(self):
        device = made("battery_flat")
        self.assertEqual((device.starts(), device.percent), (False, 0.0))
        list(play(device, 1.0, [], 3600))
        self.assertEqual((device.starts(), device.faults), (True, set()))
        self.assertGreater(float(np.median(amps(device))), 1.0)

    def test_the_meter_reads_on_average_what_the_history_says_flows(self):
        for seed in range(sized(12, 40)):
            device = StandinDevice.arrive(seed)
            if device.parts.percent > 70 or device.shaky() > 0:
                continue
            says, device.charger = device.amps(), "shop"
            leaks = device.feed().flows(says) - says if device.feed().able else 0.0
            mean = float(np.mean(amps(device, 40)[20:380]))
            with self.subTest(seed=seed, faults=device.faults):
                self.assertAlmostEqual(mean, says + leaks, delta=0.03)


class OneDevice(SimpleTestCase):
    """What lies on the bench is the same for every instrument, and each names where it is broken."""

    def test_what_is_put_there_by_one_instrument_is_read_by_all(self):
        bench = StandinBench()
        meter, supply = StandinMeter(bench), StandinSupply(bench)
        probe = StandinMultimeter({"usb_c": shipped().connectors["usb_c"].map}.get, bench)
        reach = '{"touch": {"map": "usb_c", "place": "board_in", "pin": "A4"}}'

        def shown():
            probe.command(reach)
            supply.command("SIM:CLIP board")
            for _ in range(30):
                line, touched = meter.sample(), probe.sample()
            return json.loads(line)["a"], json.loads(touched).get("mv"), float(supply.command("MEAS:CURR?"))

        good = shown()
        self.assertTrue(good[0] > 1.2 and good[1] > 400 and good[2] < 0.02, good)
        meter.command('{"device": "input_short.hard"}')
        shorted = shown()
        self.assertTrue(shorted[1] < 5 and shorted[2] < 0.02, shorted)
        supply.command("SIM:DEVICE rail_short.display")
        leaks = shown()
        self.assertTrue(leaks[0] < 0.2 and leaks[1] > 400 and 0.15 < leaks[2] < 0.2, leaks)
        supply.command("SIM:UNPLUG display")
        self.assertLess(float(supply.command("MEAS:CURR?")), 0.02)
        self.assertEqual({json.loads(one.hello())["device"] for one in (meter, probe)}, {"rail_short.display"})

    def test_a_repair_shows_on_every_instrument(self):
        device = made("input_short.hard")
        model = BoardModel.invent(700, shipped().connectors["usb_c"].map)
        before = Board(model, device).diode("contact", "A4", "vbus", StandinDiodeMeter())
        device.faults.clear()
        after = Board(model, device).diode("contact", "A4", "vbus", StandinDiodeMeter())
        self.assertLess(before, 5)
        self.assertGreater(after, 400)
        self.assertGreater(float(np.median(amps(device))), 1.0)

    def test_the_same_seed_gives_the_same_device_and_record(self):
        for name in BY_NAME:
            first, second = made(name, seed=4), made(name, seed=4)
            first.lean = second.lean = "left"
            with self.subTest(device=name):
                self.assertEqual(first.parts, second.parts)
                np.testing.assert_array_equal(amps(first, 3), amps(second, 3))


class Instruments(SimpleTestCase):
    def test_the_meter_greets_counts_its_time_and_can_be_read_back(self):
        meter = StandinMeter()
        self.assertEqual(json.loads(meter.hello())["devices"], dict(BY_NAME))
        ours = shipped_profiles()["json_lines"]
        samples = [ours.read(meter.sample()) for _ in range(50)]
        np.testing.assert_allclose(np.diff([sample["seconds"] for sample in samples]), 0.1, atol=1e-9)
        for line in (
            "",
            "{}",
            '{"t": 1, "v": 5}',
            '{"t": 1, "v": 5, "a": 1e9}',
            '{"t": NaN, "v": 5, "a": 1}',
            meter.hello(),
        ):
            self.assertFalse({"seconds", "volts", "amps"} <= ours.read(line).keys(), line)

    def test_composed_records_integrate_over_each_sample_as_meters_do(self):
        pieces = [RecordPiece("steady", 10.5, 1.0), RecordPiece("dropout", 0.2), RecordPiece("steady", 10, 1.0)]
        trace, truth = compose(pieces, METERS["1 Hz, 0.01 A"], seed=1)
        self.assertAlmostEqual(float(trace.amps.min()), 0.8, delta=0.03)
        self.assertEqual([round(phase.start, 3) for phase in truth], [0, 10.5, 10.7])


class StillDrawing(SimpleTestCase):
    def drawn(self, phases, band=(0.6, 1.6), limit=2.0, seconds=60.0):
        t = np.linspace(0, seconds, 200)
        return draw(t, np.full(200, 1.0), phases, band, limit, "a record")

    def test_phases_cover_the_plot_and_are_named_where_there_is_room(self):
        chart = self.drawn([("unplugged", "nothing flows", 0, 2), ("steady", "steady", 2, 60)])
        self.assertEqual([shade.label for shade in chart.shades], ["", "steady"])
        width = sum(float(shade.width) for shade in chart.shades)
        self.assertAlmostEqual(width, float(chart.plot_width), delta=0.1)

    def test_dropouts_are_marked_and_the_band_lies_within_the_plot(self):
        chart = self.drawn([("steady", "s", 0, 20), ("dropout", "d", 20, 21), ("steady", "s", 21, 60)])
        self.assertEqual(len(chart.drops), 1)
        top, bottom = float(chart.top), float(chart.bottom)
        self.assertTrue(top <= float(chart.band_y) <= float(chart.band_y) + float(chart.band_h) <= bottom)

    def test_a_limit_far_above_is_left_out_and_a_near_one_drawn(self):
        self.assertEqual(self.drawn([], band=(0.1, 0.3), limit=9.0).limit_y, "")
        self.assertNotEqual(self.drawn([], limit=1.5).limit_y, "")

    def test_long_records_are_ticked_in_minutes_and_ticks_are_round(self):
        self.assertTrue(self.drawn([], seconds=3600).x_ticks[1].text.endswith("min"))
        self.assertEqual(nice_steps(1.73, 5), [0.0, 0.5, 1.0, 1.5])
        self.assertEqual(nice_steps(0, 5), [0.0])

    def test_an_empty_record_is_drawn_without_failing(self):
        chart = draw(np.zeros(0), np.zeros(0), [], (0.6, 1.6), 2.0, "nothing")
        self.assertEqual(chart.path, "")
