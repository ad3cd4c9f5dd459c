"""A film from the front, from exact tracks and from pictures."""

import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from keenkettle.club.tracks import pack, unpack
from keenkettle.coach.front import is_front, judge_front
from keenkettle.coach.report import as_document
from keenkettle.coach.review import judge_tracks
from keenkettle.coach.reviewed import Request, Tracked
from keenkettle.film.bar_line import BarLines
from keenkettle.film.clip import ClipInfo
from keenkettle.film.front import _same_sides, is_wide, with_marks
from keenkettle.film.pose_net import SIDES
from keenkettle.film.rim import Ring
from keenkettle.lifter.camera import fitted_camera
from keenkettle.lifter.front import SideFaults, make_front
from keenkettle.lifter.front_film import FROM_FRONT_DEG, front_frames, front_truth
from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.recipe import Recipe
from keenkettle.lifter.render import Look
from keenkettle.measure.motion import BarTrack, JointTrack
from tests.shared import moved, scratch

FPS = 30.0
CAMERA = replace(
    fitted_camera(480, 854, FPS, 1750.0, yaw_deg=FROM_FRONT_DEG), centre_x_mm=0.0, px_per_mm=0.2
)


ASKEW = replace(CAMERA, yaw_deg=FROM_FRONT_DEG + 10.0)


@cache
def tracks(lift="power-snatch", camera=CAMERA, **faults):
    """Exact tracks of a film from the front."""
    front = make_front(moved(lift), SideFaults(**faults))
    times = np.arange(0.0, front.sim.t_s[-1], 1.0 / FPS)
    truth = front_truth(front, camera, times)
    joints = {n: JointTrack(xy, np.full(len(xy), 3.0)) for n, xy in truth.items()}
    hands = (truth["left_wrist"] + truth["right_wrist"]) / 2.0
    info = ClipInfo(scratch() / "f.mp4", len(times), 480, 854, float(times[-1]), FPS, False, 0)
    bar = BarTrack(hands, np.ones(len(times)), 0.5)
    ring = Ring(*hands[0], 45.0, 1.0)
    return Tracked(info, times, ring, 0.1, False, bar, None), joints


def findings(lift="power-snatch", **faults):
    tracked, joints = tracks(lift, **faults)
    review = judge_tracks(Request(tracked.info.path, lift=lift), tracked, joints)
    return {f.fault for r in review.reps for f in r.verdict.findings}, review


class MarksTest(unittest.TestCase):
    def test_a_track_goes_through_its_marks_and_is_carried_between_them(self):
        _, joints = tracks()
        true = joints["left_knee"].xy_px
        wrong = {
            **joints,
            "left_knee": JointTrack(true + np.array([9.0, -4.0]), np.full(len(true), 3.0)),
        }
        marks = {"left_knee": {n: tuple(true[n]) for n in (20, 40)}, "tail": {3: (1.0, 2.0)}}
        mended = with_marks(wrong, marks, FPS)
        np.testing.assert_allclose(mended["left_knee"].xy_px[20:41], true[20:41], atol=1e-6)
        self.assertLess(mended["left_knee"].sigma_px[20], 1.5)
        far = mended["left_knee"].xy_px[-1] - true[-1]
        np.testing.assert_allclose(far, [9.0, -4.0], atol=0.5)
        self.assertIs(mended["right_knee"], joints["right_knee"])
        self.assertNotIn("tail", mended)


class JudgeTest(unittest.TestCase):
    def test_each_fault_of_sides_is_found_and_none_in_a_level_lift(self):
        self.assertEqual(findings()[0], set())
        self.assertEqual(findings(tilt_deg=6.0)[0], {"bar-tilt"})
        self.assertEqual(findings(landing=2.1)[0], {"wide-landing"})
        self.assertEqual(findings("snatch", knee_in_mm=80.0)[0], {"knees-cave"})
        self.assertIn("uneven-lockout", findings(lag_s=0.15)[0])

    def test_knees_of_squats_and_pulls_are_judged_from_their_beginning_and_nothing_lands(self):
        for lift in ("front-squat", "back-squat", "deadlift"):
            sound, review = findings(lift)
            self.assertEqual(sound, set(), lift)
            rep = review.reps[0]
            self.assertEqual(rep.metrics["landing_width"].why, "not part of this lift")
            self.assertFalse([g for g in rep.verdict.good if "Lands" in g])
            self.assertIsNone(rep.events["catch"])
            self.assertEqual(findings(lift, knee_in_mm=80.0)[0], {"knees-cave"}, lift)
        for lift in ("snatch-pull", "snatch-high-pull"):
            rep = findings(lift)[1].reps[0]
            self.assertEqual((rep.events["catch"], rep.events["peak_height"] > 0), (None, True))
            for name in ("landing_width", "elbow_gap"):
                self.assertEqual(rep.metrics[name].why, "not part of this lift", lift)
        rep = findings("push-press")[1].reps[0]
        self.assertEqual(rep.metrics["landing_width"].why, "not part of this lift")
        self.assertIsNotNone(rep.metrics["bar_slope"].value)
        rep = findings("back-squat")[1].reps[0]
        self.assertLess(rep.events["descent_start"], rep.events["bottom"])

    def test_a_camera_ten_degrees_off_gives_the_same_knees_and_slope(self):
        for tilt, knees in ((0.0, -20.0), (6.0, -20.0), (0.0, 80.0)):
            straight, askew = (
                findings("snatch", camera=c, tilt_deg=tilt, knee_in_mm=knees)[1].reps[0].metrics
                for c in (CAMERA, ASKEW)
            )
            for name in ("bar_slope", "knee_inside"):
                a, b = straight[name], askew[name]
                self.assertLess(abs(a.value - b.value), 1.5 * b.sigma, name)
            self.assertAlmostEqual(askew["knee_inside"].value, knees, delta=25.0)

    def test_side_measures_are_not_judged_and_say_so(self):
        review = findings()[1]
        open_ = dict(review.reps[0].verdict.not_judged)
        self.assertEqual(open_["hips-rise-first"], "needs a side view")
        self.assertEqual(review.reps[0].metrics["bar_peak_velocity"].why, "needs a side view")
        self.assertTrue(any("from the front" in w for w in review.warnings))
        self.assertEqual(as_document(review)["view"], "front")

    def test_the_scale_is_the_athletes_own(self):
        scale = 1.0 / CAMERA.scale_at(0.0)
        self.assertAlmostEqual(findings()[1].calibration.mm_per_px / scale, 1.0, delta=0.06)

    def test_a_guess_of_the_lift_and_kept_tracks_give_the_same(self):
        tracked, joints = tracks(tilt_deg=6.0)
        review = judge_front(Request(tracked.info.path), tracked, joints)
        self.assertIn("snatch", review.lift.id)
        again, kept = unpack(pack(review, 0.1, False))
        self.assertTrue(is_front(kept))
        told = judge_tracks(Request(tracked.info.path), again, kept)
        self.assertEqual(
            [f.fault for f in told.reps[0].verdict.findings],
            [f.fault for f in review.reps[0].verdict.findings],
        )

    def test_nothing_lifted_is_said(self):
        tracked, joints = tracks()
        still = {n: replace(j, xy_px=np.repeat(j.xy_px[:1], 60, axis=0)) for n, j in joints.items()}
        bar = replace(tracked.bar, xy_px=tracked.bar.xy_px[:1].repeat(60, axis=0),
                      quality=np.ones(60))  # fmt: skip
        none = replace(tracked, times_s=tracked.times_s[:60], bar=bar)
        review = judge_front(Request(tracked.info.path), none, still)
        self.assertEqual(review.reps, ())
        self.assertIn("nothing is lifted in this clip", review.warnings)


class SeenTest(unittest.TestCase):
    def landmarks(self, truth, i):
        xy = np.zeros((33, 2))
        for side, points in SIDES.items():
            for joint, n in points.items():
                xy[n] = truth[f"{side}_{joint}"][i]
        return xy

    def lines(self, pictures, truth, off=0.0):
        """The bar's ends on pictures whose hands the net has so far off."""
        lines = BarLines()
        for i, picture in enumerate(pictures):
            xy = self.landmarks(truth, i)
            hands = [SIDES[s]["wrist"] for s in SIDES]
            xy[hands] += np.array([[3.0, 4.0 + off], [-3.0, off - 2.0]])
            lines.look(i, picture, xy)
        return lines.ends(len(pictures), FPS)

    def test_the_bar_is_read_from_the_picture_through_a_whole_lift(self):
        for look, tilt in ((Look(), 5.0), (Look(wall=(205, 200, 190), disc=(150, 60, 40)), -6.0)):
            front = make_front(build_motion(Recipe("power-snatch")), SideFaults(tilt_deg=tilt))
            times = np.arange(0.3, front.sim.t_s[-1] - 0.3, 1.0 / FPS)
            truth = front_truth(front, CAMERA, times)
            ends = self.lines(list(front_frames(front, CAMERA, look, times)), truth, 12.0)
            d = ends[:, 1] - ends[:, 0]
            bar = truth["bar_right"] - truth["bar_left"]
            wrong = np.degrees(np.arctan2(d[:, 1], d[:, 0]) - np.arctan2(-bar[:, 1], -bar[:, 0]))
            self.assertLess(np.nanquantile(np.abs(wrong), 0.9), 0.8)
            self.assertGreater(np.isfinite(wrong).mean(), 0.9)
            share = (truth["bar_left"][:, 0] - ends[:, 0, 0]) / d[:, 0]
            low = ends[:, 0, 1] + share * d[:, 1] - truth["bar_left"][:, 1]
            self.assertLess(np.nanmedian(np.abs(low)), 4.0)

    def test_no_bar_no_line(self):
        front = make_front(build_motion(Recipe("power-snatch")), SideFaults())
        truth = front_truth(front, CAMERA, np.array([0.1, 0.2]))
        empty = np.full((854, 480, 3), 120, np.uint8)
        self.assertTrue(np.isnan(self.lines([empty, empty], truth)).all())

    def test_sides_that_change_places_are_put_back(self):
        front = make_front(build_motion(Recipe("power-snatch")), SideFaults())
        truth = front_truth(front, CAMERA, np.linspace(1.2, 1.6, 9))
        xy = np.stack([self.landmarks(truth, i) for i in range(9)])
        wrong = xy.copy()
        for joint in SIDES["left"]:
            a, b = SIDES["left"][joint], SIDES["right"][joint]
            wrong[4, a], wrong[4, b] = xy[4, b], xy[4, a]
        fixed = _same_sides(wrong, np.arange(9))
        a = SIDES["left"]["knee"]
        self.assertTrue(np.array_equal(fixed[:, a], xy[:, a]))
        self.assertTrue(is_wide(xy))
        beside = xy.copy()
        beside[..., 0] = 0.2 * (xy[..., 0] - 240.0) + 240.0
        self.assertFalse(is_wide(beside))
