"""Scale, facing, depth: from pixels to the world."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.measure.calibration import CalibrationError, from_disc, from_length
from keenkettle.measure.parallax import camera_from_hand


class CalibrationTest(unittest.TestCase):
    def test_a_disc_of_90_px_is_5_mm_a_pixel(self):
        cal = from_disc(45.0, 0.1)
        self.assertAlmostEqual(cal.mm_per_px, 5.0)
        moved = cal.to_mm(np.array([[110.0, 80.0]]), np.array([100.0, 100.0]), "right")
        np.testing.assert_allclose(moved, [[50.0, 100.0]])

    def test_facing_left_turns_forward_round(self):
        cal = from_disc(45.0, 0.1)
        moved = cal.to_mm(np.array([[90.0, 100.0]]), np.array([100.0, 100.0]), "left")
        np.testing.assert_allclose(moved, [[50.0, 0.0]], atol=1e-9)

    def test_a_camera_that_looks_upward_is_levelled(self):
        level = replace(from_disc(60.0, 0.2, camera_m=4.5), centre_px=(640.0, 360.0))
        looks_up = replace(level, horizon_px=90.0, scale_row_px=600.0)
        f, pitch = looks_up.lens_px, np.arctan2(90.0, looks_up.lens_px)
        # Points of the disc's plane, mm from the lens: where this camera shows them.
        world = np.array([[0.0, -700.0], [0.0, 0.0], [0.0, 900.0], [500.0, 900.0]])
        ahead = 4500.0 * np.cos(pitch) + world[:, 1] * np.sin(pitch)
        up = world[:, 1] * np.cos(pitch) - 4500.0 * np.sin(pitch)
        seen = np.stack([640.0 + f * world[:, 0] / ahead, 360.0 - f * up / ahead], -1)
        got = looks_up.to_mm(seen, seen[0], "right")
        keeps = got[2, 1] / 1600.0  # one scale for all, that of the row where the disc was seen
        self.assertAlmostEqual(keeps, 1.0, delta=0.03)
        np.testing.assert_allclose(got, keeps * (world - world[0]), atol=1e-6)
        np.testing.assert_allclose(looks_up.as_seen(looks_up.levelled(seen)), seen, atol=1e-9)

    def test_what_comes_nearer_to_a_turned_camera_is_no_larger_for_it(self):
        level = replace(from_disc(60.0, 0.2, camera_m=4.5), centre_px=(640.0, 360.0))
        sine, cosine = np.sin(np.radians(12.0)), np.cos(np.radians(12.0))
        turned = replace(level, forward_stretch=1.0 / cosine, turn_sine=sine, scale_col_px=500.0)
        world = np.array([[0.0, -700.0], [0.0, 900.0], [400.0, 900.0], [-300.0, 100.0]])
        ahead = 4500.0 - world[:, 0] * sine
        right = (500.0 - 640.0) * level.mm_per_px + world[:, 0] * cosine
        f = level.lens_px
        seen = np.stack([640.0 + f * right / ahead, 360.0 - f * world[:, 1] / ahead], -1)
        got = turned.to_mm(seen, seen[0], "right")
        np.testing.assert_allclose(got, world - world[0], atol=1e-6)

    def test_a_known_length_calibrates(self):
        cal = from_length(1000.0, np.array([0.0, 0.0]), np.array([0.0, 250.0]))
        self.assertAlmostEqual(cal.mm_per_px, 4.0)
        self.assertIsNone(cal.plate_px)

    def test_impossible_discs_and_lengths_are_named(self):
        with self.assertRaisesRegex(CalibrationError, "4500"):
            from_disc(45.0, 0.1, plate_mm=4500)
        with self.assertRaisesRegex(CalibrationError, "1.0 px"):
            from_length(100.0, np.array([0.0, 0.0]), np.array([1.0, 0.0]))

    def test_an_unknown_camera_widens_the_error_to_the_bar(self):
        cal = from_disc(45.0, 0.1)
        known = replace(cal, camera_m=5.0, side_sigma_px_per_mm=0.002)
        self.assertGreater(cal.side_sigma_mm, 20.0)
        self.assertLess(known.side_sigma_mm, 10.0)

    def test_the_camera_is_found_from_the_hand(self):
        depth, distance = 430.0, 4600.0
        bar_y = np.linspace(300.0, -20.0, 40)
        wrist_y = (bar_y - 26.0) / (1.0 + depth / distance)
        bar = np.stack([np.zeros(40), bar_y], -1)
        wrist = np.stack([np.zeros(40), wrist_y], -1)
        wrist[:, 0] = 8.0
        found = camera_from_hand(bar, wrist, np.full(40, 1.0), 4.0)
        self.assertIsNotNone(found)
        self.assertAlmostEqual(found.metres, 4.6, delta=0.1)
        self.assertAlmostEqual(found.side_px_per_mm, 8.0 / depth, delta=1e-6)

    def test_too_short_a_pull_tells_nothing_of_the_camera(self):
        bar = np.stack([np.zeros(40), np.linspace(0, 20, 40)], -1)
        self.assertIsNone(camera_from_hand(bar, bar, np.full(40, 1.0), 4.0))
