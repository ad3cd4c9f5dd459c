"""Gaps gone into from behind, tracks that went astray, marks that stay."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.coach.bar import _to_face
from keenkettle.coach.reviewed import Tracked
from keenkettle.film.clip import ClipInfo
from keenkettle.film.disc_face import make_template
from keenkettle.film.follow import _came, _fill, _gaps, _glimpses
from keenkettle.film.follower import SURE_EDGE, DiscFollower, _closely
from keenkettle.film.rim import RimFit, Ring
from keenkettle.film.thick import Outlines
from keenkettle.measure.motion import BarTrack
from tests.film.test_rim import drawn
from tests.film.test_thick import HEIGHT, outlines

R = 24.0
PATH = np.array([[150.0, 180.0 - 4.0 * n] for n in range(30)])
FILM = [drawn(x, y, R, noise=2.0, seed=n) for n, (x, y) in enumerate(PATH)]


def follower(**more):
    """A follower of the drawn disc."""
    ring = Ring(*PATH[0], R)
    return DiscFollower(ring, make_template(FILM[0], ring), Outlines(ring), **more)


class GapTest(unittest.TestCase):
    def test_the_longest_gaps_are_found(self):
        xy = PATH.copy()
        xy[5:7], xy[10:16], xy[20:28] = np.nan, np.nan, np.nan
        self.assertEqual(_gaps(xy), [(10, 16), (20, 28)])

    def test_a_glimpse_that_is_not_clear_between_hidden_frames_is_not_believed(self):
        seen, quality = np.ones(30, bool), np.full(30, 0.6)
        seen[[*range(5, 9), *range(10, 14), *range(17, 20), *range(21, 26)]] = False
        quality[20] = 0.9
        self.assertEqual(_glimpses(seen, quality), [9])

    def test_a_gap_is_filled_from_behind_and_what_lies_before_meets_in_the_middle(self):
        xy, quality = PATH.copy(), np.full(len(PATH), 0.9)
        xy[10:16], quality[10:16] = np.nan, 0.2
        xy[8:10] += (0.0, 2.0)  # the edge behind was taken before the disc was lost
        back = [(n, FILM[n], FILM[n]) for n in range(15, -1, -1)]
        _fill(follower(), xy[16], back, xy, quality, 10)
        self.assertLess(np.abs(xy[10:16] - PATH[10:16]).max(), 0.3)
        self.assertGreater(quality[10:16].min(), 0.5)
        half = np.array([0.0, 1.0])
        self.assertTrue(np.allclose(xy[8:10] - half, PATH[8:10], atol=0.3))
        self.assertTrue(np.array_equal(xy[:8], PATH[:8]))

    def test_what_is_followed_backward_begins_at_the_speed_at_which_it_came(self):
        xy = PATH.copy()
        self.assertEqual(_came(xy, 10).tolist(), [0.0, 4.0])
        xy[11] = np.nan
        self.assertEqual(_came(xy, 10).tolist(), [0.0, 0.0])
        self.assertEqual(_came(xy, len(xy) - 1).tolist(), [0.0, 0.0])

    def test_it_is_given_up_where_nothing_is_seen(self):
        xy, quality = PATH.copy(), np.full(len(PATH), 0.9)
        xy[10:16] = np.nan
        bare = np.full_like(FILM[0], 60)
        _fill(follower(), xy[16], [(n, bare, bare) for n in range(15, -1, -1)], xy, quality, 10)
        self.assertTrue(np.isnan(xy[10:16]).all())


class StrayTest(unittest.TestCase):
    def test_a_steady_bar_does_not_go_to_a_rim_that_is_not_clear_far_off_its_way(self):
        f = follower()
        for n in range(10):
            f.step(FILM[n], FILM[n])
        x, y = PATH[10]
        for off, support, strays in ((0.1, 0.5, False), (0.3, 0.5, True), (0.3, 0.9, False)):
            fit = RimFit(Ring(x + off * R, y, R), support, 1.0)
            self.assertEqual(f._strays(fit), strays, (off, support))
        f._lose()
        ahead = f.at + f.speed
        for off, strays in ((0.3, False), (0.5, True)):
            fit = RimFit(Ring(float(ahead[0]) + off * R, float(ahead[1]), R), 0.5, 1.0)
            self.assertEqual(f._strays(fit), strays, off)
        # It has met the floor: not where its way led, but a sharp rim.
        for support, scatter_px, strays in (
            (0.65, 0.4, False),
            (0.65, 1.5, True),
            (0.5, 0.4, True),
        ):
            fit = RimFit(Ring(float(ahead[0]) + 0.5 * R, float(ahead[1]), R), support, scatter_px)
            self.assertEqual(f._strays(fit), strays, (support, scatter_px))

    def test_one_that_was_lost_is_found_far_away_by_a_sharp_rim_only(self):
        f = follower()
        f.step(FILM[0], FILM[0])
        x, y = f.at
        for lost, off, support, scatter_px, doubted in (
            (5, 4.0, 0.7, 1.0, True), (5, 4.0, 0.7, 0.4, False), (5, 4.0, 0.9, 1.0, False),
            (5, 1.0, 0.7, 1.0, False), (0, 4.0, 0.7, 1.0, False), (5, 4.0, 0.9, 6.0, True),
            (5, 1.0, 0.9, 6.0, False),
        ):  # fmt: skip
            f.lost_for = lost
            f.ring = replace(f.ring, r=54.0)  # where a rim is seen to half a pixel
            fit = RimFit(Ring(x + off * 54.0, y, 54.0), support, scatter_px)
            self.assertEqual(f._elsewhere(fit), doubted, (lost, off, support, scatter_px))

    def test_one_that_was_hardly_seen_may_be_anywhere(self):
        f = follower()
        f.step(FILM[0], FILM[0])
        self.assertFalse(f._strays(RimFit(Ring(20.0, 20.0, R), 0.4, 1.0)))


class KnownTest(unittest.TestCase):
    def test_what_went_astray_begins_again_where_the_disc_was_found(self):
        f = follower(known={3: (150.0, 168.0)})
        for n in range(3):
            f.step(FILM[n], FILM[n])
        f.xy, f.at, f.seen_at = [(60.0, 60.0)] * 3, np.array([60.0, 60.0]), np.array([60.0, 60.0])
        f.speed = np.zeros(2)
        f.step(FILM[3], FILM[3])
        self.assertTrue(np.isnan(f.xy[:3]).all())
        self.assertLess(np.hypot(f.xy[3][0] - 150.0, f.xy[3][1] - 168.0), 0.3)

    def test_one_that_is_lost_begins_there_though_its_way_leads_close_by(self):
        f = follower(known={3: (150.0, 168.0)})
        for n in range(2):
            f.step(FILM[n], FILM[n])
        f._lose()
        f.at = np.array([150.0 + 0.9 * R, 160.0])
        f.step(FILM[3], FILM[3])
        self.assertLess(np.hypot(f.xy[3][0] - 150.0, f.xy[3][1] - 168.0), 0.3)

    def test_a_narrow_band_asks_less_of_an_edge_once_the_rim_is_clear(self):
        ring = Ring(150.0, 150.0, R)
        self.assertEqual(_closely(RimFit(ring, 0.9, 0.2), SURE_EDGE), 2.0)
        self.assertEqual(_closely(RimFit(ring, 0.5, 0.2), SURE_EDGE), SURE_EDGE)
        self.assertEqual(_closely(RimFit(ring, 0.9, 0.2), 1.5), 1.5)


class MarkTest(unittest.TestCase):
    def test_where_the_disc_was_found_its_face_there_counts(self):
        f = follower(known={0: (150.0, 180.0)})
        f.template = -f.template  # lit otherwise
        f.step(FILM[0], FILM[0])
        f.step(FILM[1], FILM[1])
        self.assertLess(np.abs(np.array(f.xy) - PATH[:2]).max(), 0.3)
        self.assertGreater(min(f.quality), 0.5)

    def test_a_face_that_noise_hides_is_believed_where_it_is_expected(self):
        f = follower()
        f.at, f.speed, f.lost_for = np.array([150.0, 176.0]), np.array([0.0, -4.0]), 0
        ahead = np.array([150.0, 172.0])
        self.assertTrue(f._believed(ahead + 0.5, 0.35))
        self.assertFalse(f._believed(ahead + 8.0, 0.35))
        self.assertFalse(f._believed(ahead, 0.1))
        self.assertTrue(f._believed(ahead + 30.0, 0.8))

    def test_a_mark_alone_stays_where_it_was_put(self):
        shown, count = outlines(0.03), 40
        xy = np.column_stack([np.full(count, 400.0), np.linspace(640.0, 150.0, count)])
        info = ClipInfo("x.mp4", count, 1280, HEIGHT, 1.0, 60.0, False, 0)
        tracked = Tracked(info, np.arange(count) / 60.0, shown.first, 0.1, True,
                          BarTrack(xy, np.ones(count), 0.1))  # fmt: skip
        mark = (float(xy[1, 0]), float(xy[1, 1]))
        found = _to_face(tracked, tracked.bar, shown, {1: mark, 2: (0.0, 0.0)}).bar.xy_px
        self.assertEqual(tuple(found[1]), mark)
        self.assertGreater(found[2, 1] - xy[2, 1], 2.0)


if __name__ == "__main__":
    unittest.main()
