"""A disc's way by its print, and its rim where an open shutter smears it."""

import unittest

import cv2
import numpy as np

from keenkettle.film.disc_face import make_template
from keenkettle.film.face_flow import face_moved
from keenkettle.film.follower import DiscFollower
from keenkettle.film.rim import Ring, fit_rim
from keenkettle.film.thick import Outlines

R, FINE = 44.0, 4


def printed(x, y, turn=0.0, smear=0.0, clothes=None):
    """A black disc with white words before a light wall, smeared upward over ``smear`` pixels.

    ``clothes``: left edge of something dark that hangs behind it, on rows 40 to 140.
    """
    light = np.zeros((240, 320))
    steps = (np.arange(9) - 4.0) / 9.0 * smear if smear else np.zeros(1)
    for step in steps:
        big = np.full((240 * FINE, 320 * FINE), 190, np.uint8)
        if clothes is not None:
            left = int(clothes * FINE)
            cv2.rectangle(big, (left, 40 * FINE), (left + 50 * FINE, 140 * FINE), 38, -1)
        at = ((x + 0.5) * FINE - 0.5, (y + step + 0.5) * FINE - 0.5)
        cv2.circle(big, tuple(round(v) for v in at), round(R * FINE), 30, -1)
        for k in range(12):
            a = turn + k * 0.22 + (np.pi if k > 5 else 0.0)
            spot = (round(at[j] + 0.66 * R * FINE * f(a)) for j, f in ((0, np.cos), (1, np.sin)))
            cv2.circle(big, tuple(spot), 2 * FINE + k % 3, 220, -1)
        small = cv2.resize(big, (320, 240), interpolation=cv2.INTER_AREA).astype(float)
        light += (small / 255.0) ** 2.2 / len(steps)
    noise = np.random.default_rng(int(10 * y)).normal(0, 2.0, light.shape)
    return np.clip(255.0 * light ** (1 / 2.2) + noise, 0, 255).astype(np.uint8)


class FaceTest(unittest.TestCase):
    def test_print_tells_the_way_while_the_disc_turns(self):
        before, after = printed(150.0, 150.0), printed(152.0, 139.5, turn=0.05)
        moved = face_moved(before, after, Ring(150.0, 150.0, R), np.array([150.0, 142.0]))
        np.testing.assert_allclose(moved, [152.0, 139.5], atol=0.3)

    def test_a_bare_face_tells_nothing(self):
        bare = np.full((240, 320), 60, np.uint8)
        self.assertIsNone(face_moved(bare, bare, Ring(150.0, 150.0, R), np.array([150.0, 149.0])))

    def test_a_smeared_rim_is_found_from_a_guess_that_lags(self):
        gray = printed(150.0, 120.0, smear=11.0)
        guess = Ring(150.0, 122.5, R)
        sharp, smeared = (fit_rim(gray, guess, 6.0, travel=t) for t in (None, (0.0, -11.0)))
        self.assertLess(abs(smeared.ring.y - 120.0), 0.4)
        self.assertGreater(abs(sharp.ring.y - 120.0), 1.0)

    def test_a_fast_disc_is_followed_past_clothes_of_its_own_grey(self):
        speed = np.concatenate([np.linspace(0.0, 11.0, 10), np.full(6, 11.0)])
        ys = 193.0 - np.cumsum(speed)
        film = [printed(150.0, y, 0.03 * n, speed[n], 85.0) for n, y in enumerate(ys)]
        ring = Ring(150.0, float(ys[0]), R)
        f = DiscFollower(ring, make_template(film[0], ring), Outlines(ring))
        for gray in film:
            f.step(gray, gray)
        off = np.hypot(*(np.array(f.xy) - np.column_stack([np.full(len(ys), 150.0), ys])).T)
        self.assertLess(float(off.max()), 1.0)


if __name__ == "__main__":
    unittest.main()
