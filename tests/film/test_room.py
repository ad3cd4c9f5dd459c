"""A room found again on another picture: textured, with level edges alone, with somebody in it."""

import unittest

import cv2
import numpy as np

from keenkettle.film.room import Room

SIZE = (480, 270)
ALL = np.ones(SIZE[0], bool)


def moved(picture, x, y):
    move = np.array([[1.0, 0.0, x], [0.0, 1.0, y]])
    return cv2.warpAffine(picture, move, SIZE, borderMode=cv2.BORDER_REPLICATE)


def wall():
    rng = np.random.default_rng(3)
    picture = np.full(SIZE[::-1], 120, np.uint8)
    for _ in range(60):
        x, y, w, h = (int(v) for v in rng.integers((0, 0, 10, 8), (440, 240, 50, 30)))
        cv2.rectangle(picture, (x, y), (x + w, y + h), int(rng.integers(60, 200)), -1)
    return cv2.GaussianBlur(picture, (0, 0), 1.5)


class RoomTest(unittest.TestCase):
    def test_a_shift_is_told_to_a_small_part_of_a_pixel_in_noise_and_other_light(self):
        rng = np.random.default_rng(4)
        for shift in ((0.3, -0.2), (3.4, 2.1), (-5.0, 1.0)):
            later = 0.8 * moved(wall(), *shift) + rng.normal(12.0, 2.0, SIZE[::-1])
            found = Room(wall(), ALL).shift_on(np.clip(later, 0, 255).astype(np.uint8), np.zeros(2))
            np.testing.assert_allclose(found, shift, atol=0.06)

    def test_a_level_edge_tells_of_up_and_down_alone(self):
        floor = np.full(SIZE[::-1], 150, np.uint8)
        floor[200:] = 90
        floor[60:70] = 110
        floor = cv2.GaussianBlur(floor, (0, 0), 1.5)
        found = Room(floor, ALL).shift_on(moved(floor, 2.0, 1.5), np.zeros(2))
        self.assertTrue(np.isnan(found[0]))
        self.assertAlmostEqual(float(found[1]), 1.5, delta=0.05)

    def test_somebody_who_walks_past_does_not_count(self):
        later = moved(wall(), 1.2, 0.7)
        cv2.rectangle(later, (60, 40), (200, 269), 30, -1)
        found = Room(wall(), ALL).shift_on(later, np.zeros(2))
        np.testing.assert_allclose(found, (1.2, 0.7), atol=0.05)

    def test_another_scene_and_a_bare_one_tell_nothing(self):
        self.assertIsNone(Room(wall(), ALL).shift_on(wall()[::-1, ::-1].copy(), np.zeros(2)))
        self.assertTrue(Room(np.full(SIZE[::-1], 128, np.uint8), ALL).bare)

    def test_a_picture_full_of_edges_is_no_error(self):
        stripes = np.full(SIZE[::-1], 110, np.uint8)
        stripes[:125] = np.tile(np.array([60, 60, 160, 160], np.uint8), (125, SIZE[0] // 4))
        found = Room(stripes, ALL).shift_on(stripes, np.zeros(2))
        self.assertAlmostEqual(float(found[0]), 0.0, delta=0.02)

    def test_edges_of_the_athlete_alone_are_no_room(self):
        athlete = np.full(SIZE[::-1], 128, np.uint8)
        cv2.circle(athlete, (200, 130), 60, 40, 6)
        self.assertTrue(Room(athlete, ALL).bare)
        self.assertTrue(Room(wall(), np.abs(np.arange(SIZE[0]) - 240) < 60).bare)


if __name__ == "__main__":
    unittest.main()
