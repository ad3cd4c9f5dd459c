"""Joints that marks place where the picture shows nothing."""

import unittest

import numpy as np

from keenkettle.film.fuse import Pull
from keenkettle.film.through_marks import (
    HEAD_MM,
    RACKED_MM,
    STANDS_MM,
    elbow_racked,
    hand_through,
    head_through,
    shoulder_under,
    stands_through,
)
from keenkettle.measure.motion import JOINTS

N, FPS, MM = 90, 60.0, 0.25
WRIST, HEEL = JOINTS.index("wrist"), JOINTS.index("heel")
TRUNK = JOINTS.index("hip"), JOINTS.index("shoulder"), JOINTS.index("ear")


def leaning(angle_deg):
    """A trunk of 100 px that turns about its hip; the ear is where nothing has been worked out."""
    p = np.zeros((len(angle_deg), len(JOINTS), 2))
    a = np.radians(angle_deg)
    p[:, TRUNK[1]] = 100.0 * np.stack([np.cos(a), -np.sin(a)], -1)
    return p


class ThroughTest(unittest.TestCase):
    def test_the_hand_goes_through_its_marks_and_is_less_sure_between(self):
        usual = Pull(WRIST, np.tile([230.0, 260.0], (N, 1)), np.full(N, 9.0))
        got = hand_through(usual, {15: (228.0, 250.0), 75: (234.0, 260.0)}, 10, FPS, MM)
        np.testing.assert_allclose(got.xy[[0, 5, 65]], [(228, 250), (228, 250), (234, 260)])
        np.testing.assert_allclose(got.xy[35], (231.0, 255.0))
        self.assertGreater(got.sigma[35], 1.5 * got.sigma[5])
        self.assertIs(hand_through(usual, {200: (0.0, 0.0)}, 10, FPS, MM), usual)

    def test_a_shoulder_under_the_bar_goes_with_it_from_mark_to_mark(self):
        held = np.stack([np.full(N, 200.0), 150.0 + 20.0 * np.sin(np.arange(N) / 12.0)], -1)
        on = np.arange(N) < 60
        marks = {n + 10: (held[n, 0] - 16.0, held[n, 1] + 7.0) for n in (0, 59)}
        marks[85] = (0.0, 0.0)  # no longer in the rack
        got = shoulder_under(held, on, marks, 10)
        np.testing.assert_allclose(got[on], held[on] + (-16.0, 7.0))
        self.assertTrue(np.isnan(got[~on]).all())
        self.assertTrue(np.isnan(shoulder_under(held, on, {}, 10)).all())

    def test_an_elbow_in_the_rack_goes_with_the_shoulder(self):
        arm = JOINTS.index("shoulder"), JOINTS.index("elbow")
        p = np.zeros((N, len(JOINTS), 2))
        p[:, arm[0]] = np.stack([np.full(N, 200.0), 150.0 - np.arange(N)], -1)
        on = (np.arange(N) >= 20) & (np.arange(N) < 70)
        marks = {n + 10: tuple(p[n, arm[0]] + (60.0, 10.0)) for n in (30, 80)}
        got = elbow_racked(p, on, marks, 10, FPS, MM, arm)
        np.testing.assert_allclose(got.xy[on], p[on, arm[0]] + (60.0, 10.0))
        self.assertAlmostEqual(got.sigma[30], RACKED_MM * MM)
        self.assertGreater(got.sigma[60], 2.0 * got.sigma[30])
        self.assertTrue(np.isinf(got.sigma[~on]).all())

    def test_a_foot_that_stands_is_where_both_marks_say(self):
        stands = np.ones(N, bool)
        same = stands_through(HEEL, {10: (100.0, 300.0), 70: (100.0, 300.0)}, stands, 0, MM)
        np.testing.assert_allclose(same.xy[40], (100.0, 300.0))
        np.testing.assert_allclose(same.sigma, STANDS_MM * MM)
        slid = stands_through(HEEL, {10: (100.0, 300.0), 70: (120.0, 300.0)}, stands, 0, MM)
        np.testing.assert_allclose(slid.xy[40], (110.0, 300.0))
        self.assertGreater(slid.sigma[40], 10.0)
        self.assertTrue(np.isinf(stands_through(HEEL, {200: (0, 0)}, stands, 0, MM).sigma).all())

    def test_a_foot_that_leaves_the_ground_is_not_held_by_a_mark_from_before(self):
        stands = np.ones(N, bool)
        stands[40:46] = False
        got = stands_through(HEEL, {10: (100.0, 300.0), 70: (160.0, 300.0)}, stands, 0, MM)
        self.assertTrue(np.isinf(got.sigma[40:46]).all())
        np.testing.assert_allclose(got.xy[[0, 39, 46, 89], 0], [100.0, 100.0, 160.0, 160.0])

    def test_the_head_goes_on_as_the_trunk_turns_and_not_as_time_goes_by(self):
        angle = np.interp(np.arange(N), [0, 60, 70, 89], [30.0, 30.0, 90.0, 90.0])
        p = leaning(angle)
        shoulder = p[:, TRUNK[1]]
        marks = {"ear": {0: tuple(shoulder[0] + (30.0, -20.0)), 89: tuple(shoulder[89] - (0, 40))}}
        got = head_through(p, marks, 0, MM, TRUNK)
        np.testing.assert_allclose(got.xy[50] - shoulder[50], (30.0, -20.0), atol=1e-6)
        np.testing.assert_allclose(got.xy[65] - shoulder[65], (15.0, -30.0), atol=0.5)
        np.testing.assert_allclose(got.sigma, HEAD_MM * MM)

    def test_a_head_over_a_trunk_that_keeps_its_lean_goes_evenly(self):
        p = leaning(np.full(N, 80.0))
        x, y = shoulder = p[0, TRUNK[1]]
        marks = {"ear": {0: (x, y), 80: (x + 16.0, y)}}
        got = head_through(p, marks, 0, MM, TRUNK)
        np.testing.assert_allclose(got.xy[40] - shoulder, (8.0, 0.0))
        self.assertTrue(np.isinf(head_through(p, {}, 0, MM, TRUNK).sigma).all())


if __name__ == "__main__":
    unittest.main()
