"""Records: phases and grades against known truth, figures against numpy, limits against the named documents."""

import itertools

import numpy as np
from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.grading.expect import Conditions, expected_band
from chargepath.knowledge.loader import shipped
from chargepath.standin.device import StandinDevice, play
from chargepath.standin.records import METERS, RecordingMeter, RecordPiece, compose, scenarios
from chargepath.trace.model import Trace, make_trace
from chargepath.trace.phases import KINDS, cut_phases
from chargepath.trace.routines import judge_routine, judge_wait, stretches_of
from chargepath.trace.verdict import fit_source, judge_trace, measure
from tests.inverses import sample_kinds

KNOWN = shipped()


def played(fault: str, seconds: float = 40.0, actions=(), **state) -> Trace:
    samples = np.array(list(play(StandinDevice.broken(fault, **state), 10.0, list(actions), seconds)))
    noise = np.random.default_rng(3).normal(0, 0.003, len(samples)) * (samples[:, 2] > 0)
    return make_trace(samples[:, 0], np.maximum(samples[:, 2] + noise, 0), samples[:, 1])


class PhasesAgainstTruth(SimpleTestCase):
    """Eighty-five records: seventeen courses of events through five meters."""

    def test_phases_and_grades(self):
        shares = []
        for name, (grade, percent, pieces) in scenarios().items():
            for meter_name, meter in METERS.items():
                trace, truth = compose(pieces, meter, seed=31)
                verdict = judge_trace(KNOWN, trace, Conditions("phone", percent=percent))
                want = np.zeros(len(trace), dtype=int)
                for phase in truth:
                    want[(trace.seconds >= phase.start) & (trace.seconds < phase.stop)] = KINDS.index(phase.kind)
                share = float(np.mean(sample_kinds(trace, list(verdict.phases)) == want))
                shares.append(share)
                with self.subTest(record=name, meter=meter_name):
                    self.assertEqual(verdict.current.grade, grade)
                    self.assertGreater(share, 0.9)
        self.assertGreaterEqual(len(shares), 60)
        self.assertGreater(float(np.mean(shares)), 0.99)

    def test_phases_cover_the_record_without_overlap(self):
        trace, _ = compose(scenarios()["drops out three times"][2], METERS["10 Hz, 1 mA"], seed=5)
        phases = cut_phases(trace, 2.0)
        self.assertEqual(phases[0].start, 0.0)
        self.assertEqual(phases[-1].stop, trace.seconds[-1])
        for one, two in itertools.pairwise(phases):
            self.assertEqual(one.stop, two.start)

    def test_a_dropout_of_a_fifth_of_a_second_is_seen_at_one_sample_a_second(self):
        trace, _ = compose(scenarios()["one dropout of 0.2 s"][2], METERS["1 Hz, 0.01 A"], seed=2)
        drops = [phase for phase in cut_phases(trace) if phase.kind == "dropout"]
        self.assertEqual([round(drop.start) for drop in drops], [24])

    def test_irregular_dropouts_are_not_a_loop(self):
        taken = []
        for seed in range(6):
            phases = cut_phases(played("port_joint.cracked", 60, [(5.0, {"lean": "up"})], seed=seed))
            self.assertGreater([phase.kind for phase in phases].count("dropout"), 3)
            taken.append(sum(phase.seconds for phase in phases if phase.kind == "loop"))
        self.assertLess(float(np.mean(taken)), 10)

    def test_a_gap_is_a_phase_and_nothing_is_delivered_in_it(self):
        trace, _ = compose([RecordPiece("steady", 40, 1.0)], METERS["10 Hz, 1 mA"], seed=1)
        keep = (trace.seconds < 15) | (trace.seconds >= 25)
        cut = Trace(trace.seconds[keep], trace.volts[keep], trace.amps[keep])
        phases = cut_phases(cut)
        self.assertEqual([phase.kind for phase in phases], ["steady", "gap", "steady"])
        self.assertAlmostEqual(measure(cut, phases, 8).charge_mah, 1000 / 3600 * 29.8, delta=0.05)


class Figures(SimpleTestCase):
    def test_charge_and_energy_agree_with_numpys_trapezoid(self):
        for name, (_, _, pieces) in scenarios().items():
            trace, _ = compose(pieces, METERS["100 Hz, noisy"], seed=9)
            figures = measure(trace, cut_phases(trace), 8)
            charge = np.trapezoid(trace.amps, trace.seconds) / 3.6
            energy = np.trapezoid(trace.amps * trace.volts, trace.seconds) / 3600
            with self.subTest(record=name):
                self.assertAlmostEqual(figures.charge_mah, charge, delta=1e-9 * max(charge, 1))
                self.assertAlmostEqual(figures.energy_wh, energy, delta=1e-9 * max(energy, 1))

    def test_source_resistance_lies_within_its_stated_uncertainty(self):
        pieces = [RecordPiece("steady", 20, 0.5), RecordPiece("steady", 20, 1.2), RecordPiece("steady", 20, 0.9)]
        within = total = 0
        for ohms in (0.08, 0.15, 0.4, 0.9):
            for name, meter in METERS.items():
                for seed in range(6):
                    trace, _ = compose(pieces, meter, seed=seed, ohms=ohms)
                    fit = fit_source(trace)
                    total += 1
                    within += abs(fit.ohms - ohms) <= fit.ohms_error
                    with self.subTest(ohms=ohms, meter=name, seed=seed):
                        self.assertLess(abs(fit.ohms - ohms), 3 * fit.ohms_error)
                        self.assertLess(fit.ohms_error, 0.1 * ohms + 0.02)
        self.assertGreater(within / total, 0.9)

    def test_a_coarse_meters_steps_alone_make_the_resistance_uncertain(self):
        # Steps of 0.1 A are noise of 0.1/sqrt(12); noise in the abscissa flattens a slope by its share of the variance.
        amps = np.repeat([0.5, 1.2, 1.1], 200)
        fit = fit_source(make_trace(np.arange(600) / 10, amps, 5.1 - 0.3 * amps))
        self.assertAlmostEqual(fit.ohms, 0.3)
        self.assertAlmostEqual(fit.ohms_error, 0.3 * 0.1**2 / 12 / np.var(amps))

    def test_says_nothing_of_the_source_where_the_current_hardly_moved(self):
        trace, _ = compose([RecordPiece("steady", 60, 1.0)], METERS["10 Hz, 0.01 A"], seed=1)
        self.assertIsNone(fit_source(trace))


class Expectation(SimpleTestCase):
    def test_source_limits_are_those_of_the_named_documents(self):
        """Figures from memory: USB 2.0 (unit load 100 mA, five of them configured), BC 1.2 (1.5 A), Type-C (Rp).

        USB 3.2: unit loads of 150 mA, over two lanes of 250 mA, six of them configured.
        """
        rows = {"usb2_low": 0.1, "usb2_high": 0.5, "bc12": 1.5, "typec_default": 0.5, "typec_1a5": 1.5, "typec_3a": 3.0}
        rows |= {"usb3_high": 0.9, "usb3_two_lane": 1.5}
        for source, amps in rows.items():
            self.assertEqual(KNOWN.sources[source].amps, amps)
            self.assertTrue(KNOWN.sources[source].basis.startswith("standard: USB"))
        self.assertEqual((KNOWN.sources["usb2_high"].low_volts, KNOWN.sources["usb2_high"].high_volts), (4.75, 5.5))
        self.assertEqual((KNOWN.sources["typec_3a"].low_volts, KNOWN.sources["typec_3a"].high_volts), (4.75, 5.5))

    def band(self, **changes):
        return expected_band(KNOWN, Conditions(**{"kind": "phone", "percent": 30.0, **changes}))

    def test_the_band_follows_the_conditions_and_says_its_basis(self):
        plain = self.band()
        self.assertLessEqual(self.band(source="usb2_high").high, 0.54)
        self.assertLess(self.band(percent=98.0).amps, plain.amps / 4)
        self.assertGreater(self.band(screen_on=True).high, plain.high)
        self.assertLess(self.band(cell_temp_c=2.0).low, plain.low / 2)
        nine = self.band(source="fixed_9v")
        self.assertAlmostEqual(nine.amps, plain.amps * 5 / 9 * KNOWN.sources["fixed_9v"].boost)
        self.assertGreater(nine.amps * 9, plain.amps * 5)
        adjustable = self.band(source="adjustable", volts=7.2)
        self.assertAlmostEqual(adjustable.amps * 7.2, nine.amps * 9)
        self.assertAlmostEqual(self.band(source="adjustable", volts=30.0).amps * 21, nine.amps * 9)
        self.assertAlmostEqual(self.band(source="pad_5w").amps, plain.amps * 1.4)
        self.assertLessEqual(self.band(limit_a=0.5).high, 0.54)
        for celsius in (-3.0, 47.0):
            self.assertEqual((self.band(cell_temp_c=celsius).low, self.band(cell_temp_c=celsius).amps), (0.0, 0.0))
        self.assertLess(self.band(percent=0.0).low, 0.05)
        self.assertEqual(self.band(percent=96.0).low, 0.0)
        self.assertGreaterEqual(self.band(kind="tablet", source="typec_3a").amps * 5, 9.0)
        known = self.band(known_good=1.4)
        self.assertLess(known.high - known.low, plain.high - plain.low)
        self.assertIn("known-good plateau", known.basis[0])
        self.assertIn("USB 2.0", " ".join(self.band(source="usb2_low").basis))

    def test_refuses_what_cannot_be(self):
        for changes in ({"source": "sun"}, {"percent": 120.0}):
            with self.assertRaises(ReadingError):
                self.band(**changes)


class StandinDevices(SimpleTestCase):
    """Each simulated device is read as what it is."""

    def test_charger_current(self):
        rows = [
            ("good", 40.0, "normal"),
            ("good", 95.0, "normal"),
            ("battery_flat", 0.0, "trickle"),
            ("charge_ic_fault.stopped", 10.0, "trickle"),
            ("input_short.hard", 10.0, "none"),
            ("battery_worn.dead", 20.0, "cycling"),
            ("source_weak.cable", 40.0, "normal"),
        ]
        for fault, percent, grade in rows:
            trace = played(fault, percent=percent)
            verdict = judge_trace(KNOWN, trace, Conditions("phone", percent=percent))
            with self.subTest(fault=fault, reason=verdict.current.reason):
                self.assertIn(verdict.current.grade, (grade, "cycling") if fault == "input_short.hard" else (grade,))

    def test_a_weak_cable_shows_in_the_sag(self):
        trace = played("source_weak.cable", 60, [(0.0, {"plugged": False}), (10.0, {"plugged": True})], percent=40.0)
        fit = fit_source(trace)
        self.assertAlmostEqual(fit.ohms, 0.95, delta=0.05)

    def routine(self, name, fault, actions, **state):
        seconds = KNOWN.routines[name].seconds + 1
        trace = played(fault, seconds, actions, **state)
        result = judge_routine(KNOWN, name, trace, stretches_of(KNOWN, name), Conditions("phone", percent=40.0))
        return [(event.check, event.variant, event.grade) for event in result.events]

    def test_routines_turn_into_checks(self):
        leans = [
            (12.0, {"lean": "up"}),
            (22.0, {"lean": "down"}),
            (32.0, {"lean": "left"}),
            (42.0, {"lean": "right"}),
            (52.0, {"lean": "rest"}),
        ]
        turn = [(20.0, {"plugged": False}), (26.0, {"plugged": True, "flipped": True})]
        off = [(30.0, {"powered": False})]
        swap = [(26.0, {"plugged": False}), (34.0, {"plugged": True, "charger": "shop"})]
        name = "charger_current"
        rows = [
            ("wiggle", "port_joint.cracked", leans, [("plug_wiggle", "", "drops")]),
            ("wiggle", "good", leans, [("plug_wiggle", "", "steady")]),
            ("directions", "port_worn.one_side", turn, [("plug_flip", "", "one_side")]),
            ("directions", "good", turn, [("plug_flip", "", "same")]),
            ("off_on", "software_state.slow", off, [("off_current", "", "higher")]),
            ("off_on", "good", off, [("off_current", "", "same")]),
            ("own_charger", "source_weak.cable", swap, [(name, "own", "normal"), (name, "", "normal")]),
        ]
        for routine, fault, actions, expected in rows:
            with self.subTest(routine=routine, fault=fault):
                self.assertEqual(self.routine(routine, fault, actions), expected)

    def test_a_dropout_while_nobody_touched_it_excuses_one_while_it_was_leaned_on(self):
        stretches = stretches_of(KNOWN, "wiggle")
        leaned = next(one for one in stretches if one.name == "up")
        for times, grade in ((1, "steady"), (2, "drops")):
            amps = np.full(670, 1.0)
            for start in (6.0, leaned.start + 3, leaned.start + 6)[: times + 1]:
                amps[int(start * 10) : int(start * 10) + 6] = 0.0
            trace = make_trace(np.arange(amps.size) / 10, amps, np.full(amps.size, 5.0))
            result = judge_routine(KNOWN, "wiggle", trace, stretches, Conditions("phone", percent=40.0))
            with self.subTest(leaned=times):
                self.assertEqual(result.events[0].grade, grade)

    def test_a_routine_without_samples_asks_to_be_repeated(self):
        with self.assertRaisesMessage(ReadingError, "there are no samples for"):
            judge_routine(KNOWN, "wiggle", played("good", 20), stretches_of(KNOWN, "wiggle"), Conditions("phone"))

    def test_waiting_says_no_only_after_its_time(self):
        self.assertEqual(judge_wait(KNOWN, 3, 5, 4).events[0].grade, "rises")
        self.assertEqual(judge_wait(KNOWN, 3.40, 3.41, 31, "V").events[0].grade, "no_rise")
        with self.assertRaisesMessage(ReadingError, "wait 30 minutes"):
            judge_wait(KNOWN, 3, 3, 10)


class OneSampleAStamp(SimpleTestCase):
    def test_unsorted_and_repeated_stamps(self):
        trace = make_trace(np.array([2.0, 0, 1, 1, 3]), np.array([2.0, 0, 1, 3, 3]))
        np.testing.assert_allclose(trace.seconds, [0, 1, 2, 3])
        np.testing.assert_allclose(trace.amps, [0, 2, 2, 3])

    def test_a_clock_coarser_than_the_sampling_is_spread(self):
        seconds = np.repeat(np.arange(5.0), 10)
        trace = make_trace(seconds, np.arange(50.0) / 50)
        self.assertEqual(len(trace), 50)
        np.testing.assert_allclose(np.diff(trace.seconds), 0.1)

    def test_refuses_nothing_and_unequal_columns(self):
        for args in ((np.zeros(0), np.zeros(0)), (np.zeros(3), np.zeros(2))):
            with self.assertRaises(ReadingError):
                make_trace(*args)

    def test_quantum_and_noise_do_not_make_phases(self):
        for quantum in (0.0, 0.001, 0.01):
            trace, _ = compose([RecordPiece("steady", 120, 0.83)], RecordingMeter(10, 0.006, quantum), seed=4)
            self.assertEqual([phase.kind for phase in cut_phases(trace)], ["steady"])
