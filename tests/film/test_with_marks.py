"""A few marks take the offset of the nets away."""

import unittest

import numpy as np

from keenkettle.film.with_marks import with_marks
from keenkettle.measure.motion import JOINTS, JointTrack

N, FPS, MM = 90, 60.0, 0.25
HIP, WRIST = JOINTS.index("hip"), JOINTS.index("wrist")


def seen(offset):
    """A hip that moves slowly, as a net with a steady offset sees it; nothing else seen."""
    rng = np.random.default_rng(5)
    true = np.stack([200 + 20 * np.sin(np.arange(N) / 25), np.linspace(300, 240, N)], -1)
    xy = np.full((N, len(JOINTS), 2), np.nan)
    xy[:, HIP] = true + offset + rng.normal(0, 1.0, (N, 2))
    sigma = np.where(np.isfinite(xy[..., 0]), 9.0, np.inf)
    return true, xy, sigma


def run(xy, sigma, marks, hidden=None, flow=None):
    """Correct a span that is the whole clip."""
    hidden = np.zeros(sigma.shape, bool) if hidden is None else hidden
    return with_marks(xy, sigma, hidden, marks, flow or {}, (0, N - 1), FPS, MM)


class OffsetTest(unittest.TestCase):
    def test_two_marks_take_a_steady_offset_away(self):
        true, xy, sigma = seen(np.array([7.0, -5.0]))
        marks = {"hip": {10: tuple(true[10]), 70: tuple(true[70])}}
        got = run(xy, sigma, marks)
        before = np.linalg.norm(xy[:, HIP] - true, axis=1).mean()
        after = np.linalg.norm(got.xy[:, HIP] - true, axis=1).mean()
        self.assertLess(after, 0.4 * before)

    def test_a_mark_is_firm_and_exact(self):
        _, xy, sigma = seen(np.array([7.0, -5.0]))
        got = run(xy, sigma, {"hip": {10: (123.0, 45.0)}})
        self.assertEqual(got.firm[10, HIP], 1.0)
        self.assertEqual(got.firm.sum(), 1.0)
        np.testing.assert_allclose(got.xy[10, HIP], (123.0, 45.0))

    def test_trust_falls_away_from_the_marks(self):
        true, xy, sigma = seen(np.zeros(2))
        got = run(xy, sigma, {"hip": {10: tuple(true[10])}})
        self.assertGreater(got.sigma[80, HIP], got.sigma[14, HIP])

    def test_a_net_behind_the_disc_teaches_nothing(self):
        true, xy, sigma = seen(np.array([7.0, -5.0]))
        hidden = np.zeros(sigma.shape, bool)
        hidden[:, HIP] = True
        got = run(xy, sigma, {"hip": {10: tuple(true[10])}}, hidden)
        np.testing.assert_allclose(got.xy[40, HIP], xy[40, HIP])
        self.assertEqual(got.sigma[40, HIP], sigma[40, HIP])  # limbs that are seen lead to it
        ear = JOINTS.index("ear")
        xy[:, ear], sigma[:, ear], hidden[:, ear] = xy[:, HIP], 9.0, True
        got = run(xy, sigma, {"ear": {10: tuple(true[10])}}, hidden)
        self.assertGreater(got.sigma[40, ear], 2.0 * sigma[40, ear])

    def test_flow_is_weighed_by_its_error(self):
        true, xy, sigma = seen(np.array([7.0, -5.0]))
        sure = JointTrack(true.copy(), np.full(N, 0.6))
        got = run(xy, sigma, {"hip": {10: tuple(true[10])}}, flow={"hip": sure})
        self.assertLess(np.linalg.norm(got.xy[60, HIP] - true[60]), 1.0)
        lost = JointTrack(np.full((N, 2), np.nan), np.full(N, np.inf))
        got = run(xy, sigma, {"hip": {10: tuple(true[10])}}, flow={"hip": lost})
        self.assertTrue(np.isfinite(got.xy[60, HIP]).all())

    def test_a_net_gone_astray_at_a_mark_teaches_nothing(self):
        true, xy, sigma = seen(np.zeros(2))
        xy[70, HIP] += 60.0
        xy[69:72, HIP] = xy[70, HIP]
        got = run(xy, sigma, {"hip": {10: tuple(true[10]), 70: tuple(true[70])}})
        self.assertLess(np.linalg.norm(got.xy[40, HIP] - true[40]), 4.0)

    def test_what_a_mark_shows_on_a_bent_leg_is_not_all_of_it_on_a_straight_one(self):
        _, xy, sigma = seen(np.zeros(2))
        bent = np.radians(np.linspace(90.0, 0.0, N))
        ankle, knee = np.array([200.0, 400.0]), np.array([200.0, 300.0])
        thigh = 100.0 * np.stack([np.sin(-bent), -np.cos(bent)], -1)
        for name, at in (("ankle", ankle), ("knee", knee), ("hip", knee + thigh)):
            xy[:, JOINTS.index(name)], sigma[:, JOINTS.index(name)] = at, 5.0
        got = run(xy, sigma, {"knee": {0: (208.0, 300.0)}})
        moved = (got.xy - xy)[:, JOINTS.index("knee"), 0]
        self.assertGreater(moved[3], 5.5)
        self.assertLess(abs(moved[-1]), 0.5 * moved[3])

    def test_lengths_come_from_the_marks_and_an_arm_is_as_long_as_at_its_longest(self):
        _, xy, sigma = seen(np.zeros(2))
        marks = {
            "hip": {5: (200.0, 200.0), 50: (205.0, 200.0)},
            "knee": {5: (200.0, 310.0), 50: (205.0, 308.0)},
            "elbow": {5: (300.0, 200.0), 50: (300.0, 200.0)},
            "wrist": {5: (300.0, 260.0), 50: (300.0, 230.0)},
        }
        lengths = {(k.a, k.b): k for k in run(xy, sigma, marks).limbs}
        thigh = lengths[JOINTS.index("knee"), HIP]
        self.assertAlmostEqual(float(thigh.length[0]), 109.0, delta=0.5)
        arm = lengths[JOINTS.index("elbow"), WRIST]
        np.testing.assert_allclose(arm.length, 60.0)
        self.assertTrue(arm.most)


if __name__ == "__main__":
    unittest.main()
