"""How the camera stood: roll from uprights, yaw from the disc, and what is said of it."""

import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from keenkettle.film.clip import ClipInfo
from keenkettle.film.far_disc import FarDisc
from keenkettle.film.rim import Ring
from keenkettle.film.view import outward_of, roll_of, turn_of, view_says, yaw_of
from keenkettle.measure.calibration import from_disc
from keenkettle.measure.motion import BarTrack

INFO = ClipInfo(Path("lift.mp4"), 60, 1280, 720, 1.0, 60.0, False, 0)
RING = Ring(600.0, 400.0, 60.0)


def uprights(lean_deg, count=6):
    """A wall with posts that lean to the right by so many degrees."""
    ys, xs = np.mgrid[:360, :480].astype(float)
    across = xs + (ys - 180.0) * np.tan(np.radians(lean_deg))
    stripes = np.zeros_like(xs)
    for k in range(count):
        stripes += np.clip(12.0 - np.abs(across - 60.0 - 70.0 * k), 0.0, 1.0)
    return (150.0 - 80.0 * np.clip(stripes, 0, 1)).astype(np.uint8)


def track(x=600.0, y=400.0):
    """A bar that stays."""
    return BarTrack(np.tile([x, y], (60, 1)), np.ones(60), 0.1)


def says(ring, bar, info):
    return view_says(ring, bar, info, turn_of(ring, 0.1, None, 3.75))


class RollTest(unittest.TestCase):
    def test_the_lean_of_uprights_is_the_roll(self):
        for lean in (0.0, 2.0, -3.5):
            roll = roll_of([uprights(lean)])
            self.assertAlmostEqual(roll.deg, lean, delta=0.35)
            self.assertLess(roll.sd_deg, 0.5)

    def test_what_moves_from_picture_to_picture_is_no_upright(self):
        wall = np.full((360, 480), 120, np.uint8)
        leaning = [np.roll(uprights(4.0), 25 * k, axis=1) for k in range(3)]
        self.assertIsNone(roll_of([wall, *leaning]))

    def test_lines_on_one_side_leave_open_what_the_pitch_explains(self):
        one_side = uprights(-2.0)
        one_side[:, 180:] = 150
        roll = roll_of([one_side, one_side])
        self.assertGreater(roll.sd_deg, 0.6)
        looked_down = roll.knowing(*outward_of((-2.5e-4, 1e-6), 480))
        self.assertLess(looked_down.sd_deg, roll.sd_deg)
        self.assertGreater(looked_down.deg, roll.deg)

    def test_an_empty_wall_tells_nothing(self):
        self.assertIsNone(roll_of([np.full((360, 480), 120, np.uint8)]))

    def test_uprights_that_disagree_tell_nothing(self):
        mixed = np.minimum(uprights(5.0), uprights(-5.0))
        self.assertIsNone(roll_of([mixed]))

    def test_a_rolled_camera_is_put_right(self):
        roll = np.radians(2.0)
        up = (float(np.sin(roll)), -float(np.cos(roll)))
        c = replace(from_disc(60.0, 0.1, 450.0, "found"), vertical_px=up)
        self.assertAlmostEqual(c.tilt_deg, 2.0, delta=1e-6)
        top = np.array([600.0, 400.0]) + 300.0 * np.array(up)
        world = c.to_mm(top[None], np.array([600.0, 400.0]), "right")[0]
        np.testing.assert_allclose(world, (0.0, 300.0 * c.mm_per_px), atol=1e-6)


class YawTest(unittest.TestCase):
    def test_the_far_disc_tells_the_side_and_both_together_how_far(self):
        far = FarDisc(-30.0, 0.8, 4.0, 0.02)
        by_place, place_sigma = far.yaw_deg(225.0 / RING.r)
        self.assertLess(by_place, 0.0)
        self.assertEqual(turn_of(RING, 0.1, far, 225.0 / RING.r), (by_place, place_sigma))
        flat = replace(RING, aspect=float(np.cos(np.radians(-by_place + 6.0))))
        both, sigma = turn_of(flat, 0.1, far, 225.0 / RING.r)
        self.assertTrue(by_place - 6.0 < both < by_place)
        self.assertLess(sigma, place_sigma)
        self.assertGreater(turn_of(flat, 0.1, None, 225.0 / RING.r)[0], 0.0)

    def test_a_round_disc_is_side_on(self):
        yaw, sigma = yaw_of(replace(RING, aspect=0.995), 0.1)
        self.assertEqual(yaw, 0.0)
        self.assertGreater(sigma, 3.0)

    def test_a_narrow_disc_is_turned_and_the_error_said(self):
        yaw, sigma = yaw_of(replace(RING, aspect=float(np.cos(np.radians(16)))), 0.1)
        self.assertAlmostEqual(yaw, 16.0, delta=0.1)
        self.assertLess(sigma, 3.0)

    def test_forward_distances_are_stretched_back(self):
        c = replace(from_disc(60.0, 0.1, 450.0, "found"), forward_stretch=1.1)
        ahead = c.to_mm(np.array([[700.0, 400.0]]), np.array([600.0, 400.0]), "right")[0]
        self.assertAlmostEqual(ahead[0], 110.0 * c.mm_per_px, delta=1e-6)


class SaysTest(unittest.TestCase):
    def test_a_good_film_needs_no_word(self):
        self.assertEqual(says(RING, track(), INFO), [])

    def test_each_weakness_has_its_sentence(self):
        turned = says(replace(RING, aspect=0.85), track(), INFO)
        self.assertIn("film from the side", turned[0])
        self.assertIn("corrected", says(replace(RING, aspect=0.96), track(), INFO)[0])
        self.assertIn("40 pixels", says(replace(RING, r=20.0), track(), INFO)[0])
        self.assertIn("leaves", says(RING, track(x=10.0), INFO)[0])
        self.assertIn("17 ms", says(RING, track(), replace(INFO, fps_nominal=30.0))[0])
        self.assertIn("too few", says(RING, track(), replace(INFO, fps_nominal=15.0))[0])


if __name__ == "__main__":
    unittest.main()
