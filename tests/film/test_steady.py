"""A camera held by hand: its motion is read off the room and taken out of the bar's path."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from keenkettle.film.steady import SteadyWatch
from keenkettle.measure.calibration import from_disc
from keenkettle.measure.motion import BarTrack, JointTrack, make_motion

N, FPS = 90, 30.0


def room():
    """A wall with posters, larger than the picture."""
    rng = np.random.default_rng(5)
    wall = np.full((440, 760), 150, np.uint8)
    for _ in range(120):
        x, y, w, h = (int(v) for v in rng.integers((0, 0, 10, 8), (720, 410, 60, 40)))
        cv2.rectangle(wall, (x, y), (x + w, y + h), int(rng.integers(60, 220)), -1)
    return cv2.GaussianBlur(wall, (0, 0), 1.0)


def shaken(size):
    t = np.arange(N) / FPS
    return size * np.stack([np.sin(5.0 * t) + 0.3 * np.sin(14.0 * t), 0.7 * np.sin(4.0 * t)], -1)


def pictures(shift, lifts=True):
    """The room as it is seen, and a large disc that rises before it."""
    wall = room()
    for n, (x, y) in enumerate(shift):
        move = np.array([[1.0, 0.0, x - 60.0], [0.0, 1.0, y - 40.0]])
        picture = cv2.warpAffine(wall, move, (640, 360))
        if lifts:
            at = (round(300 + x), round(300 - 2.4 * n + y))
            cv2.circle(picture, at, 70, 30, -1)
            cv2.circle(picture, at, 40, 200, 3)
        yield n, picture, picture


class SteadyTest(unittest.TestCase):
    def test_the_rooms_motion_is_read_though_a_disc_rises_before_it(self):
        true = shaken(9.0)
        watch = SteadyWatch(FPS)
        self.assertEqual([n for n, _, _ in watch.watch(pictures(true))], list(range(N)))
        drift = watch.drift(N)
        self.assertLess(np.abs(drift - (true - true[0])).max(), 2.5)
        self.assertLess(np.median(np.abs(drift - (true - true[0]))), 0.5)

    def test_a_camera_on_a_stand_is_left_alone(self):
        watch = SteadyWatch(FPS)
        looks = sum(1 for _ in watch.watch(pictures(np.zeros((N, 2)))))
        self.assertEqual(looks, N)
        self.assertIsNone(watch.drift(N))

    def test_nothing_to_hold_on_to_tells_nothing(self):
        watch = SteadyWatch(FPS)
        blank = np.full((360, 640), 128, np.uint8)
        for _ in watch.watch((n, blank, blank) for n in range(N)):
            pass
        self.assertIsNone(watch.drift(N))

    def test_a_film_that_goes_on_in_another_size_is_no_error(self):
        def changing():
            for n, picture, _ in pictures(shaken(9.0)):
                sized = picture if n < 45 else cv2.resize(picture, (480, 360))
                yield n, sized, sized

        watch = SteadyWatch(FPS)
        self.assertEqual(sum(1 for _ in watch.watch(changing())), N)
        self.assertEqual(watch.drift(N).shape, (N, 2))

    def test_bar_and_joints_are_measured_against_the_room(self):
        t = np.arange(N) / FPS
        drift = shaken(9.0) - shaken(9.0)[0]
        path = np.stack([np.full(N, 300.0), 300.0 - 60.0 * t], -1)
        calibration = from_disc(60.0, 0.1)
        hip = JointTrack(path - np.array([30.0, 40.0]) + drift, np.ones(N))
        still = make_motion(t, BarTrack(path, np.ones(N), 0.2), {}, calibration, "right")
        bar = BarTrack(path + drift, np.ones(N), 0.2, drift_px=drift)
        held = make_motion(t, bar, {"hip": hip}, calibration, "right")
        np.testing.assert_allclose(held.bar, still.bar, atol=1e-6)
        self.assertLess(np.ptp(held.joints["hip"][:, 0]), 1e-6)
        np.testing.assert_allclose(bar.path_on(50), path + drift[50])
        wobbles = make_motion(t, replace(bar, drift_px=None), {}, calibration, "right")
        self.assertGreater(np.ptp(wobbles.bar[:, 0]), 30.0)


if __name__ == "__main__":
    unittest.main()
