"""The far disc beside the near one, on pictures drawn by hand."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from keenkettle.film.far_disc import BETWEEN_MM, FarWatch, Tilt, Voted, _first_rise
from keenkettle.film.rim import Ring

R, W, H = 40.0, 640, 400
RING = Ring(330.0, 330.0, R)
CENTRE = np.array([(W - 1) / 2.0, (H - 1) / 2.0])


def bar_path(frames=60):
    """A bar that stands, rises far and sinks a little, (frames, 2)."""
    t = np.linspace(0.0, 1.0, frames)
    rise = 240.0 * np.clip((t - 0.2) / 0.6, 0.0, 1.0) - 30.0 * np.clip((t - 0.85) / 0.15, 0.0, 1.0)
    return np.stack([np.full(frames, 330.0), 330.0 - rise], -1)


def pictures(bar, aside, size, shows=True, over=0.0):
    """A room with posts, and both discs at each place of the bar."""
    rng = np.random.default_rng(3)
    room = np.full((H, W), 150, np.uint8)
    for x in (90, 210, 400, 560):
        cv2.rectangle(room, (x, 0), (x + 12, H), 120, -1)
    for end in bar:
        picture = room.copy()
        far = end + (size - 1.0) * (end - CENTRE) + np.array([aside, over])
        places = [(far, size * R, 70)] if shows else []
        for middle, radius, grey in [*places, (end, R, 40)]:
            at = tuple(round(float(v) * 16) for v in middle)
            cv2.circle(picture, at, round(radius * 16), grey, -1, cv2.LINE_AA, 4)
        yield np.clip(picture + rng.normal(0, 3, picture.shape), 0, 255).astype(np.uint8)


def watched(aside, size, shows=True, fps=30.0):
    bar = bar_path()
    watch = FarWatch(RING, (W, H), fps)
    frames = ((i, p, p) for i, p in enumerate(pictures(bar, aside, size, shows)))
    passed = [number for number, _, _ in watch.watch(frames)]
    assert passed == list(range(len(bar)))
    return watch, bar


def watched_in_colour(aside, size):
    """Of discs that grey does not show."""
    bar, grey = bar_path(), np.full((H, W), 90, np.uint8)
    watch = FarWatch(RING, (W, H), 30.0)
    frames = ((i, grey, p) for i, p in enumerate(pictures(bar, aside, size)))
    assert len(list(watch.watch(frames))) == len(bar)
    return watch, bar


def none_again(_start, _stop):
    return []


class FarDiscTest(unittest.TestCase):
    def test_the_turn_and_the_distance_are_read_from_it(self):
        for aside, size in ((22.0, 0.8), (-18.0, 0.75)):
            watch, bar = watched(aside, size)
            far = watch.find(bar, none_again)
            self.assertAlmostEqual(far.aside_px, aside, delta=0.07 * R)
            self.assertAlmostEqual(far.size, size, delta=0.03)
            metres, error = far.camera_m(225.0 / R)
            true = size / (1.0 - size) * BETWEEN_MM / 1000.0
            self.assertLess(abs(metres - true), 2.0 * error * metres)
            yaw, sd = far.yaw_deg(225.0 / R)
            true = np.degrees(np.arcsin(aside * 225.0 / R / (size * BETWEEN_MM)))
            self.assertLess(abs(yaw - true), 2.0 * sd)
            np.testing.assert_allclose(
                far.offset(bar[:1], CENTRE)[0],
                (far.size - 1.0) * (bar[0] - CENTRE) + [far.aside_px, far.over_px],
            )

    def test_a_camera_that_looks_up_or_down_shows_it_lower_or_higher(self):
        for over in (11.0, -9.0):
            bar = bar_path()
            watch = FarWatch(RING, (W, H), 30.0)
            frames = pictures(bar, 0.0, 0.78, over=over)
            for _ in watch.watch((i, p, p) for i, p in enumerate(frames)):
                pass
            lens = 0.78 / 0.22 * BETWEEN_MM * R / 225.0
            grows = over / 0.22 / lens**2
            far = watch.find(bar, none_again, None, (grows, abs(0.1 * grows)))
            self.assertAlmostEqual(far.over_px, over, delta=0.1 * R)
            self.assertAlmostEqual(far.horizon_px * (1.0 - far.size), far.over_px)
            self.assertLess(abs(far.yaw_deg(225.0 / R)[0]), 1.2)

    def test_where_the_near_discs_width_says_otherwise_less_is_believed(self):
        """A vote for a place that this camera cannot show is something else's."""
        tilt = Tilt((1e-4, 1e-6), R)
        over, sd = tilt.over(np.array([0.7, 0.8]))
        self.assertGreater(over[1], over[0])
        self.assertTrue((sd < 0.07).all())
        self.assertEqual(tuple(Tilt().over(np.array([0.8]))[0]), (0.0,))

    def test_none_is_made_up_where_none_shows(self):
        watch, bar = watched(0.0, 0.8, shows=False)
        self.assertIsNone(watch.find(bar, none_again))

    def test_none_is_made_up_of_bricks_that_a_lingering_disc_uncovers(self):
        rise = np.concatenate([np.linspace(0.0, 240.0, 9), 240.0 - np.linspace(0.0, 34.0, 14)])
        bar = np.stack([np.full(len(rise), 330.0), 330.0 - rise], -1)
        watch = FarWatch(RING, (W, H), 30.0)
        bricks = np.where((np.indices((H, W))[0] % 9 < 2) | (np.indices((H, W))[1] % 25 < 2), 60, 0)
        frames = [np.clip(p + bricks * (p > 100), 0, 255).astype(np.uint8)
                  for p in pictures(bar, 0.0, 0.8, shows=False)]  # fmt: skip
        all_ = [(i, p, p) for i, p in enumerate(frames)]
        self.assertEqual(len(list(watch.watch(all_))), len(bar))
        pitch = (0.0, 1e-6)
        self.assertIsNone(watch.find(bar, lambda a, b: all_[a:b], None, pitch))

    def test_a_bar_that_does_not_rise_tells_nothing(self):
        watch, bar = watched(22.0, 0.8)
        self.assertIsNone(watch.find(np.tile(bar[:1], (len(bar), 1)), none_again))

    def test_it_is_looked_for_in_the_tone_that_shows_the_near_one(self):
        watch, bar = watched_in_colour(22.0, 0.8)
        self.assertAlmostEqual(watch.find(bar, none_again).aside_px, 22.0, delta=0.07 * R)

    def test_too_few_kept_pictures_are_looked_at_again(self):
        bar = bar_path()
        all_ = [(n, p, p) for n, p in enumerate(pictures(bar, 22.0, 0.8))]
        asked = []

        def again(start, stop):
            asked.append((start, stop))
            return all_[start:stop]

        self.assertIsNotNone(FarWatch(RING, (W, H), 30.0).find(bar, again))
        ((start, stop),) = asked
        self.assertLess(bar[stop - 1, 1], bar[start, 1] - 1.5 * R)

    def test_memory_stays_small_on_long_films(self):
        watch = FarWatch(RING, (W, H), 30.0)
        picture = np.zeros((H, W), np.uint8)
        for _ in watch.watch((i, picture, picture) for i in range(1000)):
            pass
        self.assertLessEqual(len(watch._kept), 121)

    def test_the_rise_ends_where_the_bar_sinks_again(self):
        y = bar_path()[:, 1]
        low, top = _first_rise(y, R)
        self.assertEqual(top, int(np.argmin(y)))
        self.assertGreater(low, 5)
        self.assertEqual(_first_rise(np.full(30, 100.0), R), (0, 0))

    def test_a_bar_that_is_filmed_fast_rises_as_far(self):
        y = bar_path()[:, 1]
        fast = np.interp(np.arange(8 * len(y)) / 8.0, np.arange(len(y)), y)
        (low, top), (begun, ended) = _first_rise(y, R), _first_rise(fast, R)
        self.assertAlmostEqual(begun / 8.0, low, delta=1.0)
        self.assertAlmostEqual(ended / 8.0, top, delta=1.0)


class VotedTest(unittest.TestCase):
    def test_fewer_votes_are_believed_where_the_pitch_says_how_high_it_stands(self):
        place = Voted(0.4, 1.2, 1.7, 0.9, -0.3, 0.75)
        self.assertFalse(place.told)
        self.assertTrue(replace(place, pitched=True).told)
        self.assertFalse(replace(place, pitched=True, alone=1.05, vote=0.75).told)
        self.assertTrue(Tilt((0.5e-4, 0.1e-4), 80.0).sure)
        self.assertFalse(Tilt((0.5e-4, 1.0e-4), 80.0).sure)


if __name__ == "__main__":
    unittest.main()
