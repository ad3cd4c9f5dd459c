"""Joints held together by limbs, hands and marks; on points made by hand."""

import unittest

import numpy as np

from keenkettle.film.fuse import Limb, Pull, Seen, Smooth, fuse
from keenkettle.film.plausible import between_marks, hand_offset, hold_together

N = 40
NAMES = ["ankle", "knee", "hip", "wrist"]


def body():
    """A leg that leans forward over the frames, and a wrist on the bar; (N, 4, 2) and the bar."""
    lean = np.linspace(0.0, 0.5, N)
    ankle = np.tile([300.0, 500.0], (N, 1))
    knee = ankle + 90.0 * np.stack([np.sin(lean), -np.cos(lean)], -1)
    hip = knee + 92.0 * np.stack([-np.sin(lean), -np.cos(lean)], -1)
    bar = np.stack([np.full(N, 340.0), np.linspace(450.0, 330.0, N)], -1)
    wrist = bar + np.array([-4.0, -9.0])
    return np.stack([ankle, knee, hip, wrist], 1), bar


def marks_of(xy, every=8):
    return {
        name: {n: tuple(xy[n, j]) for n in [*range(0, N, every), N - 1]}
        for j, name in enumerate(NAMES)
    }


class TogetherTest(unittest.TestCase):
    def setUp(self):
        self.xy, self.bar = body()
        self.marks = marks_of(self.xy)
        self.sigma = np.full((N, 4), 3.0)

    def hold(self, xy, sigma):
        return hold_together(xy, sigma, NAMES, self.marks, self.bar, 90.0)

    def test_what_is_right_stays_and_its_error_shrinks(self):
        out, error = self.hold(self.xy, self.sigma)
        self.assertLess(np.abs(out - self.xy).max(), 0.6)
        self.assertTrue((error < 3.0).all())

    def test_a_knee_that_slipped_along_the_leg_is_brought_back(self):
        seen, sigma = self.xy.copy(), self.sigma.copy()
        seen[20, 1] += (0.0, 25.0)
        sigma[20, 1] = 40.0
        out, error = self.hold(seen, sigma)
        self.assertLess(np.hypot(*(out[20, 1] - self.xy[20, 1])), 8.0)
        self.assertLess(error[20, 1], 40.0)

    def test_a_wrist_is_drawn_to_its_place_on_the_bar(self):
        seen, sigma = self.xy.copy(), self.sigma.copy()
        seen[10, 3] += (30.0, 0.0)
        sigma[10, 3] = 30.0
        out, _ = self.hold(seen, sigma)
        self.assertLess(np.hypot(*(out[10, 3] - self.xy[10, 3])), 4.0)

    def test_what_is_unknown_stays_unknown(self):
        seen, sigma = self.xy.copy(), self.sigma.copy()
        seen[5, 2], sigma[5, 2] = np.nan, np.inf
        out, error = self.hold(seen, sigma)
        self.assertTrue(np.isnan(out[5, 2]).all())
        self.assertTrue(np.isinf(error[5, 2]))
        self.assertTrue(np.isfinite(out[5, 1]).all())

    def test_the_hand_s_offset_goes_from_mark_to_mark(self):
        wrist = {0: (10.0, 0.0), 10: (20.0, 0.0)}
        bar = np.zeros((11, 2))
        offset = hand_offset(wrist, bar, np.arange(11.0))
        self.assertAlmostEqual(offset[5, 0], 15.0)


class BetweenTest(unittest.TestCase):
    def test_close_marks_make_a_curve_with_a_small_error(self):
        t = np.arange(0, N, 4)
        marks = {int(n): (float(10 * np.sin(n / 9)), float(n)) for n in t}
        curve, sigma = between_marks(marks, N, 90.0, 60.0)
        inside = slice(0, int(t[-1]) + 1)
        true = 10 * np.sin(np.arange(N) / 9)
        self.assertLess(np.abs(curve[inside, 0] - true[inside]).max(), 0.1)
        self.assertTrue(np.isinf(sigma[-2:]).all() or t[-1] >= N - 2)
        self.assertLess(sigma[inside].max(), 0.05 * 90.0)

    def test_far_marks_are_trusted_less(self):
        near, far = (
            between_marks({n: (0.0, float(n)) for n in range(0, 200, gap)}, 200, 90.0, 60.0)[1]
            for gap in (6, 30)
        )
        self.assertGreater(far[:150].max(), 5.0 * near[:150].max())

    def test_three_marks_are_too_few(self):
        _, sigma = between_marks({0: (0, 0), 5: (1, 1), 9: (2, 2)}, N, 90.0, 60.0)
        self.assertTrue(np.isinf(sigma).all())


class FuseTest(unittest.TestCase):
    def setUp(self):
        self.true = body()[0][:, :3]
        self.smooth = Smooth(1 / 60, np.full(3, 4000.0), np.full((N, 3), 400.0))

    def seen(self, noise=0.0, sigma=2.0):
        rng = np.random.default_rng(5)
        xy = self.true + rng.normal(0.0, noise, self.true.shape)
        return Seen(xy, np.full((N, 3), sigma), np.zeros((N, 3)))

    def error(self, out):
        return np.linalg.norm(out - self.true, axis=-1)

    def test_limbs_and_motion_take_noise_away(self):
        seen = self.seen(3.0, 3.0)
        limbs = [Limb(0, 1, 90.0, 1.0), Limb(1, 2, 92.0, 1.0)]
        solved = fuse(seen, limbs, [], self.smooth, seen.xy)
        out, sigma = solved.xy, solved.sigma()
        before = np.linalg.norm(seen.xy - self.true, axis=-1)
        self.assertLess(self.error(out).mean(), 0.5 * before.mean())
        self.assertTrue((sigma < 3.0).all())

    def test_one_wild_sighting_is_weighed_down_but_a_click_is_believed(self):
        wild = self.seen()
        wild.xy[20, 1] += (60.0, 0.0)
        out = fuse(wild, [], [], self.smooth, wild.xy).xy
        self.assertLess(self.error(out)[20, 1], 6.0)
        wild.firm[20, 1] = 1.0
        wild.sigma[20, 1] = 0.5
        out = fuse(wild, [], [], self.smooth, wild.xy).xy
        self.assertGreater(self.error(out)[20, 1], 30.0)

    def test_a_limb_may_look_shorter_but_not_longer(self):
        long = self.seen(0.0, 8.0)
        most = [Limb(0, 1, 60.0, 1.0, most=True)]
        out = fuse(long, most, [], self.smooth, long.xy).xy
        self.assertLess(np.linalg.norm(out[:, 1] - out[:, 0], axis=1).max(), 68.0)
        roomy = [Limb(0, 1, 200.0, 1.0, most=True)]
        out = fuse(long, roomy, [], self.smooth, long.xy).xy
        self.assertLess(self.error(out).max(), 1.0)

    def test_an_unseen_joint_comes_from_its_pull_and_knows_less(self):
        half = self.seen()
        half.xy[:, 2] = np.nan
        pull = Pull(2, self.true[:, 2], np.full(N, 6.0))
        start = np.where(np.isfinite(half.xy), half.xy, 400.0)
        solved = fuse(half, [Limb(1, 2, 92.0, 2.0)], [pull], self.smooth, start)
        out, sigma = solved.xy, solved.sigma()
        self.assertLess(self.error(out)[:, 2].mean(), 4.0)
        self.assertGreater(sigma[:, 2].mean(), sigma[:, 0].mean())

    def test_a_gap_is_bridged_by_motion(self):
        gap = self.seen()
        gap.xy[15:22, 1] = np.nan
        start = self.true + 3.0
        solved = fuse(gap, [], [], self.smooth, start)
        out, sigma = solved.xy, solved.sigma()
        self.assertLess(self.error(out)[15:22, 1].max(), 2.5)
        self.assertGreater(sigma[18, 1], sigma[5, 1])


if __name__ == "__main__":
    unittest.main()
