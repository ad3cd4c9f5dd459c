"""What mending a fault would give, by the simulated lifter."""

import unittest

from keenkettle.coach.judge import Evidence, Finding
from keenkettle.coach.lifts import find_lift
from keenkettle.coach.what_if import can_ask, says, what_if
from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.recipe import Recipe, RecipeError
from keenkettle.lifter.truth import truth_of

CLEAN = find_lift("power-clean")


def found(fault, metric, value, follows=""):
    """A finding with one measured value."""
    evidence = (Evidence(metric, metric, value, 1.0, 0.0, "mm", ">"),)
    return Finding(fault, "fix", 0, 0, 0, 0.9, evidence, "", follows)


class WhatIfTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        dialled = {"bar-bumped-forward": 0.8, "bar-crash": 0.6}
        cls.truth = truth_of(build_motion(Recipe("power-clean", 1750.0, dialled))).metrics
        cls.plain = truth_of(build_motion(Recipe("power-clean", 1750.0))).metrics
        cls.findings = [
            found("bar-crash", "catch_drop", cls.truth["catch_drop"].value),
            found("bar-bumped-forward", "forward_swing", cls.truth["forward_swing"].value),
            found("back-rounding", "trunk_drop", 9.0),
        ]

    def test_each_gain_is_what_the_rep_without_the_fault_saves(self):
        gains = {g.fault: g for g in what_if(CLEAN, 1750.0, self.findings)}
        self.assertEqual(set(gains), {"bar-crash", "bar-bumped-forward"})
        drop = self.truth["catch_drop"].value - self.plain["catch_drop"].value
        self.assertAlmostEqual(gains["bar-crash"].drop_mm, drop, delta=4.0)
        self.assertGreater(gains["bar-crash"].speed_m_s, 0.05)
        swing = self.truth["forward_swing"].value - self.plain["forward_swing"].value
        self.assertAlmostEqual(gains["bar-bumped-forward"].swing_mm, swing, delta=4.0)
        self.assertLess(abs(gains["bar-bumped-forward"].drop_mm), 4.0)

    def test_the_most_worth_comes_first_and_is_said(self):
        gains = what_if(CLEAN, 1750.0, self.findings)
        self.assertGreaterEqual(gains[0].worth, gains[1].worth)
        self.assertIn("less fall onto the lifter", says(next(g for g in gains if g.drop_mm > 20)))

    def test_what_follows_goes_with_its_root(self):
        swing = found("bar-bumped-forward", "forward_swing", 60.0, follows="low-contact")
        low = found("low-contact", "contact_height", 0.3)
        gains = {g.fault: g for g in what_if(CLEAN, 1750.0, [low, swing])}
        self.assertEqual(gains["low-contact"].with_it, ("bar-bumped-forward",))
        self.assertGreaterEqual(
            gains["low-contact"].swing_mm, gains["bar-bumped-forward"].swing_mm - 1.0
        )

    def test_what_cannot_be_simulated_is_not_asked(self):
        self.assertEqual(can_ask([self.findings[2]]), [])
        self.assertEqual(what_if(CLEAN, 1750.0, [self.findings[2]]), [])
        with self.assertRaises(RecipeError):
            what_if(find_lift("front-squat"), 1750.0, self.findings)
