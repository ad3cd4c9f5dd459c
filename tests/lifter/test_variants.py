"""Schools' ways of showing a lift: stops and starts."""

import unittest

import numpy as np

from keenkettle.coach.lifts import find_lift
from keenkettle.lifter.body import body_from_stature
from keenkettle.lifter.demonstrate import angles_at, demonstrate
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


class MannerTest(unittest.TestCase):
    def made(self, words, lift="power-clean"):
        (v,) = [v for v in variants_of(shown(lift)) if words in v.words]
        return show_variant(v, BODY)

    def toe_rise(self, made):
        return float(np.ptp(made.joints["toe"][:, 1]))

    def test_planted_feet_stay_and_light_loads_leave_the_ground(self):
        plain = demonstrate(shown("power-clean"), BODY)
        planted, light = self.made("planted"), self.made("leave the ground")
        self.assertLess(self.toe_rise(planted), 6.0)
        self.assertGreater(self.toe_rise(light), self.toe_rise(plain) + 50.0)
        ankle = planted.joints["ankle"][:, 0]
        self.assertLess(abs(float(ankle[-1] - ankle[0])), 2.0)

    def test_knees_straighten_further_before_they_are_bent_again(self):
        def longest(made):
            until = round(next(s.t_s for s in made.stops if s.name == "power position") * 100)
            angles = [
                angles_at({n: xy[:until] for n, xy in made.joints.items()}, i)["knee"]
                for i in range(until)
            ]
            return max(angles)

        plain = demonstrate(shown("power-clean"), BODY)
        self.assertGreater(longest(self.made("on purpose")), longest(plain) + 8.0)

    def test_getting_set_ends_in_the_set_with_the_hands_on_the_bar(self):
        plain = demonstrate(shown("power-clean"), BODY)
        for words, above in (("squatting down", -1), ("lifting the hips", 1)):
            made = self.made(words)
            n = len(made.t_s) - len(plain.t_s)
            hip = made.joints["hip"][:, 1]
            self.assertGreater(above * (hip[0] - hip[n]), 40.0, words)
            self.assertLess(float(np.abs(np.diff(hip[: n + 2])).max()), 8.0)
            for name, xy in made.joints.items():
                np.testing.assert_allclose(xy[n - 1], plain.joints[name][0], atol=3.0)
            arm = np.linalg.norm(made.joints["shoulder"] - made.hand, axis=1)[:n]
            self.assertLess(float(np.ptp(arm)), 12.0, words)
            legs = np.linalg.norm(made.joints["hip"] - made.joints["knee"], axis=1)[:n]
            self.assertLess(float(np.ptp(legs)), 1.0)

    def test_other_schools_of_jerk_and_high_pull(self):
        jerks = variants_of(shown("split-jerk"))
        self.assertEqual([v.shown.ends for v in jerks], ["split-catch", "power-catch"])
        self.assertIn("ankle_rear", show_variant(jerks[0], BODY).joints)
        self.assertNotIn("ankle_rear", show_variant(jerks[1], BODY).joints)
        pulls = [v for v in variants_of(shown("high-pull")) if "long arms" in v.words]
        self.assertEqual(len(pulls), 1)
        self.assertEqual(pulls[0].shown.ends, "pull")
