"""Grip: the closed formula, three dimensions, tape errors, trials."""

import unittest
from math import sqrt

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from keenkettle.fit.grip import (
    AHEAD_MM,
    GripError,
    Trial,
    arm_from_trial,
    bar_height_for,
    fit_grip,
    joint_width,
    snatch_grip,
)
from keenkettle.fit.lengths import RATIOS, LengthError, make_lengths

CHECK = {"shoulder_width": 370.0, "arm": 620.0, "shoulder_height": 1430.0, "hip_crease": 900.0}


class GripTest(unittest.TestCase):
    def test_the_worked_example_gives_93_cm(self):
        grip = snatch_grip(make_lengths(1750.0, CHECK), "hip_crease")
        self.assertAlmostEqual(grip.grip, 934.6, delta=1.0)
        self.assertTrue(grip.reaches and grip.on_bar)

    @settings(max_examples=60, deadline=None)
    @given(
        stature=st.floats(1500, 2050),
        arm=st.floats(0.33, 0.40),
        crease=st.floats(0.48, 0.55),
        width=st.floats(0.20, 0.26),
    )
    def test_hands_shoulders_and_bar_agree_in_three_dimensions(self, stature, arm, crease, width):
        lengths = make_lengths(
            stature,
            {"arm": arm * stature, "hip_crease": crease * stature,
             "shoulder_width": width * stature},
        )  # fmt: skip
        grip = snatch_grip(lengths, "hip_crease")
        shoulder = np.array([0.0, lengths["shoulder_height"], joint_width(lengths) / 2])
        hand = np.array([AHEAD_MM, lengths["hip_crease"], grip.grip / 2])
        reach = float(np.linalg.norm(hand - shoulder))
        if grip.reaches:
            self.assertAlmostEqual(reach, lengths["arm"], delta=1.0)
        else:
            self.assertGreater(reach, lengths["arm"])

    def test_one_centimetre_of_arm_moves_the_grip_by_about_three(self):
        longer = make_lengths(1750.0, CHECK | {"arm": 630.0})
        here = snatch_grip(make_lengths(1750.0, CHECK), "hip_crease").grip
        self.assertAlmostEqual(snatch_grip(longer, "hip_crease").grip - here, 40.0, delta=12.0)

    def test_a_trial_fixes_the_arm_and_narrows_the_error(self):
        lengths = make_lengths(1750.0, CHECK)
        trial = Trial(850.0, bar_height_for(lengths, 630.0, 850.0))
        self.assertAlmostEqual(arm_from_trial(lengths, trial), 630.0, delta=0.01)
        by_tape, tried = snatch_grip(lengths, "hip_crease"), fit_grip(lengths, trial).hip_crease
        self.assertLess(tried.sigma, by_tape.sigma)

    def test_estimates_alone_never_prescribe(self):
        fit = fit_grip(make_lengths(1750.0))
        self.assertFalse(fit.measured)
        self.assertIn("trial", fit.warnings[0])

    def test_short_arms_are_said_not_to_reach(self):
        short = make_lengths(1750.0, CHECK | {"arm": 500.0})
        grip = snatch_grip(short, "hip_crease")
        self.assertFalse(grip.reaches)
        self.assertAlmostEqual(grip.grip, joint_width(short))

    def test_a_trial_that_cannot_be_is_refused(self):
        with self.assertRaisesRegex(GripError, "measure the bar's height again"):
            fit_grip(make_lengths(1750.0, CHECK), Trial(850.0, 300.0))

    def test_inches_are_recognised(self):
        with self.assertRaisesRegex(LengthError, "looks like inches"):
            make_lengths(1750.0, {"arm": 244.0})
        with self.assertRaisesRegex(LengthError, "arm is 180 cm"):
            make_lengths(1750.0, {"arm": 1800.0})

    def test_every_ratio_lies_in_its_own_bounds(self):
        lengths = make_lengths(1750.0)
        again = make_lengths(1750.0, lengths.value)
        self.assertEqual(set(again.value), set(RATIOS))
        self.assertEqual(again.estimated, ())

    def test_the_formula_by_hand(self):
        lengths = make_lengths(1750.0, CHECK)
        by_hand = 330.0 + 2 * sqrt(620.0**2 - 530.0**2 - 110.0**2)
        self.assertAlmostEqual(snatch_grip(lengths, "hip_crease").grip, by_hand, delta=0.01)


if __name__ == "__main__":
    unittest.main()
