"""Reps from between side and front: what stays, what is said of the rest, and both parts judged."""

import unittest
from pathlib import Path

import numpy as np

from keenkettle.coach.judge import Verdict
from keenkettle.coach.lifts import find_lift
from keenkettle.coach.oblique import measures_from_aside, without_sides
from keenkettle.coach.review import Request, _from_aside
from keenkettle.coach.reviewed import RepReview, Tracked
from keenkettle.film.clip import ClipInfo
from keenkettle.film.rim import Ring
from keenkettle.measure.calibration import from_disc
from keenkettle.measure.events import RepSpan
from keenkettle.measure.motion import BarTrack, JointTrack, Motion
from keenkettle.measure.sheet import UNITS, Measure

STILL = np.zeros((10, 2))
MOTION = Motion(np.arange(10) / 60.0, STILL, STILL, STILL)


def rep(**values):
    metrics = {n: Measure(None, 0.0, u, None, "hidden") for n, u in UNITS.items()}
    metrics |= {n: Measure(v, 1.0, UNITS[n], 3) for n, v in values.items()}
    verdict = Verdict((), (), (), 0)
    return RepReview(1, RepSpan(0, 9), {"lift_off": 0}, metrics, verdict, MOTION, np.zeros(2))


class FromAsideTest(unittest.TestCase):
    def test_heights_stay_and_what_needs_the_side_says_so(self):
        joints = {"hip": JointTrack(STILL, np.ones(10))}
        info = ClipInfo.__new__(ClipInfo)
        tracked = Tracked(
            info, MOTION.t_s, Ring(1.0, 1.0, 60.0), 0.1, True, BarTrack(STILL, np.ones(10), 0.1)
        )
        one = rep(bar_peak_height=900.0, net_x=40.0)
        lift = find_lift("power-clean")
        got = measures_from_aside(
            one, lift, tracked, from_disc(60.0, 0.1), (35.0, 1.0), joints, None
        )
        self.assertEqual(got["bar_peak_height"].value, 900.0)
        self.assertIsNone(got["net_x"].value)
        self.assertIn("35 degrees", got["net_x"].why)
        self.assertEqual(got["trunk_drop"].why, "hidden")

    def test_a_clean_and_jerk_is_judged_as_both_of_its_parts(self):
        one = rep()
        lift, request = find_lift("clean-and-jerk"), Request(Path("film.mp4"))
        judged = _from_aside(one, lift, request, one.metrics)
        open_ = {fault for fault, _ in judged.verdict.not_judged}
        self.assertLessEqual({"dip-forward", "low-elbows"}, open_)

    def test_joints_of_both_sides_are_no_joints_of_the_camera_s_side(self):
        track = JointTrack(STILL, np.ones(10))
        self.assertEqual(list(without_sides({"left_hip": track, "hip": track})), ["hip"])


if __name__ == "__main__":
    unittest.main()
