"""The rim is found round a ring that is printed on the disc."""

import unittest
from types import SimpleNamespace

import cv2
import numpy as np

from keenkettle.film.outer import rim_round
from keenkettle.film.rim import Ring

R, PRINTED = 60.0, 42.0


class Film:
    """Frames with a disc at several heights before stripes; ``rim`` its grey, room 150."""

    info = SimpleNamespace(height=480, width=640)

    def __init__(self, rim, colour=128):
        self.rim, self.colour = rim, colour

    def planes(self, number):
        y, v = np.full((480, 640), 150, np.uint8), np.full((480, 640), 128, np.uint8)
        y[:, ::40] = 140
        at = (320 * 16, (380 - 50 * number) * 16)
        cv2.circle(y, at, round(R * 16), self.rim, -1, cv2.LINE_AA, 4)
        cv2.circle(v, at, round(R * 16), self.colour, -1, cv2.LINE_AA, 4)
        cv2.circle(y, at, round(PRINTED * 16), 240, 5, cv2.LINE_AA, 4)
        return y, np.full_like(y, 128), v


def seen():
    return [(n, Ring(320.0, 380.0 - 50.0 * n, PRINTED)) for n in range(6)]


class RimRoundTest(unittest.TestCase):
    def test_a_rim_in_grey_or_in_colour_only_is_found(self):
        for film in (Film(120), Film(150, colour=170)):
            self.assertAlmostEqual(rim_round(film, seen())[0], R / PRINTED, delta=0.05)

    def test_another_disc_of_the_rings_size_is_told_apart(self):
        film, elsewhere = Film(120), [(n, Ring(480.0, 200.0, PRINTED)) for n in range(6, 9)]
        found = rim_round(film, seen()[:3] + elsewhere)
        self.assertAlmostEqual(found[0], R / PRINTED, delta=0.05)
        self.assertEqual(found[1], [0, 1, 2])
        resting = [(n, seen()[0][1]) for n in range(3)]
        film.planes = lambda _n: Film.planes(film, 0)
        self.assertIsNone(rim_round(film, resting + elsewhere))

    def test_a_ring_with_nothing_round_it_is_the_rim(self):
        self.assertIsNone(rim_round(Film(150), seen()))
        self.assertIsNone(rim_round(Film(120), [(n, Ring(r.x, r.y, R)) for n, r in seen()]))

    def test_too_few_frames_tell_nothing(self):
        self.assertIsNone(rim_round(Film(120), seen()[:2]))


if __name__ == "__main__":
    unittest.main()
