"""Somebody who walks past before the athlete is told by feet below the athlete's."""

import unittest

import numpy as np

from keenkettle.film.footage import Look
from keenkettle.film.passing import PassWatch
from keenkettle.film.pose_net import SIDES

FRAMES, FPS, BODY_PX = 90, 30.0, 300.0
BAR, HIP_X, FEET_Y = (300.0, 240.0), 360.0, 330.0
FLOOR = (80, 90, 110)


def looked(count=FRAMES):
    xy = np.zeros((count, 33, 2))
    for side in SIDES.values():
        xy[:, side["hip"]] = HIP_X, 180.0
        xy[:, [side["heel"], side["toe"]]] = HIP_X, FEET_Y
    return Look(np.arange(count), xy, np.ones((count, 33)), [])


def filmed(feet_y, step_px=8.0, shape=(400, 640), grain=9):
    """Pictures of a floor with a pair of legs that end on a row and go to the right."""
    rng = np.random.default_rng(5)
    for n in range(FRAMES):
        picture = np.full((*shape, 3), FLOOR, np.uint8)
        middle = round(20 + step_px * n)
        spread = round(25 * abs(np.sin(n / 4.0)))
        for x in (middle - spread, middle + spread):
            picture[100:feet_y, max(x - 8, 0) : max(x + 8, 0)] = 30
        yield n, picture + rng.integers(0, 2 * grain, picture.shape, dtype=np.uint8)


def hidden(pictures, look=None, drift=None):
    bar = np.tile(BAR, (FRAMES, 1))
    watch = PassWatch((640, 400), bar, 80.0)
    for n, picture in pictures:
        watch.add(n, picture)
    drift = np.zeros((FRAMES, 2)) if drift is None else drift
    return np.flatnonzero(watch.hidden(look or looked(), BODY_PX, FPS, drift))


class PassingTest(unittest.TestCase):
    def test_who_walks_past_in_front_hides_the_athlete_while_before_them(self):
        frames = hidden(filmed(feet_y=370))
        middle = 20 + 8.0 * frames
        # A body is 0.16 of its height to each side; hip and bar and a tenth beside them count.
        self.assertAlmostEqual(middle[0], BAR[0] - 30 - 48, delta=16)
        self.assertAlmostEqual(middle[-1], HIP_X + 30 + 48, delta=16)
        self.assertTrue((np.diff(frames) == 1).all())

    def test_who_walks_behind_or_stands_in_front_hides_nobody(self):
        self.assertEqual(len(hidden(filmed(feet_y=315))), 0)
        self.assertEqual(len(hidden(filmed(feet_y=370, step_px=0.5))), 0)

    def test_a_hand_that_sways_is_nobody_who_walks(self):
        sway = np.stack([12.0 * np.sin(np.arange(FRAMES) / 6.0), np.zeros(FRAMES)], -1).round()
        floor = np.full((400, 640, 3), FLOOR, np.uint8)
        floor[:, ::40] = 160
        moved = ((n, np.roll(floor, int(x), axis=1)) for n, (x, _) in enumerate(sway))
        self.assertEqual(len(hidden(moved, drift=sway)), 0)

    def test_without_floor_in_the_picture_nothing_is_told(self):
        short = ((n, p[:334]) for n, p in filmed(feet_y=370))
        bar = np.tile(BAR, (FRAMES, 1))
        watch = PassWatch((640, 334), bar, 80.0)
        for n, picture in short:
            watch.add(n, picture)
        told = watch.hidden(looked(), BODY_PX, FPS, np.zeros((FRAMES, 2)))
        self.assertFalse(told.any())
