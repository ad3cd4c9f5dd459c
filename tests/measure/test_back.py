"""The back's bend from a mark in its middle, and the order of the feet after a split."""

import unittest

import numpy as np

from keenkettle.coach.judge import Reference, judge
from keenkettle.coach.lifts import find_lift
from keenkettle.measure.back import back_bend, flexion_deg
from keenkettle.measure.events import RepSpan
from keenkettle.measure.motion import Motion
from keenkettle.measure.overhead import measure_overhead_rep
from keenkettle.measure.sheet import UNITS, Measure, RepContext, Sheet

N, HZ = 120, 60.0


def motion(joints, sigma=0.0):
    t = np.arange(N) / HZ
    bar = np.stack([np.zeros(N), np.linspace(0, 600, N)], -1)
    v = np.gradient(bar, t, axis=0) / 1000.0
    errors = {n: np.full(N, sigma) for n in joints} if sigma else {}
    return Motion(t, bar, v, np.gradient(v, t, axis=0), joints, errors)


def rounding(degrees):
    """Hip, back and shoulder of a trunk that leans and bends by so much more halfway through."""
    bend = np.radians(degrees) * np.clip((np.arange(N) - 30) / 30.0, 0.0, 1.0)
    hip = np.zeros((N, 2))
    back = hip + 250.0 * np.array([np.cos(0.9), np.sin(0.9)])
    upper = 0.9 - 0.05 - bend
    return {
        "hip": hip, "back": back,
        "shoulder": back + 250.0 * np.stack([np.cos(upper), np.sin(upper)], -1),
    }  # fmt: skip


def measured(joints, sigma=0.0):
    ctx = RepContext(
        motion(joints, sigma), RepSpan(0, N - 1), {"lift_off": 5, "peak_velocity": 100}, "clean"
    )
    s = Sheet(ctx)
    back_bend(s, "lift_off", "peak_velocity")
    return s.out["back_bend"]


class BackTest(unittest.TestCase):
    def test_forward_is_positive(self):
        straight = flexion_deg(*(np.array(p, float) for p in ((0, 0), (0, 1), (0, 2))))
        bent = flexion_deg(*(np.array(p, float) for p in ((0, 0), (0, 1), (1, 2))))
        self.assertAlmostEqual(float(straight), 0.0)
        self.assertAlmostEqual(float(bent), 45.0)

    def test_only_what_comes_on_top_of_the_set_counts(self):
        found = measured(rounding(22.0), sigma=8.0)
        self.assertAlmostEqual(found.value, 22.0, delta=0.5)
        self.assertGreater(found.sigma, 3.0)
        self.assertAlmostEqual(measured(rounding(-9.0)).value, 0.0, delta=0.01)

    def test_without_the_mark_it_is_not_measured(self):
        joints = rounding(22.0)
        del joints["back"]
        found = measured(joints)
        self.assertIsNone(found.value)
        self.assertIn("back", found.why)

    def test_a_twitch_of_one_frame_is_not_the_back(self):
        joints = rounding(0.0)
        joints["back"][60] += (-40.0, 0.0)
        self.assertLess(measured(joints).value, 2.0)

    def test_the_limits_are_the_books(self):
        for degrees, severity in ((9.0, None), (15.0, "note"), (24.0, "stop")):
            measures = {n: Measure(None, 0.0, u, None, "needs marks") for n, u in UNITS.items()}
            measures["back_bend"] = Measure(degrees, 0.5, "deg", 40)
            verdict = judge(find_lift("power-clean"), measures, {}, Reference())
            found = {f.fault: f.severity for f in verdict.findings}
            self.assertEqual(found.get("back-rounding"), severity)


class FeetTest(unittest.TestCase):
    def order(self, front_at, rear_at, rear_up=0.0):
        joints = {}
        for name, x, when in (("toe", 450.0, front_at), ("toe_rear", -350.0, rear_at)):
            step = 250.0 * np.clip((np.arange(N) - when) / 12.0, 0.0, 1.0)
            joints[name] = np.stack(
                [x - np.sign(x) * step, np.full(N, rear_up * (name == "toe_rear"))], -1
            )
        events = {"dip_start": 0, "dip_bottom": 5, "drive_end": 10, "peak_height": 12,
                  "catch": 14, "bottom": 20, "recovered": 90}  # fmt: skip
        full = {n: events.get(n) for n in (*events, "feet_land", "lockout", "standing")}
        ctx = RepContext(motion(joints, 4.0), RepSpan(0, N - 1), full, "jerk", start="rack")
        return measure_overhead_rep(ctx)["foot_order"]

    def test_which_foot_leaves_first_and_by_how_much(self):
        self.assertAlmostEqual(self.order(60, 36).value, 400.0, delta=20.0)
        self.assertAlmostEqual(self.order(36, 60).value, -400.0, delta=20.0)

    def test_a_foot_that_never_leaves_tells_nothing(self):
        found = self.order(60, 500)
        self.assertIsNone(found.value)
        self.assertIn("feet", found.why)

    def test_a_foot_that_was_seen_off_the_floor_tells_nothing(self):
        self.assertIsNone(self.order(60, 36, rear_up=180.0).value)
        self.assertIsNotNone(self.order(60, 36, rear_up=8.0).value)


if __name__ == "__main__":
    unittest.main()
