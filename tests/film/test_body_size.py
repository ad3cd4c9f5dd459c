"""Whether a body and the disc beside it can belong together."""

import unittest

import numpy as np

from keenkettle.film.body_size import body_in_discs, size_by
from keenkettle.film.footage import Footage, Look
from keenkettle.film.pose_net import SIDES
from keenkettle.measure.segments import SEGMENT_SHARE

MM = 0.25


def seen(stature_mm: float, known_mm: float | None = 1750.0, frames: int = 20):
    """Size of a body that stands upright behind the disc, as tall as said."""
    film = Footage(
        np.arange(frames) / 60.0, 60.0, np.zeros((frames, 2)), np.array([320.0, 240.0]), MM,
        "right", known_mm,
    )  # fmt: skip
    xy = np.full((frames, 33, 2), np.nan)
    y = 600.0
    for name, below in (("ankle", None), ("knee", "ankle"), ("hip", "knee"), ("shoulder", "hip")):
        if below:
            y -= SEGMENT_SHARE[below, name] * stature_mm * MM * film.depth_share
        xy[:, SIDES["right"][name]] = (300.0, y)
    found = body_in_discs(Look(np.arange(frames), xy, np.ones((frames, 33)), []), film)
    return None if found is None else size_by(found, 450.0, known_mm)


class BodySizeTest(unittest.TestCase):
    def test_a_body_of_its_own_stature_fits(self):
        for stature in (1650.0, 1750.0, 1850.0):
            size = seen(stature)
            self.assertAlmostEqual(size.seen_mm, stature, delta=5.0)
            self.assertFalse(size.unlike)

    def test_a_smaller_disc_makes_it_taller_and_asks_for_the_diameter(self):
        size = seen(1750.0 * 450.0 / 350.0)
        self.assertTrue(size.unlike)
        self.assertFalse(size.impossible)
        self.assertIn("1.29 times as tall as 175 cm: if it is not 450 mm wide", size.says(450.0))

    def test_somebody_further_away_looks_smaller(self):
        size = seen(1330.0)
        self.assertTrue(size.unlike)
        self.assertIn("somebody further away", size.says(450.0))

    def test_without_a_known_stature_people_differ(self):
        self.assertFalse(seen(2000.0, None).unlike)
        self.assertFalse(seen(1500.0, None).unlike)
        size = seen(2300.0, None)
        self.assertTrue(size.unlike)
        self.assertIn("people mostly are", size.says(450.0))

    def test_a_giant_has_another_disc(self):
        self.assertTrue(seen(6800.0, None).impossible)

    def test_too_little_seen_says_nothing(self):
        self.assertIsNone(seen(1750.0, frames=6))


if __name__ == "__main__":
    unittest.main()
