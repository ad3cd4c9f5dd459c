"""Joints without clicking: the fusion by itself, and the nets on a demo clip."""

import csv
import unittest
from dataclasses import replace
from importlib.resources import as_file, files
from types import SimpleNamespace
from unittest import mock

import cv2
import numpy as np

from keenkettle.club.tracks import unpack
from keenkettle.coach.review import Request, review_clip
from keenkettle.film import pose_net
from keenkettle.film.auto_joints import (
    _by_hands,
    _look,
    find_joints,
    is_head,
    is_trunk,
    moving_spans,
)
from keenkettle.film.believed import odd_limbs
from keenkettle.film.clip import Clip
from keenkettle.film.disc import DiscNotFoundError
from keenkettle.film.footage import Footage, Look
from keenkettle.film.fuse import Limb, Pull, Seen, Smooth, fuse
from keenkettle.film.pose_net import SIDES, Crop, NoNetError, has_legs, is_upright, upright_crops
from keenkettle.film.second_look import Doubt
from keenkettle.measure.motion import JOINTS, BarTrack, JointTrack

DEMO = files("keenkettle.demo")
N = 80
BODY_PX = 300.0


def two_joints(noise, seed=1):
    """A knee on a circle about a still ankle, and both as seen with noise."""
    rng = np.random.default_rng(seed)
    angle = np.linspace(1.2, 1.8, N)
    ankle = np.tile([100.0, 300.0], (N, 1))
    knee = ankle + 80.0 * np.stack([np.cos(angle), -np.sin(angle)], -1)
    true = np.stack([ankle, knee], 1)
    return true, true + rng.normal(0.0, noise, true.shape)


def smooth(accel=4000.0, speed=4000.0):
    """Loose motion."""
    return Smooth(1 / 60, np.full(2, accel), np.full((N, 2), speed))


def rms(a, b):
    """Root mean square distance."""
    return float(np.sqrt(np.mean(np.sum((a - b) ** 2, -1))))


def bodies(count=5):
    """Landmarks of a lifter in the set who faces right, shape (count, 33, 2)."""
    at = {"ear": (260, 130), "shoulder": (245, 165), "elbow": (240, 215), "wrist": (235, 250),
          "hip": (165, 215), "knee": (225, 235), "ankle": (190, 295), "heel": (180, 305),
          "toe": (225, 305)}  # fmt: skip
    xy = np.zeros((count, 33, 2))
    for side in SIDES.values():
        for name, n in side.items():
            xy[:, n] = at[name]
    xy[:, 0] = (275, 135)
    return xy


class StandsTest(unittest.TestCase):
    def test_a_body_on_its_head_or_of_another_size_is_nobody(self):
        xy = bodies(1)[0]
        self.assertTrue(is_upright(xy, BODY_PX))
        self.assertFalse(is_upright(xy * [1.0, -1.0], BODY_PX))
        self.assertFalse(is_upright(xy, 3.0 * BODY_PX))
        self.assertFalse(is_upright(xy, 0.5 * BODY_PX))

    def test_somebody_of_another_size_is_found_after_all_but_nobody_on_their_head(self):
        net = pose_net.PoseNet()
        with as_file(DEMO / "bram-1.mp4") as path, Clip(path) as clip:
            rgb = clip.rgb(60)
        self.assertIsNotNone(net.find(rgb, (300.0, 200.0), 3.0 * rgb.shape[0]))
        net.begin()
        self.assertIsNone(net.find(np.ascontiguousarray(rgb[::-1]), (300.0, 200.0), 250.0))

    def test_legs_that_were_made_up_behind_a_disc_are_no_legs(self):
        xy = bodies(1)[0]
        self.assertTrue(has_legs(xy, BODY_PX))
        for name in ("ankle", "heel", "toe"):
            xy[[s[name] for s in SIDES.values()], 1] -= 60.0
        self.assertFalse(has_legs(xy, BODY_PX))

    def test_upright_crops_keep_a_lean_and_drop_a_headstand(self):
        lean, over = (Crop(100.0, 90.0, 40.0, turn) for turn in (-0.8, 2.7))
        turns = [
            [c.turn for c in upright_crops(c, (5.0, 6.0), BODY_PX)] for c in (lean, over, None)
        ]
        self.assertEqual(turns, [[-0.8, 0.0, 0.0], [0.0, 0.0], [0.0]])


class FuseTest(unittest.TestCase):
    def test_noise_shrinks_and_the_error_is_honest(self):
        true, seen = two_joints(6.0)
        sigma = np.full((N, 2), 6.0)
        solved = fuse(
            Seen(seen, sigma, np.zeros((N, 2))), [Limb(0, 1, 80.0, 1.0)], [], smooth(), seen
        )
        p, error = solved.xy, solved.sigma()
        self.assertLess(rms(p, true), 0.6 * rms(seen, true))
        inside = np.linalg.norm(p - true, axis=-1) < 2.146 * error
        self.assertGreater(float(inside.mean()), 0.75)

    def test_outliers_lose_their_weight_and_clicks_do_not(self):
        true, seen = two_joints(3.0)
        seen[20:26, 1] += 150.0
        sigma = np.full((N, 2), 3.0)
        limbs = [Limb(0, 1, 80.0, 1.0)]
        soft = fuse(Seen(seen, sigma, np.zeros((N, 2))), limbs, [], smooth(), true + 5.0).xy
        self.assertLess(float(np.linalg.norm(soft[22, 1] - true[22, 1])), 15.0)
        firm = np.zeros((N, 2))
        firm[20:26, 1] = 1.0
        hard = fuse(Seen(seen, sigma, firm), limbs, [], smooth(1e6, 1e6), true + 5.0).xy
        self.assertGreater(float(np.linalg.norm(hard[22, 1] - true[22, 1])), 60.0)

    def test_a_gap_is_bridged_with_a_larger_error(self):
        true, seen = two_joints(2.0)
        seen[30:50, 1] = np.nan
        sigma = np.where(np.isfinite(seen[..., 0]), 2.0, np.inf)
        solved = fuse(
            Seen(seen, sigma, np.zeros((N, 2))), [Limb(0, 1, 80.0, 1.0)], [], smooth(),
            np.nan_to_num(seen, nan=250.0),
        )  # fmt: skip
        p, error = solved.xy, solved.sigma()
        self.assertLess(float(np.linalg.norm(p[40, 1] - true[40, 1])), 12.0)
        self.assertGreater(error[40, 1], error[10, 1])

    def test_a_pull_draws_a_joint_that_was_never_seen(self):
        true, seen = two_joints(2.0)
        seen[:, 1] = np.nan
        sigma = np.where(np.isfinite(seen[..., 0]), 2.0, np.inf)
        pull = Pull(1, true[:, 1], np.full(N, 3.0))
        p = fuse(Seen(seen, sigma, np.zeros((N, 2))), [], [pull], smooth(),
                    np.nan_to_num(seen, nan=0.0)).xy  # fmt: skip
        self.assertLess(rms(p[:, 1], true[:, 1]), 3.0)


class PlausibleTest(unittest.TestCase):
    def test_legs_bent_the_wrong_way_are_noticed(self):
        xy = np.zeros((1, 33, 2))
        index = SIDES["right"]
        for name, place in (
            ("shoulder", (120, 100)), ("hip", (60, 160)), ("knee", (130, 200)),
            ("ankle", (110, 290)),
        ):  # fmt: skip
            xy[0, index[name]] = place
        bar, doubt = np.array([[140.0, 300.0]]), Doubt("right", 100.0, 400.0)
        self.assertFalse(doubt.turned(xy, bar)[0])
        low = xy.copy()
        low[0, index["hip"], 1] = 280.0
        self.assertTrue(doubt.turned(low, bar)[0])
        xy[0, index["hip"], 0], xy[0, index["knee"], 0] = 180.0, 60.0
        self.assertTrue(doubt.turned(xy, bar)[0])

    def test_the_hands_tell_which_way_a_turned_camera_looks(self):
        xy = np.zeros((20, 33, 2))
        bar = np.tile([300.0, 500.0], (20, 1))
        index = SIDES["right"]
        xy[:, index["shoulder"]] = (320.0, 200.0)
        look = Look(np.arange(20), xy, np.ones((20, 33)), [])
        track = BarTrack(bar, np.ones(20), 0.1)
        for aside, turn in ((80.0, 12.0), (-80.0, -12.0)):
            xy[:, index["wrist"]] = (300.0 + aside, 400.0)
            far = _by_hands(look, "right", track, 1.0, (12.0, 2.0))
            self.assertAlmostEqual(far.yaw_deg(1.0)[0], turn, places=3)
        xy[:, index["wrist"]] = (310.0, 400.0)
        self.assertIsNone(_by_hands(look, "right", track, 1.0, (12.0, 2.0)))

    def test_a_small_body_that_nets_make_up_on_a_disc_has_no_head_there(self):
        xy = np.zeros((20, 33, 2))
        xy[:, [7, 8]] = (300.0, 200.0)
        xy[:, [11, 12]] = (300.0, 240.0)
        for tall, head in ((140.0, True), (60.0, False)):
            xy[:, [23, 24]] = (280.0, 240.0 + tall)
            looks = [SimpleNamespace(xy=one) for one in xy]
            self.assertEqual(is_head(looks, np.tile([305.0, 205.0], (20, 1)), 64.0), head)

    def test_a_trunk_seen_from_the_front_is_no_disc_and_a_disc_before_it_no_trunk(self):
        xy = np.zeros((9, 33, 2))
        rise = np.linspace(0.0, 90.0, 9)
        for joint, x, y in ((11, 260.0, 200.0), (12, 340.0, 200.0), (23, 275.0, 310.0),
                            (24, 325.0, 310.0)):  # fmt: skip
            xy[:, joint] = np.stack([np.full(9, x), y + rise], -1)
        looks = [SimpleNamespace(xy=one) for one in xy]
        on = np.stack([np.full(9, 303.0), 225.0 + rise], -1)
        self.assertTrue(is_trunk(looks, on))
        self.assertFalse(is_trunk(looks, on + np.array([40.0, 0.0])))
        self.assertFalse(is_trunk(looks, on - np.stack([np.zeros(9), rise], -1)))
        narrow = [SimpleNamespace(xy=one * [0.4, 1.0] + [180.0, 0.0]) for one in xy]
        self.assertFalse(is_trunk(narrow, on))

    def test_a_bar_is_held_behind_its_end(self):
        film = Footage(np.arange(2) / 60.0, 60.0, np.zeros((2, 2)), np.array([600.0, 360.0]), 0.25,
                       "right")  # fmt: skip
        bar = np.array([[600.0, 610.0], [600.0, 110.0]])
        held = film.held_at(bar)
        share = 0.43 / (4.7 + 0.43)
        self.assertTrue(np.allclose(held[:, 1], [610 - 250 * share, 110 + 250 * share]))
        bell = replace(film, disc_mm=230.0)
        self.assertTrue(np.array_equal(bell.held_at(bar), bar))

    def test_a_thigh_of_half_its_length_is_odd(self):
        xy = np.zeros((2, len(JOINTS), 2))
        xy[0, JOINTS.index("hip"), 1], xy[1, JOINTS.index("hip"), 1] = 245.0, 120.0
        self.assertEqual(odd_limbs(xy, 1000.0)["knee", "hip"].tolist(), [False, True])

    def test_spans_are_where_the_bar_moves(self):
        y = np.concatenate([np.full(100, 500.0), np.linspace(500, 200, 40), np.full(120, 200.0)])
        bar = BarTrack(np.stack([np.full_like(y, 50.0), y], -1), np.ones(len(y)), 0.1)
        ((lo, hi),) = moving_spans(bar, 60.0, 100.0)
        self.assertTrue(60 <= lo < 100 and 140 < hi <= 180)

    def test_a_heavy_bars_slow_way_off_the_floor_belongs_to_the_lift(self):
        y = 500.0 - np.concatenate([np.zeros(60), np.arange(70.0), 70.0 + 7.0 * np.arange(40.0)])
        bar = BarTrack(np.stack([np.full_like(y, 50.0), y], -1), np.ones(len(y)), 0.1)
        ((lo, _),) = moving_spans(bar, 60.0, 100.0)
        self.assertTrue(15 <= lo < 60)


class NetTest(unittest.TestCase):
    def test_joints_of_a_demo_clip_are_near_the_coachs_marks(self):
        tracked, _ = unpack((DEMO / "bram-1.npz").read_bytes())
        with as_file(DEMO / "bram-1.mp4") as path, Clip(path) as clip:
            found = find_joints(clip, tracked.bar, 2 * tracked.ring.r, 1860.0).joints
        mm = 225.0 / tracked.ring.r
        rows = list(csv.DictReader((DEMO / "bram-1.csv").read_text().splitlines()))
        errors = []
        for row in rows:
            track = found.get(row["joint"])
            n = int(row["frame"])
            if track is not None and np.isfinite(track.xy_px[n, 0]):
                off = track.xy_px[n] - np.array([float(row["x"]), float(row["y"])])
                errors.append(float(np.hypot(*off)) * mm)
        self.assertGreater(len(errors), 100)
        self.assertLess(float(np.median(errors)), 60.0)

    def test_a_head_that_was_taken_for_the_disc_is_said(self):
        tracked, joints = unpack((DEMO / "bram-1.npz").read_bytes())
        ears = joints["ear"].xy_px
        seen = np.isfinite(ears[:, 0])
        xy = np.stack([np.interp(np.arange(len(ears)), np.flatnonzero(seen), ears[seen, k])
                       for k in (0, 1)], -1)  # fmt: skip
        head = replace(tracked, bar=BarTrack(xy, np.ones(len(xy)), 0.1),
                       ring=replace(tracked.ring, r=0.5 * tracked.ring.r))  # fmt: skip
        with (
            as_file(DEMO / "bram-1.mp4") as path,
            mock.patch("keenkettle.coach.review.track_bar", return_value=head),
            mock.patch("keenkettle.film.auto_joints.FASTEST_FPS", 20.0),  # fewer looks are enough
            self.assertRaisesRegex(DiscNotFoundError, "bram-1.mp4 is the athlete's head; click"),
        ):
            review_clip(Request(path, auto=True))

    def test_two_of_like_size_are_counted_and_a_small_one_behind_is_not(self):
        net = pose_net.PoseNet()
        with as_file(DEMO / "bram-1.mp4") as path, Clip(path) as clip:
            one = clip.rgb(60)
            half = one.shape[1] // 4
            middle = one[:, half : one.shape[1] - half]
            self.assertEqual(net.count(one), 1)
            self.assertEqual(net.count(np.hstack([middle, middle])), 2)
            behind = one.copy()
            small = cv2.resize(middle, None, fx=0.3, fy=0.3)
            behind[-small.shape[0] :, : small.shape[1]] = small
            self.assertEqual(net.count(behind), 1)
            wide = np.hstack([middle, middle])

            class Twice:
                info = clip.info

                def rgbs(self, wanted):
                    return ((n, wide) for n in wanted)

            tracked, _ = unpack((DEMO / "bram-1.npz").read_bytes())
            look = _look(
                (net,), Twice(), list(range(50, 75)), tracked.bar, 40.0, BODY_PX, None, True
            )
        self.assertTrue(look.crowd)

    def test_frames_in_order_are_those_by_number(self):
        with as_file(DEMO / "bram-1.mp4") as path, Clip(path) as clip, Clip(path) as other:
            got = dict(clip.rgbs([3, 4, 90, 91]))
            self.assertEqual(list(got), [3, 4, 90, 91])
            self.assertTrue(np.array_equal(got[91], other.rgb(91)))

    def test_without_the_runtime_the_bar_is_still_measured(self):
        missing = NoNetError("joints cannot be found by themselves on this machine")
        with (
            as_file(DEMO / "bram-1.mp4") as path,
            mock.patch.object(pose_net.PoseNet, "__init__", side_effect=missing),
        ):
            review = review_clip(Request(path, lift="power-clean", auto=True))
        self.assertIsNotNone(review.reps[0].metrics["bar_peak_velocity"].value)
        self.assertTrue(any("on this machine" in w for w in review.warnings))

    def test_a_coachs_track_outweighs_the_net(self):
        tracked, joints = unpack((DEMO / "bram-1.npz").read_bytes())
        moved = JointTrack(joints["hip"].xy_px + 30.0, np.full(len(joints["hip"].sigma_px), 1.0))
        clicks = {n: tuple(moved.xy_px[n]) for n in range(30, len(moved.xy_px), 6)}
        marks = {"hip": {n: p for n, p in clicks.items() if np.isfinite(p[0])}}
        with as_file(DEMO / "bram-1.mp4") as path, Clip(path) as clip:
            found = find_joints(
                clip, tracked.bar, 2 * tracked.ring.r, 1860.0, marks=marks, flow={"hip": moved}
            ).joints
        off = [np.linalg.norm(found["hip"].xy_px[n] - p) for n, p in marks["hip"].items()]
        self.assertLess(float(np.median(off)), 5.0)


if __name__ == "__main__":
    unittest.main()
