"""Tape dots on the joints are found by themselves."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.film.clip import Clip
from keenkettle.film.dots import _assign, _offset, find_dots
from keenkettle.lifter.camera import fitted_camera
from keenkettle.lifter.film import picture_truth, write_film
from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.recipe import Recipe
from keenkettle.lifter.render import Look
from keenkettle.measure.motion import BarTrack, JointTrack
from tests.shared import scratch

SIGMA = 5.0


class DotsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        sim = build_motion(Recipe("clean-pull"))
        camera = fitted_camera(640, 360, 30.0, 1750.0)
        cls.path = scratch() / "dots.mp4"
        times = write_film(sim, camera, Look(dots=(250, 235, 60)), cls.path)
        cls.true = picture_truth(sim, camera, times)
        cls.plate = 450.0 * camera.px_per_mm
        frames = len(times)
        cls.bar = BarTrack(cls.true["bar"], np.ones(frames), 0.1)
        rng = np.random.default_rng(2)
        cls.rough = {
            name: JointTrack(
                xy + rng.normal(0, 1.0, xy.shape) + rng.normal(0, 3.0, 2), np.full(frames, SIGMA)
            )
            for name, xy in cls.true.items()
            if name in ("hip", "knee", "shoulder", "toe", "ankle")
        }

    def test_dots_are_found_to_a_part_of_a_pixel(self):
        with Clip(self.path) as clip:
            marks = find_dots(clip, self.rough, self.bar, self.plate)
        self.assertLessEqual({"hip", "toe"}, set(marks))
        for name in ("hip", "toe"):
            off = [np.hypot(*(np.array(p) - self.true[name][n])) for n, p in marks[name].items()]
            self.assertLess(float(np.median(off)), 0.8, name)

    def test_nothing_is_marked_behind_the_disc(self):
        with Clip(self.path) as clip:
            marks = find_dots(clip, self.rough, self.bar, self.plate)
        for at in marks.values():
            for n, p in at.items():
                away = np.hypot(*(np.array(p) - self.true["bar"][n]))
                self.assertGreater(away, self.plate / 2.0)

    def test_a_film_without_dots_gives_fewer_and_never_elsewhere(self):
        rough = {"hip": replace(self.rough["hip"], xy_px=self.rough["hip"].xy_px * 0 + [40, 40])}
        with Clip(self.path) as clip:
            self.assertEqual(find_dots(clip, rough, self.bar, self.plate), {})


class AssignTest(unittest.TestCase):
    def test_the_offset_is_where_most_spots_agree(self):
        track = JointTrack(np.tile([100.0, 100.0], (30, 1)), np.full(30, SIGMA))
        rng = np.random.default_rng(1)
        by = {}
        for n in range(30):
            x, y = rng.uniform(-16, 16, 2)
            by[n] = [(100.0 + x, 100.0 + y, 40.0), (106.0, 97.0, 38.0)]
        np.testing.assert_allclose(_offset(track, by, 0.25), (6.0, -3.0), atol=1.5)

    def test_one_spot_is_never_two_joints(self):
        track = JointTrack(np.tile([100.0, 100.0], (20, 1)), np.full(20, SIGMA))
        peaks = {j: {n: [(101.0, 100.0, 50.0)] for n in range(20)} for j in ("heel", "ankle")}
        zero = np.zeros(2)
        marks = _assign(peaks, {"heel": track, "ankle": track}, {"heel": zero, "ankle": zero}, 0.25)
        self.assertEqual(len(marks), 1)


if __name__ == "__main__":
    unittest.main()
