"""Limbs that were guessed into the bar lie behind it."""

import unittest

import numpy as np

from keenkettle.film.drawn_to import CLEAR_MM, clear_of_bar, hand_on_bar
from keenkettle.film.footage import Footage
from keenkettle.measure.motion import JOINTS

N = 5
KNEE, HIP, ANKLE = (JOINTS.index(n) for n in ("knee", "hip", "ankle"))
THIGH = CLEAR_MM["knee", "hip"]


def filmed(side="right", disc_mm=450.0):
    """A bar at rest in the picture's middle, a millimetre a pixel, far from the camera."""
    bar = np.tile([500.0, 500.0], (N, 1))
    return Footage(np.arange(N) / 60.0, 60.0, bar, np.array([500.0, 500.0]), 1.0, side,
                   disc_mm=disc_mm)  # fmt: skip


def standing(bar_before_thigh, ahead=1.0):
    """Legs straight up, the bar so far before the thigh and a little above the knee."""
    p = np.full((N, len(JOINTS), 2), 500.0)
    x = 500.0 - ahead * bar_before_thigh
    for j, y in ((ANKLE, 1000.0), (KNEE, 560.0), (HIP, 120.0)):
        p[:, j] = x, y
    return p


def lines(p, film, firmly=0.0):
    """Of the thigh."""
    found = clear_of_bar(p, film, film.bar_xy, np.full((N, len(JOINTS)), firmly))
    return [line for line in found if (line.a, line.b) == (KNEE, HIP)]


class ClearTest(unittest.TestCase):
    def test_a_thigh_in_the_bar_is_moved_behind_it_whichever_way_somebody_faces(self):
        for side, ahead in (("right", 1.0), ("left", -1.0)):
            film = filmed(side)
            (line,) = lines(standing(10.0, ahead), film)
            self.assertTrue(np.isfinite(line.sigma).all())
            there = standing(THIGH * film.depth_share, ahead)[0, KNEE]
            self.assertAlmostEqual(float(line.normal[0] @ there), float(line.along[0]), delta=0.01)

    def test_a_thigh_that_is_clear_of_it_or_marked_stays(self):
        self.assertEqual(lines(standing(THIGH + 5.0), filmed()), [])
        self.assertEqual(lines(standing(10.0), filmed(), firmly=1.0), [])

    def test_what_is_far_on_the_other_side_is_left_to_the_nets(self):
        self.assertEqual(lines(standing(-200.0), filmed()), [])

    def test_a_bell_swings_between_the_legs(self):
        self.assertEqual(lines(standing(10.0), filmed(disc_mm=230.0)), [])


class HandTest(unittest.TestCase):
    def test_a_bar_is_let_go_unless_somebody_passed_where_the_shoulders_were_looked_for(self):
        film, p = filmed(), np.full((N, len(JOINTS), 2), 500.0)
        p[2:, JOINTS.index("shoulder"), 1] = -900.0  # far over the bar
        for passed, held in (([], [True] * 2 + [False] * 3), ([2, 3], [True] * 4 + [False])):
            mask = np.isin(np.arange(N), passed)
            pull = hand_on_bar(p, film, film.bar_xy, 1750.0, mask)
            self.assertEqual(np.isfinite(pull.sigma).tolist(), held)


if __name__ == "__main__":
    unittest.main()
