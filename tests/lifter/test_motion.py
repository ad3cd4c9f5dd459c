"""The simulated lifter moves as bodies and bars can."""

import unittest

import numpy as np

from keenkettle.lifter.body import BodyError, body_from_stature
from keenkettle.lifter.motion import RATE_HZ, build_motion
from keenkettle.lifter.recipe import FAULTS, SHAPES, Recipe, RecipeError
from keenkettle.lifter.truth import truth_of

#: Which metric a fault moves, which way, and the fix limit that size 1 is meant to be near.
MOVES = {
    "hips-rise-first": ("trunk_drop", 1), "early-arm-bend": ("elbow_before_extension", -1),
    "unfinished-extension": ("hip_extension", -1),
    "bar-bumped-forward": ("contact_forward_speed", 1),
    "forward-loop": ("forward_swing", 1), "low-contact": ("contact_height", -1),
    "jump-back": ("foot_shift", -1), "jump-forward": ("foot_shift", 1),
    "rushed-first-pull": ("rhythm_ratio", 1), "bar-away-from-hip": ("bar_hip_gap", 1),
    "bar-crash": ("catch_drop", 1), "low-elbows": ("elbow_rack", -1),
    "shoulders-behind-bar": ("shoulder_lead_knee_pass", -1),
}  # fmt: skip


class MotionTest(unittest.TestCase):
    def test_limbs_keep_their_length_in_every_lift(self):
        for lift in SHAPES:
            sim = build_motion(Recipe(lift))
            for a, b, length in (
                ("ankle", "knee", sim.body.shank),
                ("knee", "hip", sim.body.thigh),
            ):
                d = np.linalg.norm(sim.joints[a] - sim.joints[b], axis=1)
                self.assertLess(float(np.abs(d - length).max()), 3.0, (lift, a))

    def test_the_bar_never_falls_faster_than_free_fall(self):
        for lift in SHAPES:
            sim = build_motion(Recipe(lift))
            accel = np.gradient(np.gradient(sim.bar[:, 1])) * RATE_HZ**2 / 1000.0
            flight = (sim.t_s > sim.timeline.extension + 0.01) & (
                sim.t_s < sim.timeline.peak - 0.01
            )
            self.assertGreater(float(accel[flight].min()), -9.9, lift)
            self.assertLess(float(np.abs(accel[5:-5]).max()), 60.0, lift)

    def test_the_bar_rests_on_the_floor_first(self):
        sim = build_motion(Recipe("clean"))
        self.assertAlmostEqual(float(sim.bar[0, 1]), 225.0, delta=1.0)

    def test_truth_by_definition_agrees_with_how_the_rep_was_made(self):
        for lift in ("power-clean", "clean", "power-snatch", "snatch"):
            sim = build_motion(Recipe(lift))
            events = truth_of(sim).event_s
            for name in ("extension", "catch", "bottom"):
                made = getattr(sim.timeline, name)
                self.assertAlmostEqual(events[name], made, delta=0.012, msg=f"{lift} {name}")

    def test_each_fault_moves_its_own_measure(self):
        clean = truth_of(build_motion(Recipe("power-clean"))).metrics
        self.assertEqual(set(MOVES), set(FAULTS))
        for fault, (metric, sign) in MOVES.items():
            bad = truth_of(build_motion(Recipe("power-clean", 1750.0, {fault: 1.2}))).metrics
            change = (bad[metric].value - clean[metric].value) * sign
            self.assertGreater(change, 0.05, fault)

    def test_every_stature_that_is_taken_can_lift(self):
        for stature in (1450.0, 1600.0, 1940.0, 2050.0):
            sim = build_motion(Recipe("power-clean", stature))
            self.assertTrue(np.isfinite(sim.bar).all())

    def test_what_cannot_be_is_named(self):
        with self.assertRaisesRegex(BodyError, "300"):
            body_from_stature(3000.0)
        with self.assertRaisesRegex(RecipeError, "bench"):
            Recipe("bench")
        with self.assertRaisesRegex(RecipeError, "laziness"):
            Recipe("clean", 1750.0, {"laziness": 1.0})
        with self.assertRaisesRegex(RecipeError, "size 9"):
            Recipe("clean", 1750.0, {"jump-back": 9.0})
        with self.assertRaisesRegex(RecipeError, "give a smaller size"):
            build_motion(Recipe("power-clean", 1750.0, {"hips-rise-first": 2.5}))
