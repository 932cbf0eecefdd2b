"""Pictures laid over a board: exact where clicks are exact, and warned of where they are not."""

import numpy as np
from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.board.overlay import fit, wrong_pairs
from tests.sizes import sized

# A board of 60 by 40 mm seen by a camera of about 2,000 by 1,500 pixels.
CORNERS = ((0.0, 0.0), (60.0, 0.0), (60.0, 40.0), (0.0, 40.0))
TRUE = np.array([[31.0, 2.5, 70.0], [-1.8, 30.0, 120.0], [2e-4, 3e-4, 1.0]])
SPREAD = [(3.0, 3.0), (57.0, 4.0), (56.0, 37.0), (4.0, 36.0), (30.0, 5.0), (31.0, 35.0)]
# Where names under the cursor stay trustworthy, and where the warning sets in [mm].
GOOD_MM, WARN_MM = 0.15, 0.25


def seen(points, matrix=TRUE):
    whole = np.column_stack([np.asarray(points), np.ones(len(points))]) @ matrix.T
    return whole[:, :2] / whole[:, 2:]


def off_mm(found, matrix=TRUE):
    """How far the true picture of each corner is from that corner once it is brought back onto the board."""
    return np.hypot(*(found.to_board(seen(CORNERS, matrix)) - np.asarray(CORNERS)).T)


class Exact(SimpleTestCase):
    def test_four_pairs_of_a_picture_that_is_only_turned_scaled_and_shifted(self):
        # By hand: 20 pixels a millimetre, a quarter turn, shifted by 100 and 50.
        board = [(0, 0), (10, 0), (10, 5), (0, 5)]
        picture = [(100 - 20 * y, 50 + 20 * x) for x, y in board]
        found = fit(board, picture)
        np.testing.assert_allclose(found.to_picture([(3, 2)]), [[60, 110]], atol=1e-9)
        np.testing.assert_allclose(found.to_board([(60, 110)]), [[3, 2]], atol=1e-9)
        self.assertFalse(found.mirrored)

    def test_what_a_click_of_a_pixel_is_worth_where_four_corners_are_clicked(self):
        # Each corner follows its own click alone: a pixel across and one down, at 20 pixels a millimetre.
        found = fit(CORNERS, [(20 * x, 20 * y) for x, y in CORNERS])
        self.assertAlmostEqual(found.error_mm(CORNERS), np.sqrt(2) / 20, delta=1e-4)

    def test_a_camera_that_looks_aslant(self):
        found = fit(SPREAD, [tuple(point) for point in seen(SPREAD)])
        self.assertLess(off_mm(found).max(), 1e-9)
        self.assertLess(found.residuals_px.max(), 1e-7)

    def test_a_picture_from_the_other_side_is_noticed(self):
        picture = [(2000 - x, y) for x, y in seen(SPREAD)]
        self.assertTrue(fit(SPREAD, picture).mirrored)

    def test_too_few_pairs_and_pairs_on_a_line_are_refused(self):
        line = [(0, 0), (10, 0), (20, 0), (30, 0), (40, 0)]
        for board in (SPREAD[:3], line, [(1, 1)] * 4):
            with self.assertRaises(ReadingError):
                fit(board, [tuple(point) for point in seen(board)])


class Clicked(SimpleTestCase):
    def clicks(self, draw, points, px):
        return [tuple(point + draw.uniform(-px, px, 2)) for point in seen(points)]

    def test_six_spread_pairs_with_clicks_three_pixels_off_are_within_015_mm_at_19_of_20_corners(self):
        draw, off = np.random.default_rng(4), []
        for _ in range(sized(60, 600)):
            off += list(off_mm(fit(SPREAD, self.clicks(draw, SPREAD, 3))))
        self.assertGreater(np.mean(np.array(off) < GOOD_MM), 0.95)

    def test_what_is_good_is_not_warned_of_and_what_is_bad_always(self):
        draw = np.random.default_rng(5)
        false, missed = 0, 0
        for _ in range(sized(40, 450)):
            good = fit(SPREAD, self.clicks(draw, SPREAD, 1))
            false += good.error_mm(CORNERS) > WARN_MM
            # Pairs within a few millimetres of each other say little about the far corners.
            corner = draw.uniform((2, 2), (50, 30))
            close = [tuple(corner + draw.uniform(0, 5, 2)) for _ in range(5)]
            try:
                bad = fit(close, self.clicks(draw, close, 3))
            except ReadingError:
                continue
            missed += off_mm(bad).max() > 1.0 and bad.error_mm(CORNERS) <= WARN_MM
        self.assertEqual((false, missed), (0, 0))

    def test_one_wrong_pair_of_six_is_named_and_none_where_all_are_right(self):
        draw = np.random.default_rng(6)
        pairs = [*SPREAD[:4], (22.0, 14.0), (38.0, 27.0)]
        for number in range(6):
            for _ in range(sized(3, 30)):
                picture = self.clicks(draw, pairs, 1)
                self.assertEqual(wrong_pairs(pairs, picture), ())
                # Two millimetres are about sixty pixels.
                picture[number] = (picture[number][0] + 60, picture[number][1])
                self.assertIn(number, wrong_pairs(pairs, picture))
                self.assertLessEqual(len(wrong_pairs(pairs, picture)), 2)
        self.assertEqual(wrong_pairs(pairs[:5], self.clicks(draw, pairs[:5], 1)), ())

    def test_where_pairs_lie_in_a_row_it_is_said_that_it_is_one_of_them(self):
        draw = np.random.default_rng(7)
        picture = self.clicks(draw, SPREAD, 1)
        picture[0] = (picture[0][0] + 60, picture[0][1])
        found = wrong_pairs(SPREAD, picture)
        self.assertTrue({0} < {*found} <= {0, 1, 4}, found)
