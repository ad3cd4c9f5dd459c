"""Landing width and knees from between side and front, on exact points of the simulated lifter."""

import unittest
from functools import cache

import numpy as np

from keenkettle.lifter.front import JOINTS, SIDES, SideFaults, make_front
from keenkettle.measure.front import BREADTH, Ending, front_events
from keenkettle.measure.motion import JointTrack, Motion
from keenkettle.measure.oblique import FROM_FRONT, NOT_KNEES, Oblique, measure_oblique
from keenkettle.measure.sheet import NOT_THIS_LIFT
from tests.shared import moved

FPS, LENS_PX, CAMERA_MM = 30.0, 1300.0, 5200.0


def filmed(points, yaw):
    """Where a level camera, turned so far, shows points (N, 3), pixels."""
    x, y, z = points.T
    beside, ahead = x * np.cos(yaw) - z * np.sin(yaw), -x * np.sin(yaw) - z * np.cos(yaw)
    per = LENS_PX / (CAMERA_MM + ahead)
    return np.stack([640.0 + (beside + 150.0) * per, 700.0 - y * per], -1)


@cache
def measured(
    lift="snatch", yaw_deg=35.0, split=False, noise_px=0.0, shrink=1.0, lands=True, **faults
):
    front = make_front(moved(lift), SideFaults(**faults))
    t = np.arange(0.0, front.sim.t_s[-1], 1.0 / FPS)
    yaw, at = np.radians(yaw_deg), [front.at(float(x)) for x in t]
    rng = np.random.default_rng(1)
    sides = {}
    for name in (f"{s}_{j}" for s in SIDES for j in JOINTS if j != "ear"):
        points = np.array([p[name] for p in at])
        points[:, 2] *= shrink if name.endswith("shoulder") else 1.0
        xy = filmed(points, yaw)
        sides[name] = JointTrack(xy + rng.normal(0.0, noise_px, xy.shape), np.ones(len(t)))
    bar = np.array([p["bar_left"][:2] for p in at])
    last, nothing = len(t) - 1, np.zeros_like(bar)
    motion = Motion(t, bar, nothing, nothing)
    ending = Ending(lands, True, lands, split)
    events = front_events(motion, 0, last) if lands else {"bottom": int(np.argmin(bar[:, 1]))}
    view = Oblique(yaw, np.radians(1.0), LENS_PX, CAMERA_MM, 640.0)
    return measure_oblique(t, sides, view, events, 0, last, ending, 1750.0)


class ObliqueTest(unittest.TestCase):
    def test_how_wide_the_feet_land_from_either_side(self):
        for yaw in (25.0, 45.0, -35.0):
            for landing in (1.2, 2.0):
                found = measured(yaw_deg=yaw, landing=landing)["landing_width"]
                self.assertAlmostEqual(found.value, landing / BREADTH, delta=0.06 * found.value)
                self.assertGreater(found.sigma, 0.07 * found.value)

    def test_shoulders_that_the_nets_see_too_narrow_do_not_make_a_landing_wide(self):
        plain = measured(landing=1.3)["landing_width"].value
        narrow = measured(landing=1.3, shrink=0.55)["landing_width"]
        self.assertLess(narrow.value, 1.3 * plain)
        self.assertLess(abs(narrow.value - 1.3 / BREADTH), 1.7 * narrow.sigma)

    def test_knees_inside_the_ankles(self):
        for yaw in (30.0, -42.0):
            inside = measured(yaw_deg=yaw, knee_in_mm=80.0)["knee_inside"]
            self.assertAlmostEqual(inside.value, 80.0, delta=12.0)
            self.assertLess(measured(yaw_deg=yaw)["knee_inside"].value, 0.0)

    def test_knees_in_a_squat_which_has_no_landing(self):
        for knees in (80.0, -20.0):
            found = measured("back-squat", lands=False, knee_in_mm=knees)
            self.assertAlmostEqual(found["knee_inside"].value, knees, delta=14.0)
            self.assertEqual(found["landing_width"].why, NOT_THIS_LIFT)

    def test_knees_that_are_taken_for_one_are_not_measured(self):
        found = measured(landing=2.4, knee_in_mm=230.0)["knee_inside"]
        self.assertEqual((found.value, found.why), (None, NOT_KNEES))

    def test_the_nearer_to_the_side_the_less_is_known(self):
        sigmas = [measured(yaw_deg=yaw)["knee_inside"].sigma for yaw in (45.0, 33.0, 24.0)]
        self.assertEqual(sigmas, sorted(sigmas))
        self.assertGreater(sigmas[2], 1.5 * sigmas[0])

    def test_what_such_a_film_does_not_show_is_left_to_one_from_the_front(self):
        split = measured(split=True)
        self.assertEqual(split["split_width"].why, FROM_FRONT)
        self.assertEqual(split["landing_width"].why, NOT_THIS_LIFT)

    def test_noise_of_the_nets_stays_within_the_error(self):
        found = measured(noise_px=3.0, landing=1.2)["landing_width"]
        self.assertLess(abs(found.value - 1.2 / BREADTH), found.sigma)


if __name__ == "__main__":
    unittest.main()
