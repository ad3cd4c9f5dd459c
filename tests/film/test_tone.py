"""Discs of their background's grey, told by colour; a hub that checks a hidden rim."""

import unittest
from unittest import mock

import av
import numpy as np

from keenkettle.film import tone
from keenkettle.film.clip import Clip
from keenkettle.film.disc import find_disc
from keenkettle.film.disc_face import make_template
from keenkettle.film.follow import follow_bar
from keenkettle.film.planes import LUMA
from keenkettle.film.rim import Ring, clearest_inner, fit_best, fit_rim
from keenkettle.film.tone import GRAIN_TIMES, LEAST_NOISE, best_tone, pictures_of
from tests.shared import film, scratch

R, FRAMES = 34.0, 40
WALL_TO = 132  # rows


def centre(n):
    """Where the disc is on frame n: at rest, then rising fast."""
    return 160.0 + 1.5 * np.sin(n / 6.0), 170.0 - 2.6 * max(n - 10, 0)


def write_green(path, seed=1, wall=70.0, floor=(70.0, 70.0, 74.0)):
    """A dark green disc with a pale hub, as bright as the floor; also as the wall at 70."""
    rng = np.random.default_rng(seed)
    ys, xs = np.mgrid[:240, :320]
    with av.open(str(path), "w") as box:
        video = box.add_stream("libx264", rate=60)
        video.width, video.height, video.pix_fmt = 320, 240, "yuv420p"
        video.options = {"crf": "16"}
        for n in range(FRAMES):
            picture = np.full((240, 320, 3), floor)
            picture[:WALL_TO] += np.subtract(wall, 70.0)
            x, y = centre(n)
            r = np.hypot(xs - x, ys - y)[..., None]
            picture += np.clip(R - r + 0.5, 0, 1) * (np.array([40.0, 92.0, 40.0]) - picture)
            picture += np.clip(9.0 - r + 0.5, 0, 1) * (np.array([190.0, 190.0, 194.0]) - picture)
            picture += rng.normal(0, 3.0, picture.shape)
            frame = np.clip(picture, 0, 255).astype(np.uint8)
            box.mux(video.encode(av.VideoFrame.from_ndarray(frame, format="rgb24")))
        box.mux(video.encode())


class ColourTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.path = scratch() / "green.mp4"
        write_green(cls.path)

    def test_a_disc_as_bright_as_the_wall_is_found_and_followed(self):
        with Clip(self.path) as clip:
            seen = find_disc(clip).seen
            self.assertNotEqual(clip.tone, LUMA)
            self.assertAlmostEqual(seen[0].fit.ring.r, R, delta=1.0)
            first = min(s.frame for s in seen)
            known = {s.frame: (s.fit.ring.x, s.fit.ring.y) for s in seen}
            ring = seen[0].fit.ring
            bar = follow_bar(
                clip.looks(first), FRAMES, ring, make_template(clip.gray(seen[0].frame), ring),
                known=known, back=clip.looks_back, tone=clip.tone,
            )  # fmt: skip
        true = np.array([centre(n) for n in range(FRAMES)])
        error = np.hypot(*(bar.xy_px - true).T)
        self.assertLess(float(np.median(error)), 0.8)
        self.assertLess(float(error[bar.quality >= 0.5].max()), 2.5)

    def test_the_tone_shows_more_of_the_rim_than_luma(self):
        with Clip(self.path) as clip:
            x, y = centre(0)
            clip.tone = best_tone(clip, [(0, Ring(x, y, R))])
            pictures = pictures_of(clip.gray(0), clip.toned(0), clip.tone)
            self.assertEqual(len(pictures), 2)
            plain = fit_rim(pictures[0][0], Ring(x, y, R), 3.0)
            best = fit_best(pictures, Ring(x + 1, y - 1, R), 4.0)
        self.assertGreater(best.support, 0.85)
        self.assertLess(0.0 if plain is None else plain.support, best.support)
        self.assertLess(np.hypot(best.ring.x - x, best.ring.y - y), 0.8)

    def test_a_floor_as_bright_as_the_disc_is_looked_at_in_colour(self):
        path = scratch() / "floor.mp4"
        write_green(path, wall=160.0)
        high = [(n, Ring(*centre(n), R)) for n in range(FRAMES - 4, FRAMES)]
        with Clip(path) as clip:
            self.assertNotEqual(best_tone(clip, high), LUMA)
            find_disc(clip)
            self.assertNotEqual(clip.tone, LUMA)

    def test_colour_need_only_show_what_grey_does_not(self):
        path = scratch() / "wall.mp4"
        write_green(path, wall=(120.0, 172.0, 120.0))  # as green as the disc, and lighter
        high = [(n, Ring(*centre(n), R)) for n in range(FRAMES - 4, FRAMES)]
        with Clip(path) as clip:
            clip.tone = best_tone(clip, high)
            self.assertNotEqual(clip.tone, LUMA)
            for n in (0, FRAMES - 1):
                shown = pictures_of(clip.gray(n), clip.toned(n), clip.tone)
                fit = fit_best(shown, Ring(*centre(n), R), 3.0)
                self.assertGreater(fit.support, 0.8, n)

    def test_a_rim_keeps_its_size_before_a_floor_of_a_strong_colour(self):
        path = scratch() / "purple.mp4"
        write_green(path, floor=(110.0, 30.0, 190.0))
        x, y = centre(0)
        with Clip(path) as clip:
            clip.tone = best_tone(clip, [(0, Ring(x, y, R))])
            toned = clip.toned(0)
            fit = fit_rim(toned, Ring(x, y, R), 3.0, shape=True)
        shades = [
            float(np.median(toned[int(y) + 22 : int(y) + 30, int(x) - 9 : int(x) + 9])),
            float(np.median(toned[int(y) + 40 : int(y) + 50])),
        ]
        self.assertGreater(abs(shades[0] - shades[1]), 40.0)
        for shade in shades:  # neither is cut off
            self.assertTrue(8.0 < shade < 247.0, shades)
        self.assertAlmostEqual(fit.ring.r, R, delta=0.35)

    def test_small_discs_of_unlike_sizes_are_compared_all_the_same(self):
        ways = [np.full((6, columns, 3), 9.0) for columns in (18, 19)]
        with Clip(self.path) as clip, mock.patch.object(tone, "_against", side_effect=ways):
            best = best_tone(clip, [(n, Ring(*centre(n), R)) for n in (0, 1)])
        self.assertNotEqual(best, LUMA)

    def test_a_disc_that_grey_shows_stays_with_luma(self):
        made = film()
        with Clip(made.path) as clip:
            x, y = made.pictures["bar"][0]
            self.assertEqual(
                best_tone(clip, [(0, Ring(x, y, 225.0 * made.camera.px_per_mm))]), LUMA
            )
            gray = clip.gray(0)
            self.assertEqual(pictures_of(gray, gray, LUMA), ((gray, None),))

    def test_grain_of_the_grey_is_no_rim_where_colour_tells_more(self):
        grain = np.random.default_rng(2).normal(72.0, 6.0, (240, 320))
        gray = np.clip(grain, 0, 255).astype(np.uint8)
        with Clip(self.path) as clip:
            told = best_tone(clip, [(n, Ring(*centre(n), R)) for n in (0, 10)])
        self.assertGreaterEqual(told.grain, GRAIN_TIMES * LEAST_NOISE)
        seen = pictures_of(gray, gray.copy(), told._replace(grain=GRAIN_TIMES * 6.0))[0]
        places = [Ring(x, y, 50.0) for x in (90.0, 160.0, 230.0) for y in (80.0, 120.0, 160.0)]
        by_chance = [fit_rim(seen[0], ring, 7.0) for ring in places]
        held = [fit_rim(seen[0], ring, 7.0, noise=seen[1]) for ring in places]
        self.assertGreater(np.median([f.support for f in by_chance if f]), 0.4)
        self.assertLess(max([f.support for f in held if f], default=0.0), 0.4)

    def test_looking_back_gives_the_same_frames_in_the_other_order(self):
        with Clip(self.path) as clip:
            ahead = [(n, g.copy()) for n, g, _ in clip.looks(0, 30)]
            behind = [(n, g.copy()) for n, g, _ in clip.looks_back(30)]
        self.assertEqual([n for n, _ in behind], [n for n, _ in reversed(ahead)])
        for (_, a), (_, b) in zip(ahead, reversed(behind), strict=True):
            np.testing.assert_array_equal(a, b)


class InnerTest(unittest.TestCase):
    def test_the_hub_is_the_clearest_ring_inside(self):
        ys, xs = np.mgrid[:200, :200]
        r = np.hypot(xs - 100, ys - 100)
        gray = np.where(r < 22, 200, np.where(r < 70, 50, 120)).astype(np.uint8)
        self.assertAlmostEqual(clearest_inner(gray, Ring(100.0, 100.0, 70.0)).r, 22.0, delta=2.5)

    def test_a_plain_disc_has_none(self):
        ys, xs = np.mgrid[:200, :200]
        gray = np.where(np.hypot(xs - 100, ys - 100) < 70, 50, 120).astype(np.uint8)
        self.assertIsNone(clearest_inner(gray, Ring(100.0, 100.0, 70.0)))


if __name__ == "__main__":
    unittest.main()
