"""Stations fitted to what they melted, on simulated ones that share no code with the desk."""

import numpy as np
from django.test import SimpleTestCase

from bench.stations import melts_of, pieces_of
from chargepath.knowledge.loader import shipped
from chargepath.repair.heat import AirStation, Setting
from chargepath.repair.station import PRIOR_SD, Melt, fit, predict, seconds_to_move
from chargepath.standin.hot_air import HiddenStation

TABLES = shipped().heat
SETTINGS = [
    Setting(set_c=set_c, flow_l_min=flow, nozzle_mm=nozzle)
    for set_c, flow, nozzle in ((340, 40, 8), (360, 60, 8), (380, 40, 10), (400, 30, 6), (350, 80, 8), (370, 50, 10))
]


def made_by(station, target="metal_thin", slower=1.0):
    """Melts as the desk's own arithmetic has them on a station."""
    found = [Melt(TABLES.targets[target], "sac305", setting, 1.0) for setting in SETTINGS]
    return [
        Melt(melt.target, melt.alloy, melt.setting, slower * seconds_to_move(melt, station, TABLES)) for melt in found
    ]


class Fitted(SimpleTestCase):
    def test_without_melts_it_is_the_usual_one_and_says_how_little_it_knows(self):
        found = fit([], TABLES)
        self.assertEqual(found.station, AirStation())
        low, high = found.range_of("gain")
        self.assertAlmostEqual(np.log(high / low) / 2 / 1.96, PRIOR_SD[0])

    def test_what_it_melted_is_what_it_then_says(self):
        melts = made_by(AirStation(gain=0.88, flow=0.8))
        found = fit(melts, TABLES)
        for melt in melts:
            said, low, high = predict(found, melt, TABLES)
            self.assertAlmostEqual(said / melt.seconds, 1, delta=0.08)
            self.assertTrue(low < melt.seconds < high)
        self.assertLess(found.station.gain, 0.93)

    def test_more_melts_say_more(self):
        melts = made_by(AirStation(gain=0.9))
        widths = []
        for count in (0, 2, 6):
            low, high = fit(melts[:count], TABLES).range_of("gain")
            widths.append(high / low)
        self.assertEqual(widths, sorted(widths, reverse=True))

    def test_a_station_that_drifts_says_so(self):
        steady = fit(made_by(AirStation()) * 2, TABLES)
        self.assertIsNone(steady.drift)
        drifting = fit(made_by(AirStation()) + made_by(AirStation(), slower=1.5)[:4], TABLES)
        self.assertGreater(drifting.drift, 0.2)
        self.assertLess(fit(made_by(AirStation()) + made_by(AirStation(), slower=0.65)[:4], TABLES).drift, -0.2)

    def test_unseen_melts_of_simulated_stations_are_nearer_than_unfitted(self):
        # 200 stations: `python -m bench stations`; here a few.
        fitted, plain = [], []
        for seed in range(6):
            rng = np.random.default_rng(seed)
            hidden, pieces = HiddenStation.draw(rng), pieces_of(rng, TABLES)
            found = fit(melts_of(hidden, pieces, 12, rng, TABLES), TABLES)
            for melt in melts_of(hidden, pieces, 6, rng, TABLES):
                fitted.append(abs(predict(found, melt, TABLES)[0] / melt.seconds - 1))
                plain.append(abs(seconds_to_move(melt, AirStation(), TABLES) / melt.seconds - 1))
        self.assertLess(np.median(fitted), 0.15)
        self.assertLess(np.mean(fitted), 0.75 * np.mean(plain))
