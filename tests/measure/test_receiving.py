"""Feet, lowering and the elbow: what noise may not invent."""

import unittest

import numpy as np

from keenkettle.measure.events import RepSpan
from keenkettle.measure.motion import Motion
from keenkettle.measure.receiving import feet, lowering, overhead_metrics
from keenkettle.measure.sheet import RepContext, Sheet

N = 150
T = np.arange(N) / 60.0


def sheet(toe_up_mm=30.0, sigma=2.0, heel_first_s=0.05, noise=0.0, **events):
    """A rep whose feet leave the floor at 1.0 s for a tenth of a second."""
    rng = np.random.default_rng(3)
    up = np.clip(1.0 - np.abs(T - 1.05) / 0.06, 0.0, 1.0)
    toe = np.stack([np.full(N, 120.0), 10.0 + toe_up_mm * up], -1)
    early = (0.97 - heel_first_s < T) & (T < 1.2)
    heel = np.stack([np.full(N, -60.0), 10.0 + toe_up_mm * up + 35.0 * early], -1)
    toe += rng.normal(0, noise, toe.shape)
    heel += rng.normal(0, noise, heel.shape)
    y = np.interp(T, [0, 0.4, 1.0, 1.25, 1.6, 2.0, 2.4], [0, 0, 900, 1150, 1000, 1150, 1150])
    bar = np.stack([np.zeros(N), y], -1)
    v = np.gradient(bar, T, axis=0) / 1000.0
    joints = {"toe": toe, "heel": heel, "hip": bar * 0 + [-90.0, 900.0]}
    joints["knee"] = bar * 0 + [-20.0, 480.0]
    errors = {n: np.full(N, sigma) for n in joints}
    motion = Motion(T, bar, v, np.gradient(v, T, axis=0), joints, errors)
    found = {
        "lift_off": 24, "power_position": 54, "extension": 58, "peak_velocity": 58,
        "peak_height": 75, "catch": 85, "bottom": 96, "standing": 125,
    } | events  # fmt: skip
    return Sheet(RepContext(motion, RepSpan(24, N - 1), found, "clean"))


class FeetTest(unittest.TestCase):
    def test_flight_is_timed(self):
        s = sheet()
        feet(s)
        self.assertAlmostEqual(s.out["flight_time"].value, 80.0, delta=20.0)
        self.assertAlmostEqual(s.out["foot_lift"].value, 30.0, delta=4.0)

    def test_feet_that_are_not_known_well_are_not_timed(self):
        s = sheet(sigma=14.0)
        feet(s)
        self.assertIsNone(s.out["flight_time"].value)
        self.assertIn("14 mm", s.out["flight_time"].why)

    def test_feet_that_stay_down_do_not_fly(self):
        s = sheet(toe_up_mm=0.0, noise=1.0)
        feet(s)
        self.assertEqual(s.out["flight_time"].value, 0.0)

    def test_a_leap_no_higher_than_the_feet_s_error_may_go_unseen(self):
        for sigma, least, most in ((0.0, 0.0, 20.0), (4.0, 70.0, 95.0)):
            s = sheet(toe_up_mm=0.0, noise=0.0, sigma=sigma)
            feet(s)
            self.assertGreaterEqual(s.out["flight_time"].sigma, least)
            self.assertLess(s.out["flight_time"].sigma, most)

    def test_noise_widens_the_error_of_the_time(self):
        steady, shaky = sheet(sigma=1.0), sheet(sigma=7.0)
        feet(steady)
        feet(shaky)
        self.assertGreater(shaky.out["flight_time"].sigma, steady.out["flight_time"].sigma)

    def test_the_heels_rise_is_timed_against_the_power_position(self):
        s = sheet(heel_first_s=0.20)
        feet(s)
        self.assertAlmostEqual(s.out["heel_rise_lead"].value, 130.0, delta=20.0)

    def test_a_heel_that_was_never_seen_down_says_so(self):
        s = sheet(heel_first_s=0.95)
        feet(s)
        self.assertIsNone(s.out["heel_rise_lead"].value)
        self.assertIn("not seen", s.out["heel_rise_lead"].why)

    def test_hands_are_late_after_a_landing_only_and_that_is_near_the_catch(self):
        for caught, landed in ((74, True), (90, False)):
            s = sheet(toe_up_mm=40.0, peak_height=72, catch=caught)
            for name, y in (("shoulder", 700.0), ("elbow", 850.0), ("wrist", 1000.0)):
                s.ctx.motion.joints[name] = np.tile((0.0, y), (N, 1))
                s.ctx.motion.joint_sigma[name] = np.full(N, 2.0)
            overhead_metrics(s)
            self.assertEqual("feet_hands_gap" in s.out, landed, caught)

    def test_a_split_has_no_foot_shift(self):
        s = sheet()
        toe = s.ctx.motion.joints["toe"]
        s.ctx.motion.joints["toe_rear"] = toe
        feet(s)
        self.assertIsNotNone(s.out["foot_shift"].value)  # as in the clean before a split jerk
        s.ctx.motion.joints["toe_rear"] = toe - [500.0, 0.0]
        feet(s)
        self.assertIn("split", s.out["foot_shift"].why)


class LoweringTest(unittest.TestCase):
    def lowered(self, accel, gap):
        """A bar brought down from the shoulders after standing."""
        s = sheet()
        m = s.ctx.motion
        down = T > 2.1
        m.bar[down, 1] = 1150.0 - 700.0 * (T[down] - 2.1)
        m.bar[down, 0] = gap - 90.0
        m.bar_v[down, 1] = -0.7
        m.bar_a[down, 1] = accel
        lowering(s)
        return s.out["lowering_gap"]

    def test_the_gap_is_that_of_hip_and_bar(self):
        self.assertAlmostEqual(self.lowered(0.0, 310.0).value, 310.0, delta=2.0)

    def test_the_next_rep_of_a_hang_is_not_this_one_s_lowering(self):
        s = sheet()
        m = s.ctx.motion
        m.bar[T > 2.1, 0] = 150.0 - 90.0
        m.bar[T > 2.4, 0] = 310.0 - 90.0
        m.bar_v[T > 2.1, 1] = -0.7
        m.bar_v[(T > 2.3) & (T <= 2.4), 1] = 0.7
        lowering(s)
        self.assertAlmostEqual(s.out["lowering_gap"].value, 150.0, delta=2.0)

    def test_a_dropped_bar_is_not_lowered(self):
        got = self.lowered(-9.5, 310.0)
        self.assertIsNone(got.value)
        self.assertIn("dropped", got.why)


if __name__ == "__main__":
    unittest.main()
