"""Schools' ways of showing a lift: stops and starts."""

import unittest

import numpy as np

from keenkettle.coach.lifts import find_lift
from keenkettle.lifter.body import body_from_stature
from keenkettle.lifter.demonstrate import demonstrate
from keenkettle.lifter.recipe import Shown
from keenkettle.lifter.variants import STOP_S, show_variant, stand_still, variants_of

BODY = body_from_stature(1780.0)


def shown(lift_id):
    x = find_lift(lift_id)
    return Shown(x.family, x.implement, x.start, x.ends, x.pre)


class VariantTest(unittest.TestCase):
    def test_a_floor_lift_has_stops_and_starts_from_the_top_down(self):
        words = [v.words for v in variants_of(shown("power-clean"))]
        self.assertEqual(words[0], "as it is written")
        self.assertTrue(any("stops" in w for w in words))
        self.assertEqual(sum("top down" in w for w in words), 4)

    def test_what_is_drawn_has_only_itself(self):
        self.assertEqual(len(variants_of(shown("push-press"))), 1)

    def test_stops_last_and_shift_what_comes_after(self):
        plain = demonstrate(shown("power-clean"), BODY)
        variant = variants_of(shown("power-clean"))[1]
        made = show_variant(variant, BODY)
        self.assertAlmostEqual(made.t_s[-1] - plain.t_s[-1], 2 * STOP_S, delta=0.02)
        before = {s.name: s.t_s for s in plain.stops}
        after = {s.name: s.t_s for s in made.stops}
        self.assertEqual(after["bar at the knee"], before["bar at the knee"])
        self.assertAlmostEqual(after["power position"], before["power position"] + STOP_S)
        self.assertAlmostEqual(after["extension"], before["extension"] + 2 * STOP_S)
        i = round((before["bar at the knee"] + 0.5) * 100)
        np.testing.assert_array_equal(made.hand[i], made.hand[i + 20])

    def test_no_stop_leaves_it_alone(self):
        plain = demonstrate(shown("power-clean"), BODY)
        self.assertIs(stand_still(plain, ()), plain)

    def test_each_start_begins_at_its_own_height(self):
        heights = []
        for v in variants_of(shown("power-clean")):
            if "top down" in v.words:
                made = show_variant(v, BODY)
                heights.append(float(made.hand[0, 1]))
        self.assertEqual(heights, sorted(heights, reverse=True))
