"""The simulated device behaves like the thing it stands for, and the still drawing like its record."""

import json

import numpy as np
from django.test import SimpleTestCase

from chargepath.standin.device import FAULTS, SHOP, WEAK, Device, play
from chargepath.standin.meter import StandinMeter
from chargepath.standin.records import METERS, Piece, compose
from chargepath.trace.protocol import parse_sample
from rainfront.web.scenes.trace_chart import draw, nice_steps


def amps(device: Device, seconds: float = 20, actions=()) -> np.ndarray:
    return np.array([a for _, _, a in play(device, 10.0, list(actions), seconds)])


class SimulatedDevice(SimpleTestCase):
    def test_a_healthy_cell_takes_constant_current_and_then_less_and_less(self):
        levels = [float(np.median(amps(Device("good", percent=percent)))) for percent in (5, 40, 70, 85, 95, 99)]
        self.assertEqual(levels, sorted(levels, reverse=True))
        self.assertAlmostEqual(levels[0], levels[2])
        self.assertLess(levels[-1], levels[0] / 5)

    def test_charge_taken_raises_the_percentage_by_what_went_in(self):
        device = Device("good", percent=40.0)
        went_in = float(np.sum(amps(device, 600))) / 10 / 3.6
        self.assertAlmostEqual(device.percent - 40, went_in / 3000 * 100, delta=0.5)

    def test_nothing_flows_unplugged_and_volts_stay_at_the_source(self):
        device = Device("good", plugged=False)
        self.assertEqual(device.step(0.1), (SHOP.open_volts, 0.0))

    def test_a_weak_source_sags_and_gives_less(self):
        strong, weak = Device("good"), Device("good", charger=WEAK)
        for _ in range(20):
            one, two = strong.step(0.1), weak.step(0.1)
        self.assertGreater(one[1], two[1])
        self.assertGreater(one[0], two[0] + 0.3)
        self.assertAlmostEqual(two[0], WEAK.open_volts - two[1] * WEAK.ohms)

    def test_each_fault_shows_its_own_face(self):
        self.assertLess(float(amps(Device("charge_ic_fault")).max()), 0.1)
        self.assertGreater(float(np.std(amps(Device("battery_worn")))), 0.1)
        self.assertLess(float(np.mean(amps(Device("input_short")) > 0)), 0.15)
        self.assertLess(float(np.median(amps(Device("battery_flat")))), 0.1)
        sided = amps(Device("port_worn"), 20, [(10.0, {"flipped": True})])
        self.assertEqual((sided[50] > 1, sided[150]), (True, 0.0))
        confused = amps(Device("software_state"), 20, [(10.0, {"powered": False})])
        self.assertGreater(float(np.median(confused[120:])), 3 * float(np.median(confused[20:90])))

    def test_a_cracked_joint_holds_at_rest_and_drops_when_leaned(self):
        still = amps(Device("port_joint", seed=2), 60)
        leaned = amps(Device("port_joint", seed=2, lean="up"), 60)
        self.assertEqual(int(np.sum(still[10:] == 0)), 0)
        self.assertGreater(int(np.sum(leaned == 0)), 30)

    def test_the_same_seed_gives_the_same_record(self):
        for fault in FAULTS:
            np.testing.assert_array_equal(
                amps(Device(fault, seed=4, lean="left")), amps(Device(fault, seed=4, lean="left"))
            )

    def test_the_meter_greets_counts_its_time_and_can_be_read_back(self):
        meter = StandinMeter()
        self.assertEqual(json.loads(meter.hello())["devices"], list(FAULTS))
        samples = [parse_sample(meter.sample()) for _ in range(50)]
        np.testing.assert_allclose(np.diff([t for t, _, _ in samples]), 0.1, atol=1e-9)
        for line in (
            "",
            "{}",
            '{"t": 1, "v": 5}',
            '{"t": 1, "v": 5, "a": 1e9}',
            '{"t": NaN, "v": 5, "a": 1}',
            meter.hello(),
        ):
            self.assertIsNone(parse_sample(line))

    def test_composed_records_integrate_over_each_sample_as_meters_do(self):
        pieces = [Piece("steady", 10.5, 1.0), Piece("dropout", 0.2), Piece("steady", 10, 1.0)]
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
