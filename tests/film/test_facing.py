"""Which way a lifter faces."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.film.facing import facing_of
from keenkettle.film.footage import Look
from keenkettle.film.outline import pack
from keenkettle.film.pose_net import CROP_PX, SIDES

BODY_PX = 300.0
SET = {"ear": (260, 130), "shoulder": (245, 165), "elbow": (240, 215), "wrist": (235, 250),
       "hip": (165, 215), "knee": (225, 235), "ankle": (190, 295), "heel": (180, 305),
       "toe": (225, 305)}  # fmt: skip
BAR = np.tile([235.0, 260.0], (5, 1))
MIRROR = np.array([-1.0, 1.0])


def look_of(joints, reaches):
    """Five looks at these joints, the outline between two columns of a picture that is 4 times the
    net's."""
    xy = np.zeros((5, 33, 2))
    for side in SIDES.values():
        for name, n in side.items():
            xy[:, n] = joints[name]
    xy[:, 0] = np.add(joints["ear"], (15, 5))
    mask = np.full((CROP_PX, CROP_PX), -9.0, np.float32)
    mask[20:80, reaches[0] // 4 : reaches[1] // 4] = 9.0
    outline = pack(mask, np.array([[4.0, 0.0, 0.0], [0.0, 4.0, 0.0]]))
    return Look(np.arange(5), xy, np.ones((5, 33)), [outline] * 5)


def mirrored(look, reaches):
    outlines = look_of(SET, reaches).outlines
    moved = [replace(o, matrix=o.matrix - [[0, 0, 1200.0], [0, 0, 0]]) for o in outlines]
    return replace(look, xy=look.xy * MIRROR, outlines=moved)


class FacingTest(unittest.TestCase):
    def test_knees_and_bar_tell_the_way_against_feet_that_were_seen_turned(self):
        look = look_of({**SET, "toe": (150, 305)}, (235, 236))
        self.assertEqual(facing_of(look, BAR, BODY_PX), "right")
        self.assertEqual(facing_of(mirrored(look, (965, 966)), BAR * MIRROR, BODY_PX), "left")

    def test_an_outline_behind_a_hanging_bar_tells_where_legs_were_seen_the_wrong_way(self):
        joints = {**SET, "hip": (245, 215), "knee": (200, 235), "toe": (182, 305)}
        ahead, behind = look_of(joints, (200, 330)), look_of(joints, (130, 260))
        self.assertEqual(facing_of(ahead, BAR, BODY_PX), "left")
        self.assertEqual(facing_of(behind, BAR, BODY_PX), "right")
        over = BAR - [0.0, 150.0]  # overhead it tells nothing
        self.assertEqual(*(facing_of(look, over, BODY_PX) for look in (ahead, behind)))

    def test_feet_that_hardly_point_anywhere_tell_nothing(self):
        joints = {**SET, "hip": (245, 215), "knee": (200, 235), "toe": (174, 305)}
        self.assertEqual(facing_of(look_of(joints, (130, 260)), BAR, BODY_PX), "right")
        clear = {**joints, "toe": (160, 305)}
        self.assertEqual(facing_of(look_of(clear, (130, 260)), BAR, BODY_PX), "left")

    def test_no_outline_tells_nothing(self):
        look = look_of(SET, (0, 0))
        self.assertEqual(facing_of(look, BAR, BODY_PX), "right")


if __name__ == "__main__":
    unittest.main()
