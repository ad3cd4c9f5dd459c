"""Has a measure moved? Checked against counts done by hand and by brute force."""

import unittest
from datetime import date, timedelta
from itertools import permutations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from keenkettle.coach.progress import ENOUGH, Point, has_moved

SINCE = date(2026, 6, 1)


def points(before, after):
    """One clip every three days to both sides of SINCE."""
    old = [Point(SINCE - timedelta(days=3 * (i + 1)), v) for i, v in enumerate(before)]
    new = [Point(SINCE + timedelta(days=3 * (i + 1)), v) for i, v in enumerate(after)]
    return old + new


class MovedTest(unittest.TestCase):
    def test_a_clear_fall_is_a_yes_where_less_is_better(self):
        m = has_moved(points([13, 12, 14, 13], [4, 5, 3, 4]), SINCE, "less", "deg")
        self.assertEqual(m.answer, "yes")
        self.assertEqual((m.before, m.after, m.n_before, m.n_after), (13, 4, 4, 4))
        # all four new below all four old: the extreme of 70 ways; medians tie in a few more
        self.assertLess(m.chance, 0.1)
        self.assertIn("4 clips", m.says)

    def test_the_same_fall_is_a_no_where_more_is_better(self):
        m = has_moved(points([13, 12, 14, 13], [4, 5, 3, 4]), SINCE, "more", "deg")
        self.assertEqual(m.answer, "no")

    def test_few_clips_say_so_and_nothing_more(self):
        m = has_moved(points([13, 12], [4, 5, 3]), SINCE, "less", "deg")
        self.assertEqual(m.answer, "not yet")
        self.assertIsNone(m.chance)
        self.assertIn("2 before and 3 after", m.says)

    def test_a_small_change_in_few_clips_is_not_called_none(self):
        m = has_moved(points([13, 12, 14], [12, 13, 11]), SINCE, "less", "deg")
        self.assertEqual(m.answer, "not yet")
        self.assertIn("few clips", m.says)

    def test_the_day_itself_counts_before(self):
        m = has_moved([Point(SINCE, 9.0), *points([9, 9], [3, 3, 3])], SINCE, "less", "mm")
        self.assertEqual((m.n_before, m.n_after), (3, 3))
        self.assertIn("0.9 cm", m.says)

    def test_clips_of_long_ago_do_not_count(self):
        old = [Point(SINCE - timedelta(days=200 + i), 9.0) for i in range(5)]
        self.assertEqual(has_moved([*old, *points([], [3, 3, 3])], SINCE, "less", "mm").n_before, 0)

    @settings(max_examples=25, deadline=None)
    @given(
        st.lists(st.integers(0, 20), min_size=3, max_size=3),
        st.lists(st.integers(0, 20), min_size=3, max_size=3),
    )
    def test_the_chance_is_that_of_all_shuffles(self, old, new):
        m = has_moved(points(old, new), SINCE, "more", "deg")
        seen = np.median(new) - np.median(old)
        shuffles = [
            np.median(p[3:]) - np.median(p[:3]) >= seen - 1e-12 for p in permutations(old + new)
        ]
        self.assertAlmostEqual(m.chance, float(np.mean(shuffles)))

    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.floats(-50, 50), max_size=7), st.lists(st.floats(-50, 50), max_size=7))
    def test_never_a_yes_without_enough_or_in_the_wrong_direction(self, old, new):
        m = has_moved(points(old, new), SINCE, "less", "deg")
        if m.answer == "yes":
            self.assertGreaterEqual(min(m.n_before, m.n_after), ENOUGH)
            self.assertLess(m.after, m.before)
        self.assertTrue(m.says)
