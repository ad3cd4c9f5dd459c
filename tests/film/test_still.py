"""Whether a disc stands still, on drawn pictures with noise."""

import unittest

import numpy as np

from keenkettle.film.rim import Ring
from keenkettle.film.still import MOST_FRAMES, Still
from tests.film.test_rim import drawn

RING = Ring(150.0, 110.0, 44.0)


def shown(dx=0.0, dy=0.0, noise=4.0, seed=0, r=44.0):
    return drawn(150.0 + dx, 110.0 + dy, r, noise=noise, seed=seed)


class StillTest(unittest.TestCase):
    def test_noise_alone_is_no_motion(self):
        still = Still(shown(seed=1), RING)
        self.assertEqual([still.holds(shown(seed=n)) for n in range(2, 12)], [True] * 10)

    def test_a_quarter_of_a_pixel_is_motion_either_way(self):
        for dx, dy in ((0.25, 0.0), (0.0, -0.25), (0.2, 0.2)):
            self.assertFalse(Still(shown(seed=1), RING).holds(shown(dx, dy, seed=2)))

    def test_a_slow_creep_is_noticed_before_it_counts(self):
        still = Still(shown(seed=1), RING)
        held = 0
        while still.holds(shown(0.0, -0.125 * held, seed=held + 2)):
            held += 1
        self.assertLessEqual(0.125 * held, 0.26)

    def test_somebody_who_passes_before_it_is_no_disc_at_rest(self):
        still = Still(shown(seed=1), RING)
        self.assertTrue(still.holds(shown(seed=2)))
        behind = shown(seed=3)
        behind[60:170, 90:150] = 120
        self.assertFalse(still.holds(behind))

    def test_a_disc_that_hardly_shows_through_the_noise_is_looked_for(self):
        rng = np.random.default_rng(1)
        faint, later = (
            np.clip(60.0 + 0.02 * (shown(noise=0.0) - 60.0) + rng.normal(0, 25, (240, 320)), 0, 255)
            for _ in range(2)
        )
        self.assertFalse(Still(faint.astype(np.uint8), RING).holds(later.astype(np.uint8)))

    def test_now_and_then_the_rim_is_found_anew_all_the_same(self):
        still = Still(shown(noise=0.0), RING)
        held = [still.holds(shown(noise=0.0)) for _ in range(MOST_FRAMES + 1)]
        self.assertEqual(held.index(False), MOST_FRAMES)


if __name__ == "__main__":
    unittest.main()
