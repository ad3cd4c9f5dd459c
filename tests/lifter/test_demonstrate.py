"""Demonstrations: every lift of the catalogue, with limbs of the athlete's own lengths."""

import unittest

import numpy as np

from keenkettle.coach.lifts import all_lifts
from keenkettle.lifter.body import body_from_stature
from keenkettle.lifter.demonstrate import demonstrate
from keenkettle.lifter.motion import RATE_HZ, build_motion
from keenkettle.lifter.recipe import RecipeError, Shown, recipe_for
from keenkettle.lifter.truth import truth_of

TALL = body_from_stature(1940.0)
SIMULATED_TOO = ("hang-power-clean", "clean-pull")  # the rest of their kind is the same code


class DemonstrateTest(unittest.TestCase):
    def test_every_drawn_lift_keeps_limbs_and_has_checkpoints(self):
        seen = set()
        for lift in all_lifts().values():
            axes = (lift.family, lift.implement, lift.start, lift.ends)
            caught = lift.ends in ("pull", "power-catch", "full-catch")
            simulated = lift.family in ("clean", "snatch") and caught
            if axes in seen or (simulated and lift.id not in SIMULATED_TOO):
                continue
            seen.add(axes)
            shown = demonstrate(Shown(*axes, lift.pre), TALL)
            j = shown.joints
            for one, other, length in (("knee", "hip", TALL.thigh), ("ankle", "knee", TALL.shank)):
                got = np.linalg.norm(j[one] - j[other], axis=1)
                self.assertLess(float(np.abs(got - length).max()), 2.0, lift.id)
            self.assertTrue(shown.stops, lift.id)
            self.assertTrue(all(np.isfinite(xy).all() for xy in j.values()), lift.id)
            feet = np.minimum(j["toe"][:, 1], j["heel"][:, 1])
            self.assertGreater(float(feet.min()), -5.0, lift.id)

    def test_a_bar_that_starts_from_the_floor_lies_there(self):
        for lift in all_lifts().values():
            if (lift.start, lift.implement) != ("floor", "barbell"):
                continue
            if lift.ends in ("pull", "power-catch", "full-catch"):
                continue  # the simulator's
            axes = (lift.family, lift.implement, lift.start, lift.ends)
            hand = demonstrate(Shown(*axes, lift.pre), body_from_stature(1750.0)).hand
            self.assertAlmostEqual(float(hand[:, 1].min()), 225.0, delta=25.0, msg=lift.id)

    def test_arms_hold_what_is_held(self):
        for lift in ("front-squat", "overhead-squat", "push-press", "kettlebell-swing"):
            x = all_lifts()[lift]
            shown = demonstrate(Shown(x.family, x.implement, x.start, x.ends), TALL)
            reach = np.linalg.norm(shown.hand - shown.joints["shoulder"], axis=1)
            self.assertLess(float(reach.max()), TALL.arm * 1.02, lift)

    def test_a_hang_start_rises_from_a_still_bar_above_the_knee(self):
        sim = build_motion(recipe_for("hang-power-clean", 1750.0))
        still = sim.bar[: round(0.6 * RATE_HZ)]
        self.assertLess(float(np.ptp(still[:, 1])), 1.0)
        self.assertGreater(sim.bar[0, 1], sim.joints["knee"][0, 1])
        events = truth_of(sim).event_s
        self.assertIsNone(events["knee_pass"])
        self.assertLess(events["lift_off"], events["extension"])

    def test_the_bar_stays_physical_from_every_start(self):
        for start in ("mid-shin", "below-knee", "mid-thigh", "hip"):
            sim = build_motion(recipe_for(f"clean-{start}-power-catch", 1750.0))
            v = np.gradient(sim.bar[:, 1], 1.0 / RATE_HZ) / 1000.0
            a = np.gradient(v, 1.0 / RATE_HZ)
            self.assertGreater(float(a[5:-5].min()), -11.5, start)
            self.assertLess(float(v.max()), 3.5, start)

    def test_an_unknown_lift_is_refused(self):
        with self.assertRaisesRegex(RecipeError, "cannot be simulated yet"):
            recipe_for("split-jerk", 1750.0)


if __name__ == "__main__":
    unittest.main()
