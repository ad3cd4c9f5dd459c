"""Measures of a front view, on exact points of the simulated lifter."""

import unittest
from functools import cache

import numpy as np

from keenkettle.lifter.front import SideFaults, make_front
from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.recipe import Recipe
from keenkettle.measure.front import (
    BREADTH,
    NOT_BENT,
    NOT_DEEP,
    Ending,
    front_events,
    measure_front,
)
from keenkettle.measure.motion import Motion
from keenkettle.measure.sheet import NOT_THIS_LIFT

FPS = 30.0


@cache
def motion(lift="power-snatch", **faults):
    """The rep seen from the front, with the time at which the bar is highest."""
    front = make_front(build_motion(Recipe(lift)), SideFaults(**faults))
    t = np.arange(0.0, front.sim.t_s[-1], 1.0 / FPS)
    points = [front.at(float(x)) for x in t]
    # The athlete's right is on the picture's left.
    joints = {n: np.array([[-p[n][2], p[n][1]] for p in points]) for n in points[0]}
    bar = (joints["left_wrist"] + joints["right_wrist"]) / 2.0
    zero = np.zeros_like(bar)
    return Motion(t, bar, zero, zero, joints), front.caught_s


CAUGHT = Ending(True, True, True, False)


def measured(lift="power-snatch", overhead=True, split=False, **faults):
    m, _ = motion(lift, **faults)
    last = len(m.t_s) - 1
    return measure_front(
        m, front_events(m, 0, last), 0, last, Ending(True, overhead, True, split), 5000.0
    )


class FrontTest(unittest.TestCase):
    def test_a_level_lift_is_level_narrow_and_even(self):
        found = measured()
        self.assertLess(found["bar_slope"].value, 0.1)
        self.assertAlmostEqual(found["landing_width"].value, 1.15 / BREADTH, delta=0.02)
        self.assertLess(found["knee_inside"].value, 0.0)
        self.assertLess(found["elbow_gap"].value, 5.0)
        self.assertEqual(found["split_width"].why, NOT_THIS_LIFT)

    def test_each_dialled_difference_is_measured(self):
        self.assertAlmostEqual(measured(tilt_deg=-5.0)["bar_slope"].value, 5.0, delta=0.2)
        wide = measured(landing=1.9)["landing_width"]
        self.assertAlmostEqual(wide.value, 1.9 / BREADTH, delta=0.03)
        knees = measured("snatch", knee_in_mm=60.0)["knee_inside"]
        self.assertAlmostEqual(knees.value, 60.0, delta=6.0)
        late = measured(lag_s=0.1)["elbow_gap"]
        self.assertAlmostEqual(late.value, 100.0, delta=30.0)

    def test_a_narrow_split_is_narrow(self):
        found = measured(split=True, landing=0.4)
        self.assertLess(found["split_width"].value, 1.0)
        self.assertEqual(found["landing_width"].why, NOT_THIS_LIFT)

    def test_the_catch_lies_soon_after_the_highest_point(self):
        m, top_s = motion()
        events = front_events(m, 0, len(m.t_s) - 1)
        self.assertLess(abs(m.t_s[events["peak_height"]] - top_s), 0.15)
        self.assertGreaterEqual(events["catch"], events["peak_height"])
        self.assertLess(m.t_s[events["catch"]] - top_s, 0.6)

    def test_what_cannot_be_told_says_why(self):
        m, _ = motion()
        last = len(m.t_s) - 1
        events = front_events(m, 0, last)
        none = measure_front(m, {"catch": None}, 0, last, CAUGHT, 5000.0)
        self.assertIn("catch", none["bar_slope"].why)
        bare = Motion(m.t_s, m.bar, m.bar_v, m.bar_a, {})
        for name, got in measure_front(bare, events, 0, last, CAUGHT, 5000.0).items():
            with self.subTest(name):
                self.assertIsNone(got.value)
                self.assertTrue(got.why)
        straight = {n: xy.copy() for n, xy in m.joints.items()}
        for side in ("left", "right"):
            straight[f"{side}_wrist"] = straight[f"{side}_shoulder"] + (0.0, 480.0)
            straight[f"{side}_hip"] = straight[f"{side}_ankle"] + (0.0, 900.0)
        still = Motion(m.t_s, m.bar, m.bar_v, m.bar_a, straight)
        got = measure_front(still, events, 0, last, CAUGHT, 5000.0)
        self.assertEqual((got["elbow_gap"].why, got["knee_inside"].why), (NOT_BENT, NOT_DEEP))

    def test_a_slope_that_jumps_about_is_none(self):
        m, _ = motion()
        rough = {n: xy.copy() for n, xy in m.joints.items()}
        jumps = np.random.default_rng(3).normal(0.0, 250.0, len(m.t_s))
        rough["bar_left"][:, 1] += jumps
        last = len(m.t_s) - 1
        own = Motion(m.t_s, m.bar, m.bar_v, m.bar_a, rough)
        got = measure_front(own, front_events(m, 0, last), 0, last, CAUGHT, 5000.0)
        self.assertIsNone(got["bar_slope"].value)
