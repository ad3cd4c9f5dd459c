"""Where the coach puts the bar the track goes through, before and after."""

import unittest

import numpy as np

from keenkettle.coach.bar import track_bar
from keenkettle.coach.reviewed import Request
from keenkettle.film.auto_joints import moving_spans
from keenkettle.film.clip import Clip
from keenkettle.film.faces import blur_faces
from keenkettle.measure.motion import BarTrack
from tests.shared import film


def tracked(marks):
    made = film()
    with Clip(made.path) as clip:
        return made, track_bar(clip, Request(made.path, bar_marks=marks), lambda *_: None)


class BarMarkTest(unittest.TestCase):
    def test_a_right_mark_changes_nothing(self):
        made, plain = tracked({})
        true = made.pictures["bar"]
        _, with_mark = tracked({30: tuple(true[30] + 0.8)})
        off = np.hypot(*(with_mark.bar.xy_px - plain.bar.xy_px).T)
        self.assertLess(float(np.median(off)), 0.1)
        self.assertLess(float(off.max()), 1.0)

    def test_a_mark_off_the_rim_stands_where_it_was_put(self):
        made, _ = tracked({})
        true = made.pictures["bar"]
        wanted = true[50] + np.array([22.0, 0.0])
        _, moved = tracked({50: tuple(wanted)})
        self.assertLess(float(np.hypot(*(moved.bar.xy_px[50] - wanted))), 0.5)
        self.assertGreaterEqual(moved.bar.quality[50], 0.9)
        # A mark that the picture gives the lie to is left again within a few frames.
        far = np.hypot(*(moved.bar.xy_px - true).T)
        self.assertLess(float(np.median(far)), 1.0)


class SpanTest(unittest.TestCase):
    def test_the_same_lift_is_found_moving_at_any_frame_rate(self):
        for fps in (30.0, 60.0, 120.0, 240.0):
            t = np.arange(0.0, 3.0, 1.0 / fps)
            y = 500.0 - 300.0 * np.clip((t - 1.0) / 0.8, 0.0, 1.0)
            bar = BarTrack(np.column_stack([np.full_like(t, 300.0), y]), np.ones(len(t)), 0.05)
            ((lo, hi),) = moving_spans(bar, fps, 120.0)
            self.assertAlmostEqual(lo / fps, 0.4, delta=0.1)
            self.assertAlmostEqual(hi / fps, 2.4, delta=0.1)

    def test_a_still_bar_has_no_span(self):
        bar = BarTrack(np.full((90, 2), 200.0), np.ones(90), 0.05)
        self.assertEqual(moving_spans(bar, 60.0, 120.0), [])


class FaceTest(unittest.TestCase):
    def test_only_heads_are_made_coarse_and_the_picture_given_is_left_alone(self):
        rng = np.random.default_rng(0)
        picture = rng.integers(0, 255, (200, 300, 3)).astype(np.uint8)
        kept = picture.copy()
        out = blur_faces(picture, np.array([60.0, 80.0]), 5.0, [(220.0, 100.0, 20.0)])
        np.testing.assert_array_equal(picture, kept)
        changed = (out != picture).any(axis=-1)
        self.assertTrue(changed[80, 60] or changed[81, 61])
        self.assertTrue(changed[90:110, 210:230].mean() > 0.9)
        self.assertFalse(changed[150:].any())
        self.assertFalse(changed[:, 110:190].any())

    def test_heads_at_the_edge_and_unknown_ears(self):
        picture = np.zeros((50, 50, 3), np.uint8)
        picture[::2] = 255
        out = blur_faces(picture, np.array([np.nan, np.nan]), 5.0, [(-5.0, 2.0, 20.0)])
        self.assertFalse((out == picture).all())
        self.assertTrue((out[30:] == picture[30:]).all())
