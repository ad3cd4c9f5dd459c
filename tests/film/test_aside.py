"""The face of a thick disc seen from aside, by its outline and the far disc."""

import unittest

import numpy as np

from keenkettle.film.aside import face_of, horizon_of
from keenkettle.film.far_disc import BETWEEN_MM, FarDisc
from keenkettle.film.rim import Ring
from keenkettle.film.thick import Outlines

R, YAW, SIZE = 65.0, np.radians(35.0), 0.8  # of the face, pixels; from 5.5 m


def far(yaw=YAW):
    """The far disc on a picture that shows the near face with a radius of R pixels."""
    return FarDisc(float(np.sin(yaw)) * SIZE * BETWEEN_MM * R / 225.0, SIZE, 1.0, 0.01)


def outline(depth_mm, yaw=YAW):
    """The ellipse of the least squares about a face and a back so far behind it, and how far the
    outline's middle lies from the face's.
    """
    apart = depth_mm / 225.0 * abs(float(np.sin(yaw))) / 2.0
    c, th = float(np.cos(yaw)), np.linspace(0.0, 2.0 * np.pi, 720, endpoint=False)
    aspect, r = c + apart, 1.0
    for _ in range(8):
        x, y = np.abs(aspect * np.cos(th)), np.sin(th)
        a, b = (x / c) ** 2 + y * y, x * apart / c**2
        side = (b + np.sqrt(b * b - a * ((apart / c) ** 2 - 1.0))) / a
        flat = 1.0 / np.maximum(np.abs(y), 1e-9)
        off = np.where(x * flat <= apart, flat, side) - r
        design = np.stack([np.ones_like(th), np.cos(2.0 * th)], -1)
        k0, k1 = np.linalg.lstsq(design, off, rcond=None)[0]
        r, aspect = r + k0 - k1, aspect * (r + k0 + k1) / (r + k0 - k1)
    return Ring(600.0, 400.0, r * R, aspect), apart * R


class FaceTest(unittest.TestCase):
    def test_size_and_place_of_a_thick_disc_s_face(self):
        for depth, yaw in ((60.0, YAW), (120.0, np.radians(25.0)), (60.0, -np.radians(42.0))):
            seen, apart = outline(depth, yaw)
            face = face_of(seen, far(yaw), np.array([[600.0, 400.0]]), 400.0)
            self.assertGreater(seen.r, 1.009 * R)
            self.assertAlmostEqual(face.ring.r, R, delta=0.004 * R)
            self.assertAlmostEqual(face.ring.aspect, np.cos(yaw), delta=0.01)
            toward_far = np.sign(yaw) * face.shift_px[0, 0]
            self.assertAlmostEqual(toward_far, -apart, delta=0.12 * apart)

    def test_below_the_horizon_the_face_is_below_the_outline_s_middle(self):
        seen, _ = outline(90.0)
        bar = np.array([[600.0, 600.0], [600.0, 300.0], [600.0, 100.0]])
        down = face_of(seen, far(), bar, 300.0).shift_px[:, 1]
        self.assertAlmostEqual(down[0], 0.5 * 90.0 / 5500.0 * 300.0, delta=0.5)
        self.assertEqual(down[1], 0.0)
        self.assertLess(down[2], 0.0)

    def test_a_disc_without_depth_is_its_own_face(self):
        plain = Ring(600.0, 400.0, R, float(np.cos(YAW)) - 0.002)
        face = face_of(plain, far(), np.zeros((2, 2)), 300.0)
        self.assertEqual(face.ring.r, R)
        self.assertFalse(face.shift_px.any())


class HorizonTest(unittest.TestCase):
    def test_it_is_where_the_outline_does_not_lean(self):
        shown = Outlines(Ring(600.0, 400.0, R, 0.85))
        rng = np.random.default_rng(4)
        for y in np.linspace(250.0, 620.0, 60):
            lean = -4e-4 * (float(y) - 372.0) + float(rng.normal(0.0, 0.004))
            shown.learn(Ring(600.0, float(y), R, 0.85, lean))
        self.assertAlmostEqual(horizon_of(shown), 372.0, delta=12.0)

    def test_a_disc_that_nowhere_leans_tells_none(self):
        shown = Outlines(Ring(600.0, 400.0, R))
        for y in np.linspace(250.0, 620.0, 60):
            shown.learn(Ring(600.0, float(y), R))
        self.assertIsNone(horizon_of(shown))


if __name__ == "__main__":
    unittest.main()
