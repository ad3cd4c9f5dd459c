"""A disc is painted over with what is round it."""

import unittest

import cv2
import numpy as np

from keenkettle.film.no_disc import hide_disc


def leg_behind(x=100, y=80, radius=30):
    """A red post on grey, and a black disc before it."""
    picture = np.full((160, 200, 3), 120, np.uint8)
    picture[:, 90:111] = (200, 40, 40)
    bare = picture.copy()
    cv2.circle(picture, (x, y), radius, (10, 10, 10), -1)
    return picture, bare


def hidden(picture, x, y, radius):
    """A copy with a disc painted over."""
    got = picture.copy()
    hide_disc(got, x, y, radius)
    return got


class HideDiscTest(unittest.TestCase):
    def test_a_limb_goes_on_where_it_was_hidden(self):
        picture, bare = leg_behind()
        got = hidden(picture, 100.0, 80.0, 30.0)
        self.assertEqual(int((got.max(axis=2) < 40).sum()), 0)
        for y in (58, 102):  # the post, near the rim
            self.assertLess(np.abs(got[y, 100].astype(int) - bare[y, 100]).max(), 60)
        for x in (76, 124):  # the wall beside it
            self.assertLess(np.abs(got[80, x].astype(int) - bare[80, x]).max(), 40)

    def test_nothing_else_is_changed(self):
        picture, _ = leg_behind()
        got = hidden(picture, 100.0, 80.0, 30.0)
        y, x = np.mgrid[0:160, 0:200]
        away = np.hypot(x - 100, y - 80) > 32
        self.assertTrue(np.array_equal(got[away], picture[away]))

    def test_a_disc_at_the_edge_or_nowhere_is_no_error(self):
        picture, _ = leg_behind()
        corner = hidden(picture, 2.0, 158.0, 30.0)
        self.assertTrue(np.array_equal(corner[:100], picture[:100]))
        for x in (-90.0, np.nan):
            self.assertTrue(np.array_equal(hidden(picture, x, 80.0, 30.0), picture))


if __name__ == "__main__":
    unittest.main()
