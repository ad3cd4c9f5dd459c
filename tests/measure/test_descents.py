"""Squats and hinges on motions made by hand; where the camera stood; errors of moments."""

import unittest
from itertools import pairwise

import numpy as np

from keenkettle.measure.calibration import JOINT_DEPTH_MM
from keenkettle.measure.descents import descent_events, find_descents, measure_descent
from keenkettle.measure.motion import Motion, angle_sigma
from keenkettle.measure.parallax import MANY_CLICKS, PRIOR_K, camera_from_hand
from keenkettle.measure.sheet import (
    MOMENT_FRAMES,
    UNITS,
    Measure,
    RepContext,
    Sheet,
    line_sigma,
    moment_sigma,
    sigma_at,
    to_bar_sigma,
)

FPS = 100


def step(count):
    u = np.linspace(0, 1, count)
    return u**3 * (10 - 15 * u + 6 * u * u)


def motion_of(y, x=None, joints=None, **errors):
    y = np.asarray(y, float)
    bar = np.stack([np.zeros_like(y) if x is None else np.asarray(x, float), y], -1)
    v = np.gradient(bar, 1 / FPS, axis=0) / 1000
    return Motion(np.arange(len(y)) / FPS, bar, v, np.gradient(v, 1 / FPS, axis=0),
                  joints or {}, **errors)  # fmt: skip


def squat(depth=500.0, stand=60, low=10):
    return np.concatenate(
        [
            np.zeros(stand),
            -depth * step(80),
            np.full(low, -depth),
            -depth * (1 - step(70)),
            np.zeros(stand),
        ]
    )


class DescentTest(unittest.TestCase):
    def test_one_squat_is_one_rep_from_standing_to_standing(self):
        motion = motion_of(squat())
        (rep,) = find_descents(motion)
        self.assertLessEqual(rep.lift_off, 75)
        self.assertGreater(rep.lift_off, 50)
        self.assertGreater(rep.end, 215)

    def test_a_set_of_three_with_short_stands_between(self):
        motion = motion_of(np.concatenate([squat(stand=25)] * 3))
        reps = find_descents(motion)
        self.assertEqual(len(reps), 3)
        for before, after in pairwise(reps):
            self.assertLess(before.lift_off, after.lift_off)

    def test_a_bar_put_down_at_the_end_is_no_squat(self):
        down = np.concatenate([np.zeros(60), -900 * step(90), np.full(60, -900.0)])
        self.assertEqual(find_descents(motion_of(down)), [])

    def test_a_nod_is_no_squat(self):
        self.assertEqual(find_descents(motion_of(squat(depth=60.0))), [])

    def test_events_lie_where_they_were_made(self):
        motion = motion_of(squat())
        (rep,) = find_descents(motion)
        events = descent_events(motion, rep)
        self.assertEqual(events["descent_start"], rep.lift_off)
        self.assertTrue(139 <= events["bottom"] <= 151)
        self.assertAlmostEqual(events["peak_velocity"], 150 + 35, delta=3)
        self.assertGreater(events["standing"], events["peak_velocity"])
        self.assertIsNone(events["catch"])

    def test_speed_up_and_sway_are_measured_and_the_rest_says_why_not(self):
        x = 4.0 * np.sin(np.arange(280) / 9.0)
        motion = motion_of(squat(), x)
        (rep,) = find_descents(motion)
        out = measure_descent(RepContext(motion, rep, descent_events(motion, rep), "squat"))
        true = 500.0 * 1.875 / 0.69 / 1000.0  # a quintic's greatest speed is 15/8 of its mean
        self.assertAlmostEqual(out["bar_peak_velocity"].value, true, delta=0.02)
        self.assertAlmostEqual(out["hold_sway"].value, 4.0 / np.sqrt(2), delta=0.6)
        self.assertEqual(set(out), set(UNITS))
        self.assertIsNone(out["catch_thigh"].value)
        self.assertTrue(all(m.why for m in out.values() if m.value is None))


class CameraTest(unittest.TestCase):
    """A hand behind the disc's plane drifts against the bar as both rise."""

    def hand(self, metres, side_mm=0.0, noise=0.0):
        depth = JOINT_DEPTH_MM["wrist"]
        k = depth / (1000.0 * metres)
        y = np.linspace(600.0, 250.0, 60)
        bar = np.stack([np.full(60, 500.0), y], -1)
        rng = np.random.default_rng(3)
        wrist = bar + rng.normal(0.0, noise, bar.shape) if noise else bar.copy()
        wrist[:, 1] -= k / (1.0 + k) * (y - 400.0)
        wrist[:, 0] += side_mm
        return bar, wrist, np.full(60, 0.5)

    def test_a_near_camera_is_told_from_a_far_one(self):
        near, far = (camera_from_hand(*self.hand(d), 3.0) for d in (3.2, 8.0))
        self.assertLess(near.metres, far.metres)
        self.assertAlmostEqual(near.metres, 3.2, delta=1.2)
        self.assertGreater(near.relative_sigma, 0.0)

    def test_few_clicks_lean_on_what_is_usual(self):
        bar, wrist, sigma = self.hand(3.2)
        usual = JOINT_DEPTH_MM["wrist"] / PRIOR_K / 1000.0
        many = camera_from_hand(bar, wrist, sigma, 3.0, clicks=MANY_CLICKS)
        few = camera_from_hand(bar, wrist, sigma, 3.0, clicks=1)
        self.assertLess(abs(few.metres - usual), abs(many.metres - usual))
        self.assertGreater(few.relative_sigma, many.relative_sigma)

    def test_a_shift_to_the_side_is_a_turned_camera(self):
        place = camera_from_hand(*self.hand(5.0, side_mm=6.0), 3.0)
        self.assertAlmostEqual(place.side_px_per_mm * JOINT_DEPTH_MM["wrist"], 6.0, delta=0.1)
        self.assertGreater(place.side_sigma, 0.0)

    def test_a_short_or_unseen_pull_tells_nothing(self):
        bar, wrist, sigma = self.hand(5.0)
        self.assertIsNone(camera_from_hand(bar[:7], wrist[:7], sigma[:7], 3.0))
        self.assertIsNone(camera_from_hand(bar[:8] * [1, 0], wrist[:8], sigma[:8], 3.0))
        self.assertIsNone(camera_from_hand(bar, wrist * np.nan, sigma, 3.0))


class MomentTest(unittest.TestCase):
    def setUp(self):
        joints = {
            "hip": np.zeros((50, 2)),
            "knee": np.tile([0.0, -400.0], (50, 1)),
            "ankle": np.tile([0.0, -800.0], (50, 1)),
        }
        self.m = motion_of(
            np.linspace(0, 490, 50), joints=joints, bar_sigma=0.1, side_sigma=3.0,
            joint_sigma={n: np.full(50, 8.0) for n in joints},
        )  # fmt: skip

    def test_it_is_the_slope_times_the_moment_s_error(self):
        rising = self.m.bar[:, 1]
        self.assertAlmostEqual(moment_sigma(self.m, rising, 20), 10.0 * MOMENT_FRAMES)
        self.assertAlmostEqual(moment_sigma(self.m, rising, 20, 0.4), 4.0)
        self.assertEqual(moment_sigma(self.m, np.ones(50), 20), 0.0)

    def test_the_steeper_side_counts_and_ends_have_one(self):
        bent = np.array([0.0, 1.0, 5.0])
        self.assertAlmostEqual(moment_sigma(self.m, bent, 1, 1.0), 4.0)
        self.assertAlmostEqual(moment_sigma(self.m, bent, 0, 1.0), 1.0)
        self.assertEqual(moment_sigma(self.m, np.full(50, np.nan), 20), 0.0)

    def test_an_exact_motion_has_none(self):
        self.assertEqual(moment_sigma(motion_of(np.arange(9.0)), np.arange(9.0), 4), 0.0)

    def test_errors_of_limbs_follow_from_those_of_their_ends(self):
        self.assertEqual(sigma_at(self.m, 3, "hip", "knee"), 8.0)
        self.assertAlmostEqual(
            line_sigma(self.m, 3, "hip", "knee"), np.degrees(np.sqrt(2) * 8.0 / 400.0)
        )
        self.assertAlmostEqual(to_bar_sigma(self.m, 3, "hip"), np.sqrt(64.0 + 9.0 + 0.01))
        straight = angle_sigma(self.m, 3, "ankle", "knee", "hip")
        self.assertAlmostEqual(straight, np.degrees(8.0 / 400.0 * np.sqrt(6.0)), places=5)

    def test_a_missing_need_is_named(self):
        events = {"catch": 12, "knee_pass": None}
        sheet = Sheet(RepContext(self.m, None, events, "clean"))
        self.assertEqual(sheet.needs("catch_drop", ("hip",), "catch"), [12])
        self.assertIsNone(sheet.needs("catch_drop", ("hip", "ear"), "catch"))
        self.assertEqual(sheet.out["catch_drop"].why, "needs ear marks")
        self.assertIsNone(sheet.needs("catch_drop", (), "catch", "knee_pass"))
        self.assertEqual(sheet.out["catch_drop"].why, "the knee pass was not seen")

    def test_a_value_that_was_lost_is_none_and_says_so(self):
        sheet = Sheet(RepContext(self.m, None, {}, "clean"))
        sheet.put("sink", float("nan"), 1.0, 4)
        self.assertEqual(
            sheet.out["sink"],
            Measure(None, 1.0, "mm", 4, "the joints it needs are not tracked there"),
        )

    def test_a_value_with_an_error_that_tells_nothing_is_none_and_says_so(self):
        sheet = Sheet(RepContext(self.m, None, {}, "clean"))
        for name, sigma, known in (
            ("hip_extension", 24.0, 82.0),
            ("hip_extension", 26.0, None),
            ("bar_hip_gap", 99.0, 82.0),
            ("bar_hip_gap", 101.0, None),
        ):
            sheet.put(name, 82.0, sigma, 4)
            measure = sheet.out[name]
            self.assertEqual((measure.value, measure.sigma), (known, sigma))
            self.assertEqual("well enough" in measure.why, known is None)


if __name__ == "__main__":
    unittest.main()
