"""The bar's slope from both of its ends, seen by a camera between side and front."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.lifter.camera import DISC_Z_MM, fitted_camera
from keenkettle.measure.tilt import HIDDEN, BarEnds, level_far_px, slope_by_ends

T = np.linspace(0.0, 1.5, 91)
RECEIVED = 70


def ends(tilt_deg, yaw_deg=33.0, facing="right"):
    """Both ends of a bar that is lifted high and tilts from the top on, far end lower."""
    camera = fitted_camera(1280, 720, 60.0, 1750.0, yaw_deg, facing)
    rise = 225.0 + 1400.0 * np.clip((T - 0.2) / 0.9, 0.0, 1.0)
    drop = np.tan(np.radians(tilt_deg)) * 2.0 * DISC_Z_MM * np.clip((T - 1.0) / 0.1, 0.0, 1.0)
    near = camera.project(np.stack([0 * T, rise, 0 * T + DISC_Z_MM], -1))
    far = camera.project(np.stack([0 * T, rise - drop, 0 * T - DISC_Z_MM], -1))
    toward = DISC_Z_MM * np.cos(np.radians(yaw_deg))
    away = [camera.distance_mm + DISC_Z_MM - z for z in (toward, -toward)]
    mm_per_px = away[0] / camera.distance_mm / camera.px_per_mm
    return BarEnds(near, far, away[0] / away[1], 0.006, 2.0 * DISC_Z_MM, mm_per_px)


class TiltTest(unittest.TestCase):
    def test_the_slope_is_that_of_the_bar_whichever_way_it_tilts(self):
        for tilt in (0.0, 5.0, -7.0):
            for yaw, facing in ((25.0, "right"), (-40.0, "left")):
                found = slope_by_ends(ends(tilt, yaw, facing), T, RECEIVED, 5)
                self.assertAlmostEqual(found.value, abs(tilt), delta=0.25)
                self.assertLess(abs(found.value - abs(tilt)), found.sigma)

    def test_a_level_bar_is_where_it_is_said_to_be(self):
        level = ends(0.0)
        np.testing.assert_allclose(level_far_px(level, 5)[:, 1], level.far_px[:, 1], atol=1.0)

    def test_less_is_known_of_a_bar_that_rose_far_with_an_unsure_size(self):
        sure, unsure = ends(5.0), replace(ends(5.0), size_sd=0.03)
        more = slope_by_ends(unsure, T, RECEIVED, 5).sigma
        self.assertGreater(more, 1.5 * slope_by_ends(sure, T, RECEIVED, 5).sigma)

    def test_what_was_not_seen_is_not_measured(self):
        hidden = ends(5.0)
        hidden.far_px[RECEIVED:] = np.nan
        found = slope_by_ends(hidden, T, RECEIVED, 5)
        self.assertIsNone(found.value)
        self.assertEqual(found.why, HIDDEN)
        self.assertIsNone(slope_by_ends(ends(5.0), T, None, 5).value)
