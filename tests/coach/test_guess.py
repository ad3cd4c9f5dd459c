"""What was lifted and which way the athlete faces, from motions made by hand."""

import unittest

import numpy as np

from keenkettle.coach.guess import (
    guess,
    guess_facing,
    guess_lift,
    guess_overhead,
    on_shoulders,
)
from keenkettle.coach.lifts import find_lift
from keenkettle.lifter.drawn import simulate
from keenkettle.lifter.recipe import Shown
from keenkettle.lifter.truth import exact_motion
from keenkettle.measure.events import RepSpan
from keenkettle.measure.motion import BarTrack, JointTrack, Motion

FPS = 100


def step(count):
    u = np.linspace(0, 1, count)
    return u**3 * (10 - 15 * u + 6 * u * u)


def lift(peak, bottom, finish):
    """A bar from 0 to its peak, down to the bottom, up to its finish."""
    y = np.concatenate(
        [
            np.zeros(40),
            peak * step(60),
            peak + (bottom - peak) * step(30)[1:],
            bottom + (finish - bottom) * step(80)[1:],
            np.full(40, float(finish)),
        ]
    )
    bar = np.stack([np.zeros_like(y), y], -1)
    v = np.gradient(bar, 1 / FPS, axis=0) / 1000
    return Motion(np.arange(len(y)) / FPS, bar, v, np.zeros_like(bar)), RepSpan(40, len(y) - 1)


def track(x, y, n=30):
    return JointTrack(np.tile([float(x), float(y)], (n, 1)), np.ones(n))


def bar_at(x, y, n=30):
    return BarTrack(np.tile([float(x), float(y)], (n, 1)), np.ones(n), 0.1)


def thin(motion):
    """As a fast camera sees it."""
    one = slice(None, None, 8)
    return Motion(
        motion.t_s[one],
        motion.bar[one],
        motion.bar_v[one],
        motion.bar_a[one],
        {n: xy[one] for n, xy in motion.joints.items()},
    )


class LiftTest(unittest.TestCase):
    def test_by_finish_and_by_how_far_it_was_ridden_down(self):
        for heights, name in (
            ((800, 780, 800), "clean-pull"),
            ((1000, 850, 1100), "power-clean"),
            ((900, 500, 1100), "clean"),
            ((1400, 1350, 1600), "power-snatch"),
            ((1300, 900, 1600), "snatch"),
        ):
            motion, span = lift(*heights)
            self.assertEqual(guess_lift(motion, [span]), name)

    def test_without_a_rep_the_commonest_is_said(self):
        motion, _ = lift(1000, 850, 1100)
        self.assertEqual(guess_lift(motion, []), "power-clean")

    def test_the_highest_rep_tells(self):
        motion, span = lift(1300, 900, 1600)
        low = RepSpan(40, 60)
        self.assertEqual(guess_lift(motion, [low, span]), "snatch")


class OverheadTest(unittest.TestCase):
    def test_ridden_down_is_a_jerk_and_straight_up_a_press(self):
        jerk, span = lift(400, 330, 500)
        press, whole = lift(400, 395, 500)
        self.assertEqual(guess_overhead(jerk, span), "power-jerk")
        self.assertEqual(guess_overhead(press, whole), "push-press")

    def test_a_bar_that_never_turns_is_a_press(self):
        motion, _ = lift(400, 330, 500)
        self.assertEqual(guess_overhead(motion, RepSpan(40, 80)), "push-press")

    def test_a_second_ankle_is_a_split(self):
        motion, span = lift(400, 330, 500)
        motion.joints["ankle_rear"] = np.zeros_like(motion.bar)
        self.assertEqual(guess_overhead(motion, span), "split-jerk")

    def test_on_the_shoulders_is_near_the_shoulder_by_the_trunk_s_length(self):
        motion, span = lift(400, 330, 500)
        self.assertFalse(on_shoulders(motion, span))
        n = len(motion.t_s)
        motion.joints["hip"] = np.tile([0.0, -500.0], (n, 1))
        motion.joints["shoulder"] = np.tile([0.0, -20.0], (n, 1))
        self.assertTrue(on_shoulders(motion, span))
        motion.joints["shoulder"] = np.tile([0.0, 300.0], (n, 1))
        self.assertFalse(on_shoulders(motion, span))


class WholeTest(unittest.TestCase):
    def test_lifts_of_every_kind_are_told_by_their_exact_motion(self):
        for lift in (
            "clean", "power-snatch", "hang-power-clean", "muscle-clean", "clean-and-jerk",
            "front-squat", "back-squat", "overhead-squat", "deadlift", "romanian-deadlift",
            "push-press", "power-jerk", "split-jerk", "squat-jerk", "strict-press",
        ):  # fmt: skip
            entry = find_lift(lift)
            axes = Shown(entry.family, entry.implement, entry.start, entry.ends)
            for stature in (1600.0, 1860.0):
                name, spans = guess(thin(exact_motion(simulate(lift, axes, stature))))
                self.assertEqual(name, lift)
                self.assertTrue(spans)

    def test_a_squat_is_a_squat_without_joints(self):
        motion, _ = lift(-5, -500, 0)
        name, spans = guess(motion)
        self.assertEqual((name, len(spans)), ("front-squat", 1))


class FacingTest(unittest.TestCase):
    def test_toes_outrank_the_rest(self):
        joints = {"toe": track(120, 0), "heel": track(100, 0), "hip": track(300, 0)}
        self.assertEqual(guess_facing(joints, bar_at(200, 0)), "right")
        joints["toe"], joints["heel"] = joints["heel"], joints["toe"]
        self.assertEqual(guess_facing(joints, bar_at(200, 0)), "left")

    def test_the_body_s_side_of_the_bar_tells_without_feet(self):
        self.assertEqual(guess_facing({"hip": track(150, 0)}, bar_at(200, 0)), "right")
        self.assertEqual(guess_facing({"shoulder": track(260, 0)}, bar_at(200, 0)), "left")

    def test_without_joints_the_bar_s_drift_tells(self):
        y = np.linspace(400, 100, 30)
        for drift, facing in ((-20.0, "right"), (20.0, "left"), (0.0, "right")):
            xy = np.stack([200 + drift * (400 - y) / 300, y], -1)
            self.assertEqual(guess_facing({}, BarTrack(xy, np.ones(30), 0.1)), facing)


if __name__ == "__main__":
    unittest.main()
