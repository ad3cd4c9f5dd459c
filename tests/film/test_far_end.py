"""Both ends of the bar where the camera is turned, on a film drawn by hand."""

import unittest
from functools import cache
from pathlib import Path

import av
import cv2
import numpy as np

from keenkettle.club.tracks import pack, unpack
from keenkettle.coach.bar import track_bar
from keenkettle.coach.judge import Reference
from keenkettle.coach.review import judge_tracks
from keenkettle.coach.reviewed import Request
from keenkettle.film.clip import Clip
from keenkettle.film.disc import find_disc
from keenkettle.film.view import yaw_of
from keenkettle.lifter.camera import DISC_Z_MM, fitted_camera
from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.recipe import Recipe
from tests.shared import scratch

YAW, TILT, FPS = 33.0, 6.0, 30.0
CAMERA = fitted_camera(640, 480, FPS, 1750.0, YAW)
AROUND = np.linspace(0.0, 2.0 * np.pi, 60, endpoint=False)


def disc(picture, x, y, z, grey):
    """A disc square to the bar, as an ellipse, with a lighter ring and hub."""
    for r, shade in ((225.0, grey), (110.0, grey + 60), (80.0, grey + 20), (25.0, 230)):
        rim = np.stack([x + r * np.cos(AROUND), y + r * np.sin(AROUND), 0 * AROUND + z], -1)
        at = np.round(CAMERA.project(rim) * 16).astype(np.int32)
        cv2.fillPoly(picture, [at], shade, cv2.LINE_AA, 4)


@cache
def turned_film() -> tuple[Path, np.ndarray, np.ndarray]:
    """A power snatch of two discs alone, the far one lower from the top on; both ends, pixels."""
    sim = build_motion(Recipe("power-snatch"))
    times = np.arange(0.0, sim.t_s[-1], 1.0 / FPS)
    bar = np.stack([np.interp(times, sim.t_s, sim.bar[:, k]) for k in (0, 1)], -1)
    top = int(np.flatnonzero((np.gradient(bar[:, 1]) <= 0) & (bar[:, 1] > 1000.0))[0])
    drop = np.where(np.arange(len(bar)) >= top, 2 * DISC_Z_MM * np.tan(np.radians(TILT)), 0.0)
    path, rng = scratch() / "turned.mp4", np.random.default_rng(5)
    with av.open(str(path), "w") as box:
        stream = box.add_stream("libx264", rate=30)
        stream.width, stream.height, stream.pix_fmt = 640, 480, "yuv420p"
        stream.options = {"crf": "20", "preset": "veryfast"}
        for (x, y), lower in zip(bar, drop, strict=True):
            picture = np.full((480, 640), 165, np.uint8)
            disc(picture, x, y - lower, -DISC_Z_MM, 60)
            disc(picture, x, y, DISC_Z_MM, 40)
            noisy = picture + rng.normal(0, 2, picture.shape)
            rgb = np.repeat(np.clip(noisy, 0, 255).astype(np.uint8)[..., None], 3, axis=2)
            box.mux(stream.encode(av.VideoFrame.from_ndarray(rgb, format="rgb24")))
        box.mux(stream.encode())
    z = np.full(len(bar), DISC_Z_MM)
    near = CAMERA.project(np.column_stack([bar, z]))
    far = CAMERA.project(np.column_stack([bar[:, 0], bar[:, 1] - drop, -z]))
    return path, near, far


@cache
def tracked():
    """What is read from the film, the lift given."""
    path, _, _ = turned_film()
    request = Request(path, lift="power-snatch", reference=Reference(stature_mm=1750.0))
    with Clip(path) as clip:
        return request, track_bar(clip, request, lambda *_: None)


class FarEndTest(unittest.TestCase):
    def test_the_nearer_of_two_ellipses_is_the_bars_end(self):
        path, near, _ = turned_film()
        with Clip(path) as clip:
            seen = find_disc(clip).seen
        for s in seen:
            self.assertLess(np.hypot(s.fit.ring.x - near[s.frame, 0],
                                     s.fit.ring.y - near[s.frame, 1]), 4.0)  # fmt: skip
        self.assertAlmostEqual(yaw_of(seen[0].fit.ring, 0.1)[0], YAW, delta=4.0)

    def test_the_far_end_is_followed_and_tells_how_the_camera_stood(self):
        _, near, far = turned_film()
        _, found = tracked()
        self.assertLess(np.median(np.hypot(*(found.bar.xy_px - near).T)), 1.5)
        self.assertLess(np.nanmedian(np.hypot(*(found.far_end.xy_px - far).T)), 1.5)
        yaw, _ = found.far.yaw_deg(1.0 / CAMERA.px_per_mm)
        self.assertAlmostEqual(abs(yaw), YAW, delta=2.0)
        metres, error = found.far.camera_m(1.0 / CAMERA.px_per_mm)
        self.assertAlmostEqual(metres, CAMERA.distance_mm / 1000.0, delta=3.0 * error * metres)

    def test_the_bars_tilt_is_judged_and_forward_distances_are_not(self):
        request, found = tracked()
        review = judge_tracks(request, found, {})
        rep = review.reps[0]
        self.assertAlmostEqual(rep.metrics["bar_slope"].value, TILT, delta=1.0)
        self.assertIn("bar-tilt", {f.fault for f in rep.verdict.findings})
        self.assertIsNone(rep.metrics["net_x"].value)
        self.assertEqual(dict(rep.verdict.not_judged)["uneven-lockout"], "needs a front view")

    def test_kept_tracks_tell_the_same(self):
        request, found = tracked()
        review = judge_tracks(request, found, {})
        again, joints = unpack(pack(review, found.radius_sigma, True))
        told = judge_tracks(request, again, joints).reps[0].metrics["bar_slope"]
        self.assertAlmostEqual(told.value, review.reps[0].metrics["bar_slope"].value, delta=0.05)
