"""Curves and rulers by hand-checkable numbers."""

import unittest

import numpy as np

from keenkettle.measure.calibration import Calibration
from keenkettle.measure.curves import CURVES, graph_of
from keenkettle.measure.motion import Motion
from keenkettle.measure.ruler import angle, distance

N = 5


def still(joints=None):
    """A bar that rises 10 mm a frame and goes 2 mm forward, ten frames a second."""
    t = np.arange(N) / 10.0
    bar = np.column_stack([2.0 * np.arange(N), 10.0 * np.arange(N)])
    v = np.tile([0.02, 0.1], (N, 1))
    return Motion(t, bar, v, np.zeros((N, 2)), joints or {})


def at(x, y):
    return np.tile([float(x), float(y)], (N, 1))


class CurveTest(unittest.TestCase):
    def test_each_curve_carries_its_own_values_and_unit(self):
        shown = {name: graph_of(still(), name) for name in CURVES}
        np.testing.assert_allclose(shown["speed"].lines[0].values, 0.1)
        np.testing.assert_allclose(shown["height"].lines[0].values, [0, 10, 20, 30, 40])
        np.testing.assert_allclose(shown["forward"].lines[0].values, [0, 2, 4, 6, 8])
        self.assertEqual([g.unit for g in shown.values()], ["m/s", "mm", "mm", "deg"])

    def test_without_joints_there_are_no_angles(self):
        self.assertEqual(graph_of(still(), "angles").lines, ())

    def test_angles_of_a_right_angled_pose(self):
        joints = {
            "ankle": at(0, 0), "knee": at(0, 400), "hip": at(-400, 400), "shoulder": at(-400, 900),
        }  # fmt: skip
        lines = {ln.name: ln.values[0] for ln in graph_of(still(joints), "angles").lines}
        self.assertEqual(set(lines), {"hip", "knee", "trunk"})
        self.assertAlmostEqual(lines["knee"], 90.0)
        self.assertAlmostEqual(lines["hip"], 90.0)
        self.assertAlmostEqual(lines["trunk"], 90.0)

    def test_an_angle_that_was_never_measured_is_no_line(self):
        gone = {"hip": at(np.nan, np.nan), "shoulder": at(0, 500)}
        self.assertEqual(graph_of(still(gone), "angles").lines, ())

    def test_an_unknown_curve_is_a_key_error(self):
        with self.assertRaises(KeyError):
            graph_of(still(), "warmth")


class RulerTest(unittest.TestCase):
    cal = Calibration(2.0, 225.0, 450.0, "found", scale_error=0.01)

    def test_a_distance_in_the_disc_s_plane(self):
        r = distance(np.array([100.0, 100.0]), np.array([130.0, 140.0]), self.cal)
        self.assertAlmostEqual(r.value, 100.0)
        self.assertEqual(r.unit, "mm")
        # two clicks of a pixel each way, and one per cent of the scale
        self.assertAlmostEqual(r.sigma, np.hypot(np.sqrt(2) * 2.0, 1.0), places=6)

    def test_a_turned_camera_stretches_what_lies_forward(self):
        turned = Calibration(2.0, 225.0, 450.0, "found", forward_stretch=1.1)
        r = distance(np.array([0.0, 0.0]), np.array([50.0, 0.0]), turned)
        self.assertAlmostEqual(r.value, 110.0)

    def test_an_angle_and_its_error(self):
        r = angle(np.array([200.0, 100.0]), np.array([100.0, 100.0]), np.array([100.0, 0.0]),
                  self.cal)  # fmt: skip
        self.assertAlmostEqual(r.value, 90.0)
        self.assertEqual(r.unit, "deg")
        self.assertGreater(r.sigma, 0.5)
        self.assertLess(r.sigma, 1.5)

    def test_a_short_side_makes_an_angle_unsure(self):
        near = angle(np.array([104.0, 100.0]), np.array([100.0, 100.0]), np.array([100.0, 0.0]),
                     self.cal)  # fmt: skip
        self.assertGreater(near.sigma, 10.0)

    def test_a_roll_leaves_an_angle_alone(self):
        tilted = Calibration(2.0, 225.0, 450.0, "found", vertical_px=(0.6, -0.8))
        points = [np.array(p) for p in ((150.0, 20.0), (100.0, 100.0), (30.0, 90.0))]
        self.assertAlmostEqual(
            angle(*points, self.cal).value, angle(*points, tilted).value, places=6
        )
