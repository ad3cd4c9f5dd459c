"""Upright lines to a fraction of a pixel, and the camera's pitch by how they converge."""

import unittest

import numpy as np

from keenkettle.film.uprights import uprights
from keenkettle.film.view import Roll, roll_of

W, H = 640, 360


def posts(lean_deg, converge=0.0, places=(70, 190, 310, 450, 570), noise=0.0):
    """Dark posts that lean to the right by so much, and by ``converge`` degrees more a picture's
    width further right.
    """
    ys, xs = np.mgrid[:H, :W].astype(float)
    picture = np.full((H, W), 150.0)
    for x in places:
        lean = np.radians(lean_deg + converge * (x / W - 0.5))
        middle = x - (ys - (H - 1) / 2.0) * np.tan(lean)
        picture -= 80.0 * np.clip(6.0 - np.abs(xs - middle), 0.0, 1.0)
    picture += np.random.default_rng(3).normal(0.0, noise, picture.shape)
    return np.clip(picture, 0, 255).astype(np.uint8)


class UprightsTest(unittest.TestCase):
    def test_a_lean_of_less_than_a_pixel_over_a_line_is_read(self):
        for lean in (0.15, -0.4, 1.3):
            lines = uprights(posts(lean, noise=2.0))
            self.assertGreater(len(lines), 5)
            np.testing.assert_allclose(lines[:, 1], lean, atol=0.12)

    def test_where_they_stand_is_told_in_picture_widths(self):
        across = uprights(posts(0.0))[:, 0] * W + W / 2.0
        self.assertTrue(all(np.abs(x - [70, 190, 310, 450, 570]).min() < 8.0 for x in across))

    def test_level_and_slanting_edges_do_not_hide_them(self):
        picture = posts(0.3)
        picture[40::20] //= 2
        picture[np.abs(np.mgrid[:H, :W][1] - np.mgrid[:H, :W][0]) < 3] = 20
        lean = np.median(uprights(picture)[:, 1])
        self.assertAlmostEqual(lean, 0.3, delta=0.15)

    def test_a_soft_or_empty_picture_has_none(self):
        ramp = np.tile(np.linspace(60, 90, W).astype(np.uint8), (H, 1))
        self.assertEqual(len(uprights(ramp)), 0)

    def test_lines_that_converge_tell_the_pitch(self):
        # Seen by a lens of 600 pixels that looks upward by 6 degrees.
        grows = np.tan(np.radians(6.0)) / 600.0
        roll = roll_of([posts(0.5, -np.degrees(grows * W), noise=2.0)] * 2)
        told, sd = roll.grows(W)
        self.assertAlmostEqual(roll.deg, 0.5, delta=0.3)
        self.assertAlmostEqual(told, grows, delta=2.5 * sd)
        self.assertLess(sd, 0.25 * grows)

    def test_who_knows_no_uprights_knows_no_pitch(self):
        self.assertIsNone(Roll(0.0, 1.5).grows(W))
