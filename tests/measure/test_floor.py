"""How high the bar is, by the feet."""

import unittest

import numpy as np

from keenkettle.lifter.drawn import simulate
from keenkettle.lifter.recipe import Shown
from keenkettle.lifter.truth import exact_motion
from keenkettle.measure.floor import bar_above_floor_mm
from keenkettle.measure.motion import Motion


class FloorTest(unittest.TestCase):
    def test_the_feet_tell_how_high_the_bar_is(self):
        for start in ("floor", "above-knee"):
            axes = Shown("clean", "barbell", start, "power-catch")
            sim = simulate("power-clean", axes, 1750.0)
            above = bar_above_floor_mm(exact_motion(sim), 5)
            self.assertAlmostEqual(above, float(sim.bar[5, 1]), delta=15.0)

    def test_without_feet_nobody_knows(self):
        bar = np.zeros((20, 2))
        self.assertIsNone(bar_above_floor_mm(Motion(np.arange(20) / 60, bar, bar, bar), 10))
