"""Disc, bar and joints against films whose truth is known."""

import unittest

import numpy as np

from keenkettle.film.clip import Clip
from keenkettle.film.disc import DiscNotFoundError, find_disc
from keenkettle.film.disc_face import make_template
from keenkettle.film.follow import BarLostError, _astray, follow_bar
from keenkettle.film.joints import MarksError, follow_joints, read_marks
from keenkettle.film.rim import Ring, fit_rim
from tests.shared import film, scratch


def track(made):
    """Follow the bar of a test film."""
    with Clip(made.path) as clip:
        best = find_disc(clip).seen[0]
        template = make_template(clip.gray(best.frame), best.fit.ring)
        return best, follow_bar(clip.looks(), clip.info.frames, best.fit.ring, template)


class RimTest(unittest.TestCase):
    def test_a_drawn_disc_is_found_to_a_twentieth_of_a_pixel(self):
        ys, xs = np.mgrid[:200, :200]
        for x, y, r in ((100.3, 90.7, 41.25), (88.6, 101.1, 60.5)):
            cover = np.clip(r - np.hypot(xs - x, ys - y) + 0.5, 0, 1)
            gray = (160 - 110 * cover).astype(np.uint8)
            fit = fit_rim(gray, Ring(x + 2.0, y - 1.5, r + 1.0), 8.0, shape=True)
            self.assertAlmostEqual(fit.ring.x, x, delta=0.05)
            self.assertAlmostEqual(fit.ring.y, y, delta=0.05)
            self.assertAlmostEqual(fit.ring.r, r, delta=0.1)

    def test_nothing_round_gives_nothing(self):
        self.assertIsNone(fit_rim(np.full((80, 80), 90, np.uint8), Ring(40, 40, 20), 5.0))


class BarTest(unittest.TestCase):
    def test_the_disc_is_found_and_followed(self):
        made = film()
        best, bar = track(made)
        true_r = 225.0 * made.camera.px_per_mm
        self.assertAlmostEqual(best.fit.ring.r / true_r, 1.0, delta=0.01)
        error = np.hypot(*(bar.xy_px - made.pictures["bar"]).T) / made.camera.px_per_mm
        self.assertLess(float(np.median(error)), 3.0)
        self.assertLess(float(np.percentile(error, 95)), 8.0)

    def test_a_post_in_front_lowers_the_quality_and_is_bridged(self):
        made = film()
        with Clip(made.path) as clip:
            best = find_disc(clip).seen[0]
            template = make_template(clip.gray(best.frame), best.fit.ring)
            grays = [(n, np.array(g)) for n, g in clip.grays()]
        x = round(float(np.median(made.pictures["bar"][:, 0])))
        for _, g in grays:
            g[:, x - 6 : x + 7] = 75
        bar = follow_bar([(n, g, g) for n, g in grays], len(grays), best.fit.ring, template)
        error = np.hypot(*(bar.xy_px - made.pictures["bar"]).T) / made.camera.px_per_mm
        self.assertLess(float(np.median(error)), 6.0)
        self.assertLess(float(error[bar.quality >= 0.5].max()), 30.0)

    def test_a_disc_that_is_hidden_for_a_while_is_marked_and_found_again(self):
        made = film()
        with Clip(made.path) as clip:
            best = find_disc(clip).seen[0]
            template = make_template(clip.gray(best.frame), best.fit.ring)
            grays = [(n, np.array(g)) for n, g in clip.grays()]
        shown = []
        for n, g in grays:
            g = np.full_like(g, 128) if 40 <= n < 46 else g
            shown.append((n, g, g))
        bar = follow_bar(shown, len(shown), best.fit.ring, template)
        self.assertTrue((bar.quality[40:46] < 0.5).all())
        self.assertTrue((bar.quality[50:] > 0.5).all())
        error = np.hypot(*(bar.xy_px - made.pictures["bar"]).T) / made.camera.px_per_mm
        self.assertLess(float(error[50:].max()), 10.0)

    def test_a_disc_lost_half_way_says_where(self):
        made = film()
        with Clip(made.path) as clip:
            best = find_disc(clip).seen[0]
            template = make_template(clip.gray(best.frame), best.fit.ring)
            grays = [(n, np.full_like(g, 90) if n > 20 else np.array(g)) for n, g in clip.grays()]
        shown = [(n, g, g) for n, g in grays]
        with self.assertRaisesRegex(BarLostError, "frame 21"):
            follow_bar(shown, len(shown), best.fit.ring, template)

    def test_no_disc_in_sight_asks_for_a_click(self):
        import av

        path = scratch() / "wall.mp4"
        with av.open(str(path), "w") as box:
            stream = box.add_stream("libx264", rate=30)
            stream.width, stream.height, stream.pix_fmt = 320, 240, "yuv420p"
            ramp = np.tile(np.linspace(60, 200, 320, dtype=np.uint8)[None, :, None], (240, 1, 3))
            for _ in range(10):
                box.mux(stream.encode(av.VideoFrame.from_ndarray(ramp, format="rgb24")))
            box.mux(stream.encode())
        with Clip(path) as clip, self.assertRaisesRegex(DiscNotFoundError, "click"):
            find_disc(clip)


class AstrayTest(unittest.TestCase):
    def test_a_track_that_leaves_its_way_for_a_frame_or_two_was_astray(self):
        t = np.arange(90) / 30.0
        xy = np.stack([300.0 + 4.0 * t, 500.0 - 120.0 * np.sin(1.5 * t) ** 2], -1)
        xy[20] += [0.0, 6.0]
        xy[50:52] += [-9.0, 3.0]
        self.assertEqual(_astray(xy, 60.0), [20, 50, 51])

    def test_a_bar_that_speeds_up_or_is_stopped_at_once_was_not(self):
        t = np.arange(60) / 30.0
        fall = np.minimum(0.5 * 9810.0 / 3.5 * t**2, 700.0)  # dropped, and stopped by the floor
        force = np.where((t > 1.0) & (t <= 1.17), 15000.0, np.where(t > 1.17, -9810.0, 0.0))
        pull = np.cumsum(np.cumsum(force / 3.5 / 900.0))
        for way in (fall, pull, np.where(t > 0.5, 90.0 * (t - 0.5), 0.0)):
            self.assertEqual(_astray(np.stack([0.0 * t, way], -1), 65.0), [])

    def test_beside_a_hidden_frame_nothing_is_told(self):
        xy = np.zeros((20, 2))
        xy[9] += 30.0
        xy[10] = np.nan
        self.assertEqual(_astray(xy, 60.0), [])


class JointTest(unittest.TestCase):
    def test_joints_are_followed_between_marks(self):
        made = film()
        _, bar = track(made)
        plate = 450.0 * made.camera.px_per_mm
        with Clip(made.path) as clip:
            found = follow_joints(clip, made.marks(every=10), bar, plate)
        for name in ("hip", "knee", "ankle", "shoulder", "toe"):
            error = np.linalg.norm(found[name].xy_px - made.pictures[name], axis=1)
            median_mm = float(np.nanmedian(error)) / made.camera.px_per_mm
            self.assertLess(median_mm, 20.0, name)

    def test_a_joint_is_unknown_far_from_its_marks(self):
        made = film()
        _, bar = track(made)
        with Clip(made.path) as clip:
            x, y = made.pictures["hip"][30]
            found = follow_joints(clip, {"hip": {30: (x, y)}}, bar, 60.0)
        self.assertTrue(np.isfinite(found["hip"].xy_px[30]).all())
        self.assertTrue(np.isnan(found["hip"].xy_px[-1]).all())
        self.assertGreater(found["hip"].sigma_px[44], found["hip"].sigma_px[31])

    def test_tracks_that_were_handed_out_are_read_without_their_guesses(self):
        path = scratch() / "tracks.csv"
        path.write_text(
            "frame,t_s,point,x_px,y_px,x_mm,y_mm,quality\n"
            "3,0.1,bar,100.5,90,0,0,1.0\n4,0.13,bar,101,88,0,0,0.2\n"
            "3,0.1,hip,,,,,\n4,0.13,hip,80,70,,,0.9\n"
        )
        marks = read_marks(path, 100, bar=True)
        self.assertEqual(marks, {"bar": {3: (100.5, 90.0)}, "hip": {4: (80.0, 70.0)}})
        with self.assertRaisesRegex(MarksError, "row 2.*bar"):
            read_marks(path, 100)

    def test_bad_marks_name_the_row(self):
        folder = scratch()
        for text, words in (
            ("frame,joint,x,y\n1,hip,3,4\n2,nose,3,4\n", "row 3.*nose"),
            ("frame,joint,x,y\n1,hip,three,4\n", "row 2.*three"),
            ("frame,joint,x,y\n999,hip,3,4\n", "row 2.*999"),
            ("frame,joint,x\n1,hip,3\n", "row 2"),
            ("frame,joint,x,y\n", "no marks"),
        ):
            path = folder / "marks.csv"
            path.write_text(text)
            with self.subTest(text), self.assertRaisesRegex(MarksError, words):
                read_marks(path, 100)
