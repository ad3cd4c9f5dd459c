"""A slowed file is known by a dropped bar, and by nothing else."""

import unittest

import numpy as np

from keenkettle.measure.gravity import how_slowed


def lift_and(last, fps=240.0, noise=0.0005, seed=3):
    """Height of a bar that is lifted to 1.3 m in 0.8 s, held, then let down by ``last``."""
    t = np.arange(0.0, 4.0, 1.0 / fps)
    u = np.clip((t - 0.5) / 0.8, 0.0, 1.0)
    y = 1.3 * u**2 * (3 - 2 * u)
    down = t > 2.0
    y[down] = np.maximum(last(t[down] - 2.0), 0.0)
    return t, y + np.random.default_rng(seed).normal(0.0, noise, len(y))


def dropped(t):
    """Let go."""
    return 1.3 - 0.5 * 9.81 * t**2


def lowered(t):
    """Brought down in a second and a half, evenly, with soft ends."""
    u = np.clip(t / 1.5, 0.0, 1.0)
    return 1.3 * (1.0 - u**2 * (3 - 2 * u))


def half_pulled(t):
    """Brought down faster and faster and put down, at a quarter of gravity."""
    return 1.3 - 0.5 * 2.5 * t**2


class SlowedTest(unittest.TestCase):
    def test_a_drop_in_a_slowed_file_gives_the_factor(self):
        for factor in (2.0, 4.0, 8.0):
            t, y = lift_and(dropped)
            slowed = how_slowed(y, t * factor)
            self.assertIsNotNone(slowed, factor)
            self.assertAlmostEqual(slowed.times / factor, 1.0, delta=0.03)
            self.assertLess(slowed.sigma, 0.05 * factor)

    def test_true_times_are_left_alone(self):
        for end in (dropped, lowered, half_pulled):
            t, y = lift_and(end)
            self.assertIsNone(how_slowed(y, t))

    def test_without_a_drop_nothing_is_claimed(self):
        t, y = lift_and(lowered)
        self.assertIsNone(how_slowed(y, t * 4.0))

    def test_a_bar_that_rests_says_nothing(self):
        self.assertIsNone(how_slowed(np.zeros(100), np.arange(100) / 60.0))


if __name__ == "__main__":
    unittest.main()
