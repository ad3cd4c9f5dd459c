"""Left hand against right over the reps of a set."""

import unittest

from keenkettle.coach.hands import hand_of, side_difference
from keenkettle.coach.judge import Reference, judge
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.reviewed import Filmed
from keenkettle.measure.calibration import CalibrationError
from keenkettle.measure.sheet import UNITS, Measure


def rep(speed, height, sigma=0.01):
    return {
        "bar_peak_velocity": Measure(speed, sigma, "m/s", 10),
        "bar_peak_height": Measure(height, 1000 * sigma, "mm", 12),
    }


class HandsTest(unittest.TestCase):
    def test_a_pattern_goes_on_as_it_began(self):
        self.assertEqual("".join(hand_of("LR", n) for n in range(1, 6)), "LRLRL")
        self.assertEqual(hand_of("", 3), "")

    def test_the_larger_difference_counts_with_its_error(self):
        reps = [rep(2.0, 800), rep(2.04, 806), rep(1.8, 790), rep(1.76, 802)]
        found = side_difference(reps, "LLRR")
        self.assertAlmostEqual(found.value, 0.24 / 1.9, places=3)
        self.assertGreater(found.sigma, 0.0)
        self.assertLess(found.sigma, 0.03)
        even = side_difference(reps, "LR")
        self.assertLess(even.value, 0.02)

    def test_too_few_reps_with_a_hand_tell_nothing(self):
        reps = [rep(2.0, 800), rep(2.0, 800), rep(1.8, 790)]
        for hands in ("LLR", "L", ""):
            found = side_difference(reps, hands)
            self.assertIsNone(found.value)
            self.assertIn("each hand", found.why)

    def test_the_fault_is_judged_by_it(self):
        lift = next(x for x in all_lifts().values() if x.implement == "kettlebell"
                    and x.family in ("clean", "snatch"))  # fmt: skip
        for share, severity in ((0.04, None), (0.11, "note"), (0.2, "fix")):
            measures = {n: Measure(None, 0.0, u, None, "needs marks") for n, u in UNITS.items()}
            measures["side_difference"] = Measure(share, 0.01, "1", 10)
            found = judge(lift, measures, {}, Reference()).findings
            of = {f.fault: f.severity for f in found}
            self.assertEqual(of.get("left-right-difference"), severity)

    def test_other_letters_are_refused(self):
        with self.assertRaisesRegex(CalibrationError, "LLRR"):
            Filmed(hands="LX")


if __name__ == "__main__":
    unittest.main()
