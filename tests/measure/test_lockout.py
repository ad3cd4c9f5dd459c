"""Elbows that lock one after the other, by both ends of the bar on films from aside."""

import unittest
from functools import cache

import numpy as np

from keenkettle.lifter.front import BAR_HALF_MM, SideFaults, make_front
from keenkettle.lifter.render import JOINT_Z
from keenkettle.measure.front import NOT_BENT, front_events
from keenkettle.measure.lockout import LONGEST_GAP_FRAMES, _known, gap_by_ends
from keenkettle.measure.motion import JointTrack, Motion
from keenkettle.measure.oblique import Oblique, hands_apart
from keenkettle.measure.tilt import HIDDEN, BarEnds
from tests.measure.test_oblique import CAMERA_MM, LENS_PX, filmed
from tests.shared import moved

FPS, YAW = 60.0, np.radians(35.0)
HANDS_MM = 2.0 * JOINT_Z["wrist"]


@cache
def points(lift="snatch", **faults):
    """Times, and what is seen of a lift: both ends, the near shoulder, both hands; pixels."""
    front = make_front(moved(lift), SideFaults(**faults))
    t = np.arange(0.0, front.sim.t_s[-1], 1.0 / FPS)
    at = [front.at(float(x)) for x in t]
    names = ("bar_right", "bar_left", "right_shoulder", "right_wrist", "left_wrist")
    seen = {n: filmed(np.array([p[n] for p in at]), YAW) for n in names}
    bar = np.array([p["bar_right"][:2] for p in at])
    events = front_events(Motion(t, bar, np.zeros_like(bar), np.zeros_like(bar)), 0, len(t) - 1)
    return t, seen, events


def gap(hide=0, noise_px=0.0, hands=(HANDS_MM, 30.0), **faults):
    """The measure; ``hide``: so many frames round the catch do not show the far end."""
    t, seen, events = points(**faults)
    caught, half = events["catch"], BAR_HALF_MM * np.cos(YAW)
    rng = np.random.default_rng(2)
    near, far = (
        seen[n] + rng.normal(0, noise_px, seen[n].shape) for n in ("bar_right", "bar_left")
    )
    far[caught : caught + hide] = np.nan
    ends = BarEnds(
        near, far, (CAMERA_MM - half) / (CAMERA_MM + half), 0.004, 2.0 * BAR_HALF_MM,
        (CAMERA_MM - half) / LENS_PX,
    )  # fmt: skip
    return gap_by_ends(ends, seen["right_shoulder"], t, caught, 0, len(t) - 1, hands)


class LockoutTest(unittest.TestCase):
    def test_how_late_an_arm_is(self):
        for late in (0.0, 0.08, 0.15):
            found = gap(lag_s=late)
            self.assertAlmostEqual(found.value, 1000.0 * late, delta=22.0)
            self.assertLess(found.sigma, 45.0)

    def test_noise_of_the_ends_stays_within_the_error(self):
        found = gap(noise_px=0.5, lag_s=0.12)
        self.assertLess(abs(found.value - 120.0), 2.0 * found.sigma)

    def test_a_tilt_that_stays_is_no_late_arm(self):
        self.assertLess(gap(tilt_deg=4.0).value, 60.0)

    def test_a_far_end_that_is_hidden_meanwhile_leaves_it_open(self):
        self.assertIsNotNone(gap(hide=LONGEST_GAP_FRAMES).value)
        self.assertEqual(gap(hide=LONGEST_GAP_FRAMES + 1).why, HIDDEN)

    def test_arms_that_never_bend_cannot_be_timed(self):
        self.assertEqual(gap(lift="back-squat").why, NOT_BENT)

    def test_a_bar_whose_far_end_never_shows_is_not_bridged_however_short_the_lift(self):
        self.assertIsNone(_known(np.full(9, np.nan), 3, 6))

    def test_hands_are_known_better_where_both_are_seen(self):
        _, seen, events = points()
        sides = {
            n: JointTrack(seen[n], np.ones(len(seen[n]))) for n in ("right_wrist", "left_wrist")
        }
        view = Oblique(YAW, np.radians(1.0), LENS_PX, CAMERA_MM, 640.0)
        usual = (840.0, 126.0)
        value, sd = hands_apart(sides, view, 0, events["peak_velocity"], usual)
        self.assertLess(abs(value - HANDS_MM), 70.0)
        self.assertLess(sd, usual[1])
        self.assertEqual(hands_apart({}, view, 0, 30, usual), usual)


if __name__ == "__main__":
    unittest.main()
