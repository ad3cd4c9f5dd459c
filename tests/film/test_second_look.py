"""Bodies that cannot be, and how they are read anew."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from types import SimpleNamespace

import cv2
import numpy as np

from keenkettle.film.footage import Look
from keenkettle.film.pose_net import SIDES, Crop, Landmarks
from keenkettle.film.second_look import ODD, Doubt, _Again, _backward, _reduced, _runs, limbs_of

BODY_PX, BAR = 400.0, (200.0, 330.0)
SET = {
    "ear": (232, 128), "shoulder": (210, 160), "elbow": (205, 215), "wrist": (200, 270),
    "hip": (128, 240), "knee": (205, 262), "ankle": (175, 345), "heel": (160, 355),
    "toe": (205, 357),
}  # fmt: skip
OVER = {**SET, "hip": (310, 330), "knee": (130, 300), "ear": (190, 300), "shoulder": (205, 298)}


def body(places):
    """Landmarks (33, 2) with both sides alike."""
    xy = np.zeros((33, 2))
    for name, place in places.items():
        for side in SIDES.values():
            xy[side[name]] = place
    return xy


def landmarks(places, presence=1.0):
    crop = Crop(150.0, 240.0, 500.0, 1.0)
    return Landmarks(
        body(places), np.ones(33), presence, crop,
        np.zeros((256, 256), np.float32), np.eye(2, 3),
    )  # fmt: skip


def looked(*bodies):
    count = len(bodies)
    crops = [Crop(0.0, 0.0, 400.0, 0.0)] * count
    xy = np.array([body(b) for b in bodies])
    return Look(np.arange(count), xy, np.ones((count, 33)), [None] * count, crops=crops)


class ReducedTest(unittest.TestCase):
    def test_a_reduced_picture_shows_what_it_showed_where_it_was(self):
        y, x = np.mgrid[0:363, 0:641]
        spots = [(120.0, 80.0), (500.0, 300.0)]
        light = sum(np.exp(-((x - a) ** 2 + (y - b) ** 2) / 200.0) for a, b in spots)
        rgb = np.repeat((200.0 * light).astype(np.uint8)[..., None], 3, axis=2)
        for scale in (0.29, 0.5, 0.8):
            small = _reduced(rgb, scale)
            self.assertEqual(small.shape, (round(363 * scale), round(641 * scale), 3))
            even = cv2.resize(rgb, small.shape[1::-1], interpolation=cv2.INTER_AREA)
            self.assertLess(np.abs(small.astype(int) - even.astype(int)).max(), 12, scale)


class Picture:
    """One that reads right by a crop that is turned, and turned over by others."""

    def __init__(self, k):
        self.k, self.bar_xy, self.asked = k, BAR, []

    def read(self, _net, crop):
        self.asked.append(crop)
        return landmarks(SET if crop.turn > 0.5 else OVER)

    def begin(self, _net, _body_px):
        yield Crop(200.0, 300.0, 500.0, 0.0)


class SecondLookTest(unittest.TestCase):
    doubt = Doubt("right", 105.0, BODY_PX)

    def again(self, *bodies):
        return _Again(looked(*bodies), self.doubt, np.tile(BAR, (len(bodies), 1)))

    def test_a_body_turned_over_is_doubted_and_one_in_the_set_is_not(self):
        self.assertEqual(self.again(SET, OVER, SET).doubtful.tolist(), [False, True, False])

    def test_a_thigh_that_is_far_too_short_for_its_trunk_is_odd(self):
        limbs = limbs_of(np.array([body(SET)] * 5), "right", BODY_PX)
        stretched = {**SET, "hip": (195, 300), "knee": (205, 310)}
        self.assertLess(limbs.off(body(SET)[None], "right")[0], 1.0)
        self.assertGreater(limbs.off(body(stretched)[None], "right")[0], ODD)

    def test_runs_go_back_from_where_it_was_right_for_a_while(self):
        bad = np.zeros(40, bool)
        bad[[3, 4, 9]] = True
        self.assertEqual(list(_runs(bad)), [(3, 17)])
        bad[36] = True
        self.assertEqual(list(_runs(bad)), [(3, 17), (36, 39)])
        self.assertEqual(list(_runs(np.ones(5, bool))), [])

    def test_a_lost_body_is_found_by_a_crop_turned_as_its_trunk_is(self):
        again = self.again(OVER, OVER, SET)
        pictures = [Picture(k) for k in range(3)]
        nets = SimpleNamespace(), SimpleNamespace()
        with ThreadPoolExecutor(2) as pool:
            on = _backward(nets, pool, pictures, None, again)
        self.assertFalse(again.doubtful.any())
        self.assertIsNotNone(on)
        np.testing.assert_allclose(again.xy[0], body(SET))
        self.assertGreater(pictures[2].asked[1].turn, 0.5)

    def test_a_worse_reading_is_not_kept(self):
        again = self.again(SET, SET)
        self.assertFalse(again.take(0, landmarks(OVER)))
        self.assertFalse(again.take(1, landmarks(SET, presence=0.1)))
        np.testing.assert_allclose(again.xy[0], body(SET))


if __name__ == "__main__":
    unittest.main()
