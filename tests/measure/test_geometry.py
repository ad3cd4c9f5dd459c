"""Angles of the contract, on poses that can be checked by hand."""

import unittest

import numpy as np

from keenkettle.measure.geometry import (
    along_segment,
    hip_deg,
    inclination_deg,
    included_deg,
    segment_distance,
)

ORIGIN, UP, FORWARD = np.array([0.0, 0.0]), np.array([0.0, 1.0]), np.array([1.0, 0.0])


class AngleTest(unittest.TestCase):
    def test_straight_is_180_and_square_is_90(self):
        self.assertAlmostEqual(float(included_deg(-UP, ORIGIN, UP)), 180.0)
        self.assertAlmostEqual(float(included_deg(FORWARD, ORIGIN, UP)), 90.0)

    def test_the_hip_reads_over_180_leaning_back(self):
        back = np.array([-0.1, 1.0])
        ahead = np.array([0.1, 1.0])
        self.assertGreater(float(hip_deg(-UP, ORIGIN, back)), 185.0)
        self.assertLess(float(hip_deg(-UP, ORIGIN, ahead)), 175.0)

    def test_trunk_is_90_upright_and_less_leaning_forward(self):
        self.assertAlmostEqual(float(inclination_deg(ORIGIN, UP)), 90.0)
        self.assertAlmostEqual(float(inclination_deg(ORIGIN, UP + FORWARD)), 45.0)

    def test_place_and_distance_along_a_thigh(self):
        p = np.array([0.3, 0.25])
        self.assertAlmostEqual(float(along_segment(p, ORIGIN, UP)), 0.25)
        self.assertAlmostEqual(float(segment_distance(p, ORIGIN, UP)), 0.3)
        self.assertAlmostEqual(float(segment_distance(np.array([0.0, 1.5]), ORIGIN, UP)), 0.5)
