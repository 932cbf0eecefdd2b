"""Jobs that look alike: ten pairs by hand, from the likelihoods in the knowledge's own words."""

import numpy as np
from django.test import SimpleTestCase

from chargepath.diagnosis.alike import (
    LEAST_FACTOR,
    as_it_came,
    cause_likelihoods,
    same_cause,
    shown_by,
    usual_causes,
)
from chargepath.knowledge.loader import shipped
from tests.builders import case

KNOWN = shipped()
USUAL = usual_causes(KNOWN)
# Two logs, and whether they may be called alike: the same rare sign, a common one, signs that exclude each other.
PAIRS = (
    (["port lint plug_proud"], ["port lint plug_proud"], True),
    (["port lint plug_proud"], ["port clean", "lines 120/600"], False),
    (["power 3/512"], ["power 3/512"], True),
    (["power 3/512"], ["power 3/512", "inside clean"], True),
    (["power 3/512"], ["port lint plug_proud"], False),
    (["joint moves", "wiggle drops"], ["wiggle drops", "joint moves"], True),
    (["cell 1.9"], ["cell 1.9"], False),
    (["cell 1.9", "start dead"], ["joint moves"], False),
    (["rail 2/400"], ["rail 2/400", "start dead"], True),
    (["start starts"], ["start starts"], False),
)


def alike(first, second):
    one, other = (cause_likelihoods(KNOWN, case(lines)) for lines in (first, second))
    return float(same_cause(USUAL, one, other[None, :])[0])


class TenPairs(SimpleTestCase):
    def test_are_alike_where_the_same_cause_is_three_times_as_likely(self):
        for first, second, wanted in PAIRS:
            with self.subTest(first=first, second=second):
                self.assertEqual(alike(first, second) >= LEAST_FACTOR, wanted, alike(first, second))
                self.assertAlmostEqual(alike(first, second), alike(second, first))

    def test_the_factor_is_the_sum_over_causes_by_hand(self):
        one, other = (cause_likelihoods(KNOWN, case(lines)) for lines in (["port lint"], ["wiggle drops"]))
        both = sum(u * a * b for u, a, b in zip(USUAL, one, other, strict=True))
        alone = [sum(u * a for u, a in zip(USUAL, found, strict=True)) for found in (one, other)]
        self.assertAlmostEqual(alike(["port lint"], ["wiggle drops"]), both / (alone[0] * alone[1]))

    def test_nothing_read_is_like_everything(self):
        np.testing.assert_allclose(cause_likelihoods(KNOWN, case([])), 1.0)
        self.assertAlmostEqual(alike([], ["port lint plug_proud"]), 1.0)

    def test_only_what_was_read_before_the_first_repair_here_counts(self):
        lines = ["port lint", "did clean_port no", "wiggle drops"]
        self.assertEqual(len(as_it_came(case(lines)).events), 1)
        self.assertEqual(shown_by(KNOWN, case(lines)), frozenset({("port_look", "lint")}))
        self.assertEqual(alike(lines, ["port lint"]), alike(["port lint"], ["port lint"]))
