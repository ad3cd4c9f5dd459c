"""Grouping: never worse than trying everything."""

import unittest
from itertools import product

import numpy as np

from keenkettle.coach.grouping import (
    SETUP_MIN,
    GroupingError,
    Place,
    group,
    minutes_of,
    setups_needed,
)


def tried(people, platforms):
    """Shortest longest platform over every assignment."""
    best = float("inf")
    for ks in product(range(platforms), repeat=len(people)):
        groups = [[p for p, k in zip(people, ks, strict=True) if k == n] for n in range(platforms)]
        best = min(best, max(minutes_of(g) for g in groups))
    return best


class GroupingTest(unittest.TestCase):
    def test_no_worse_than_trying_everything(self):
        rng = np.random.default_rng(5)
        for _ in range(12):
            people = [
                Place(str(i), str(rng.choice(["barbell", "dumbbell"])),
                      str(rng.choice(["floor", "above-knee"])), float(rng.integers(8, 24) * 5),
                      float(rng.integers(6, 16)))
                for i in range(int(rng.integers(3, 8)))
            ]  # fmt: skip
            self.assertAlmostEqual(group(people, 2).longest_min, tried(people, 2), places=6)

    def test_everybody_is_somewhere_once(self):
        loads = [40.0 + 7 * (i % 9) for i in range(30)]
        people = [Place(str(i), "barbell", "floor", kg) for i, kg in enumerate(loads)]
        made = group(people, 3)
        self.assertEqual(
            sorted(w for g in made.platforms for w in g), sorted(p.who for p in people)
        )

    def test_setups_by_ten_kilograms(self):
        people = [Place(str(k), "barbell", "floor", k) for k in (50.0, 60.0, 61.0, 75.0)]
        self.assertEqual(setups_needed(people), 3)
        self.assertEqual(minutes_of(people[:2]), 24.0 + SETUP_MIN)

    def test_wrong_questions(self):
        with self.assertRaisesRegex(GroupingError, "no platform"):
            group([], 0)
        twice = [Place("a", "barbell", "floor", 50.0)] * 2
        with self.assertRaisesRegex(GroupingError, "twice"):
            group(twice, 2)
        self.assertEqual(group([], 2).longest_min, 0.0)


if __name__ == "__main__":
    unittest.main()
