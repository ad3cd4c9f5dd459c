"""The second renderer's camera, which the truth of its films rests on."""

import unittest
from dataclasses import replace

import numpy as np
from benchmarks.scene import Phone, points_at

from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.recipe import recipe_for

PHONE = Phone((0.0, 1000.0, 5000.0), (0.0, 1000.0, 0.0), 1000.0)
MIDDLE = np.array([639.5, 359.5])


class PhoneTest(unittest.TestCase):
    def seen(self, phone: Phone, *point: float, t: float = 0.0) -> np.ndarray:
        return phone.project(np.array(point), t) - MIDDLE

    def test_up_is_up_and_right_is_right(self) -> None:
        np.testing.assert_allclose(self.seen(PHONE, 100.0, 1200.0, 0.0), [20.0, -40.0], atol=1e-9)

    def test_what_it_looks_at_stays_in_the_middle_when_it_rolls_or_stands_low(self) -> None:
        low = replace(PHONE, at=(800.0, 300.0, 4000.0), roll_deg=20.0)
        np.testing.assert_allclose(self.seen(low, 0.0, 1000.0, 0.0), [0.0, 0.0], atol=1e-9)
        rolled = self.seen(replace(PHONE, roll_deg=90.0), 0.0, 1100.0, 0.0)
        np.testing.assert_allclose(np.abs(rolled), [20.0, 0.0], atol=1e-9)

    def test_a_barrel_lens_draws_the_edge_inward(self) -> None:
        bent = self.seen(replace(PHONE, k1=-0.1), 2000.0, 1000.0, 0.0)
        self.assertAlmostEqual(float(bent[0]), 400.0 * (1.0 - 0.1 * 0.4**2), places=6)

    def test_a_hand_sways_by_about_what_is_asked(self) -> None:
        held = replace(PHONE, sway_mm=8.0)
        path = np.array([self.seen(held, 0.0, 1000.0, 0.0, t=t) for t in np.arange(0, 4, 0.05)])
        self.assertTrue(1.0 < np.ptp(path[:, 0]) < 25.0)

    def test_a_mirrored_lifter_faces_the_other_way(self) -> None:
        sim = build_motion(recipe_for("power-clean", 1700.0))
        right, left = (points_at(sim, 1.0, mirror) for mirror in (False, True))
        for p, sign in ((right, 1.0), (left, -1.0)):
            self.assertGreater(sign * (p["toe"][0] - p["heel"][0]), 100.0)
        self.assertEqual(right["knee"][2], left["knee"][2])
