"""Cuts of a film are seen; a lift that moves, or light that changes, is none."""

import unittest

import numpy as np

from keenkettle.film.cuts import CutWatch, jumps


def room(seed, light=1.0):
    """A picture with large light and dark parts."""
    rng = np.random.default_rng(seed)
    return np.kron(rng.uniform(40, 200, (6, 8)), np.ones((40, 40))) * light


def scene(picture, n):
    """The picture with a man-sized dark block that moves quickly across."""
    out = picture.copy()
    x = 20 + 3 * n % 200
    out[80:230, x : x + 60] = 30
    noise = np.random.default_rng(n).normal(0, 4, out.shape)
    return np.clip(out + noise, 0, 255).astype(np.uint8)


def watched(pictures, backward=False):
    """The cuts that are seen in a film of these pictures."""
    watch = CutWatch(backward)
    frames = [(n, p, p) for n, p in enumerate(pictures)]
    for _ in watch.watch(reversed(frames) if backward else frames):
        pass
    return watch.cuts


class CutTest(unittest.TestCase):
    def test_a_cut_is_seen_from_both_sides(self):
        film = [scene(room(1), n) for n in range(30)] + [scene(room(2), n) for n in range(30)]
        self.assertEqual(watched(film), [30])
        self.assertEqual(watched(film, backward=True), [30])

    def test_one_room_has_none(self):
        self.assertEqual(watched([scene(room(3), n) for n in range(60)]), [])

    def test_a_film_that_goes_on_in_another_size_is_told(self):
        large, small = np.zeros((90, 160), np.uint8), np.zeros((45, 80), np.uint8)
        watch = CutWatch()
        list(watch.watch((n, g, g) for n, g in enumerate([large] * 5 + [small] * 4)))
        self.assertEqual(watch.resized, (5, 80, 45))
        self.assertEqual(watch.cuts, [])

    def test_light_that_goes_down_is_none(self):
        lights = np.linspace(1.0, 0.4, 60)
        self.assertEqual(watched([scene(room(4, k), n) for n, k in enumerate(lights)]), [])

    def test_a_camera_that_is_shaken_is_none(self):
        rng = np.random.default_rng(6)
        film = [np.roll(scene(room(5), n), rng.integers(-12, 13, 2), (0, 1)) for n in range(60)]
        self.assertEqual(watched(film), [])


class JumpTest(unittest.TestCase):
    def test_a_bar_that_is_elsewhere_at_once_tells_of_a_cut_in_one_room(self):
        t = np.arange(60) / 60.0
        dropped = np.stack([np.full(60, 300.0), 100.0 + 0.5 * 9810.0 / 5.0 * t**2], -1)
        seen = np.ones(60, bool)
        self.assertEqual(jumps(dropped, seen, t, 45.0), [])
        cut = dropped.copy()
        cut[40:] -= (0.0, 400.0)
        self.assertEqual(jumps(cut, seen, t, 45.0), [40])
        seen[39] = False  # where it was hidden nothing is known
        self.assertEqual(jumps(cut, seen, t, 45.0), [])
