"""Splits on bodies made by hand: which leg is in front, and how long both are followed."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.film.footage import Footage, Look
from keenkettle.film.outline import pack
from keenkettle.film.pose_net import SIDES, Crop
from keenkettle.film.second_look import Doubt
from keenkettle.film.split import Split, _legs, fuse_legs, split_of, until_recovered
from keenkettle.measure.calibration import Calibration
from keenkettle.measure.motion import JOINTS, BarTrack, JointTrack, make_motion

FRAMES, FPS, MM, BODY = 60, 60.0, 0.25, 430.0
HIP = np.array([300.0, 300.0])
SPLIT_FROM = 24
BAR = np.tile((300.0, 60.0), (FRAMES, 1))
STANDS = {
    "ear": (0.0, -150.0), "shoulder": (0.0, -125.0), "elbow": (2.0, -165.0),
    "wrist": (0.0, -175.0), "hip": (0.0, 0.0), "knee": (2.0, 105.0), "ankle": (0.0, 205.0),
    "heel": (-8.0, 215.0), "toe": (40.0, 218.0),
}  # fmt: skip
FRONT = {"knee": (85.0, 60.0), "ankle": (80.0, 170.0), "heel": (72.0, 178.0), "toe": (118.0, 180.0)}
REAR = {
    "knee": (-60.0, 85.0), "ankle": (-120.0, 150.0), "heel": (-130.0, 150.0), "toe": (-95.0, 178.0),
}  # fmt: skip


def looks(near_front: bool, side: str = "right") -> Look:
    """A lifter who stands, then splits; the net sees every other frame."""
    frames = np.arange(0, FRAMES, 2)
    xy = np.zeros((len(frames), 33, 2))
    ahead = 1.0 if side == "right" else -1.0
    for k, n in enumerate(frames):
        for which, index in SIDES.items():
            leg = {}
            if n >= SPLIT_FROM:
                leg = FRONT if (which == side) == near_front else REAR
            for name, at in index.items():
                x, y = (STANDS | leg)[name]
                xy[k, at] = HIP + np.array([ahead * x, y])
    logits = np.full((256, 256), -9.0, np.float32)
    logits[10:250, 40:216] = 9.0
    outline = pack(logits, np.array([[2.0, 0.0, 44.0], [0.0, 2.0, 20.0]]))
    n = len(frames)
    return Look(frames, xy, np.ones((n, 33)), [outline] * n, crops=[Crop(0, 0, 1, 0)] * n)


def footage(side: str = "right") -> Footage:
    return Footage(np.arange(FRAMES) / FPS, FPS, BAR, np.array([320.0, 240.0]), MM, side, 1750.0)


class SplitTest(unittest.TestCase):
    def test_the_front_leg_is_told_whichever_side_it_is_on(self):
        for side in SIDES:
            for near_front in (True, False):
                seen = looks(near_front, side)
                split = split_of(seen, BAR[seen.frames], side, BODY)
                self.assertEqual(split.near_front, near_front, side)
                np.testing.assert_array_equal(split.apart, seen.frames >= SPLIT_FROM)

    def test_a_rear_leg_on_the_side_of_the_camera_is_no_body_turned_round(self):
        seen, doubt = looks(False), Doubt("right", 0.25 * 450.0, BODY)
        self.assertFalse(doubt.turned(seen.xy, BAR[seen.frames]).any())
        round_about = seen.xy.copy()
        far = SIDES["left"]["knee"]
        round_about[-3:, far] = seen.xy[-3:, SIDES["right"]["knee"]]
        self.assertEqual(
            doubt.turned(round_about, BAR[seen.frames])[-4:].tolist(), [False] + 3 * [True]
        )
        low = BAR[seen.frames] + [0.0, 240.0]
        self.assertTrue(doubt.turned(seen.xy, low)[-3:].all())

    def test_hips_over_the_front_foot_are_between_the_feet_as_well(self):
        seen = looks(True)
        moved = seen.xy.copy()
        moved[-10:, [s["hip"] for s in SIDES.values()]] += [90.0, 0.0]
        split = split_of(replace(seen, xy=moved), BAR[seen.frames], "right", BODY)
        self.assertTrue(split.apart[-10:].all())

    def test_feet_that_are_together_or_a_low_bar_are_no_split(self):
        seen = looks(True)
        early = replace(seen, xy=seen.xy[:12], frames=seen.frames[:12])
        self.assertIsNone(split_of(early, BAR[early.frames], "right", BODY))
        self.assertIsNone(split_of(seen, BAR[seen.frames] + [0.0, 240.0], "right", BODY))

    def test_legs_that_the_net_takes_for_each_other_are_told_by_where_they_are(self):
        seen = looks(True)
        swapped = seen.xy.copy()
        left, right = ([SIDES[s][n] for n in ("knee", "ankle", "heel", "toe")] for s in SIDES)
        swapped[-3, left], swapped[-3, right] = seen.xy[-3, right], seen.xy[-3, left]
        split = split_of(replace(seen, xy=swapped), BAR[seen.frames], "right", BODY)
        legs = _legs(replace(seen, xy=swapped), footage(), split, front=True)
        ankle = SIDES["right"]["ankle"]
        np.testing.assert_allclose(legs.xy[-3, ankle], legs.xy[-2, ankle])

    def test_on_the_way_out_the_legs_are_told_over_one_foot_as_well(self):
        seen = looks(True)
        near, far = (SIDES[s] for s in ("right", "left"))
        legs = [[s[n] for n in ("knee", "ankle", "heel", "toe")] for s in (near, far)]
        xy = seen.xy.copy()
        out = seen.frames >= 48  # the hips are over the front foot, and the net changes its mind
        xy[np.ix_(out, [near["hip"], far["hip"]])] += np.array([90.0, 0.0])
        xy[np.ix_(out, legs[0])], xy[np.ix_(out, legs[1])] = (
            seen.xy[np.ix_(out, legs[1])], seen.xy[np.ix_(out, legs[0])],
        )  # fmt: skip
        leaving = replace(seen, xy=xy)
        split = split_of(leaving, BAR[seen.frames], "right", BODY)
        self.assertTrue(split.apart[out].all())
        front = _legs(leaving, footage(), split, front=True)
        ankle = front.xy[seen.frames >= SPLIT_FROM, near["ankle"]]
        np.testing.assert_allclose(ankle, np.tile(ankle[0], (len(ankle), 1)))

    def test_both_legs_come_out_and_the_one_away_is_less_sure(self):
        for near_front in (True, False):
            seen = looks(near_front)
            split = split_of(seen, BAR[seen.frames], "right", BODY)
            out = {
                n: JointTrack(np.full((FRAMES, 2), np.nan), np.full(FRAMES, np.inf)) for n in JOINTS
            }
            fuse_legs(footage(), seen, split, (0, FRAMES - 1), out)
            front, rear = out["ankle"], out["ankle_rear"]
            self.assertLess(abs(front.xy_px[-4, 0] - HIP[0] - 80.0), 20.0)
            self.assertLess(abs(rear.xy_px[-4, 0] - HIP[0] + 120.0), 20.0)
            far, near_leg = (rear, front) if near_front else (front, rear)
            self.assertIsNone(near_leg.far_side)
            self.assertEqual(far.far_side[[0, -1]].tolist(), [False, True])
            near, away = (
                out["knee" + end] for end in (("", "_rear") if near_front else ("_rear", ""))
            )
            self.assertLess(near.sigma_px[-4], away.sigma_px[-4])
            self.assertIsNone(out["hip"].far_side)

    def test_a_span_with_a_split_goes_on_until_the_feet_are_together(self):
        seen = replace(looks(True), frames=np.arange(30) + 100)
        split = Split(np.arange(30) > 20, True)
        spans = until_recovered([(0, 50), (90, 140), (300, 320)], seen, split, FPS, 340)
        self.assertEqual(spans, [(0, 50), (90, 339)])

    def test_what_is_on_the_far_side_lies_deeper(self):
        calibration = Calibration(
            4.0, 112.0, 450.0, "found", camera_m=4.0, centre_px=(320.0, 240.0)
        )
        at = np.tile((400.0, 470.0), (FRAMES, 1))
        bar = BarTrack(BAR, np.ones(FRAMES), 0.1)
        tracks = {
            "ankle": JointTrack(at, np.ones(FRAMES)),
            "ankle_rear": JointTrack(at, np.ones(FRAMES), np.ones(FRAMES, bool)),
        }
        motion = make_motion(np.arange(FRAMES) / FPS, bar, tracks, calibration, "right")
        near, away = (motion.joints[n][30] - motion.bar[30] for n in tracks)
        self.assertGreater(away[0], near[0] + 15.0)
        self.assertLess(away[1], near[1] - 15.0)


if __name__ == "__main__":
    unittest.main()
