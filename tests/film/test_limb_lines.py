"""Outlines of limbs: kept small, read, and what they say of joints behind the disc."""

import unittest

import cv2
import numpy as np

from keenkettle.film.far_disc import FarDisc
from keenkettle.film.fuse import Limb, Line, Seen, Smooth, fuse
from keenkettle.film.limb_lines import SHARES, Scene, discs_of, lines_of
from keenkettle.film.outline import Masks, last_end, pack, run_ends
from keenkettle.film.pose_net import CROP_PX
from keenkettle.measure.motion import JOINTS

N, MM = 20, 0.1  # frames; pixels per millimetre: the whole body in 200 px
UPRIGHT = {
    "ear": (128, 40), "shoulder": (128, 60), "elbow": (136, 85), "wrist": (145, 105),
    "hip": (128, 110), "knee": (130, 152), "ankle": (128, 194), "heel": (122, 201),
    "toe": (144, 201),
}  # fmt: skip
BAR = np.array([[136.0, 112.0]] * N)


def body(lean=0.0):
    """Joints (N, J, 2): upright, the hip further ahead by ``lean`` px."""
    p = np.array([UPRIGHT[name] for name in JOINTS], float)
    p[JOINTS.index("hip"), 0] += lean
    return np.tile(p, (N, 1, 1))


def outline(p, hole=None):
    """A mask drawn round one frame's joints (J, 2), the identity its place on the picture."""
    mask = np.zeros((CROP_PX, CROP_PX), np.uint8)

    def limb(a, b, width):
        ends = [tuple(round(float(v) * 16) for v in p[JOINTS.index(n)]) for n in (a, b)]
        cv2.line(mask, *ends, 1, width, shift=4)

    limb("ankle", "knee", 11)
    limb("knee", "hip", 17)
    limb("hip", "shoulder", 23)
    limb("heel", "toe", 3)
    if hole is not None:
        cv2.circle(mask, tuple(int(v) for v in hole), 23, 0, -1)
    logits = np.where(mask > 0, 20.0, -20.0).astype(np.float32)
    return pack(logits, np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]))


def scene_of(outlines, sure=True, far=None):
    discs, radii = discs_of(BAR, 22.5, far, np.array([128.0, 128.0]), MM)
    shape = (N, len(JOINTS))
    return Scene(
        Masks(outlines), np.arange(N), np.full(shape, sure), np.zeros(shape, bool),
        np.ones(N, bool), 1.0, discs, radii, MM,
    )  # fmt: skip


class OutlineTest(unittest.TestCase):
    def test_a_mask_comes_back_from_its_packing_where_the_picture_is(self):
        p = body()[0]
        logits = np.full((CROP_PX, CROP_PX), -9.0, np.float32)
        logits[100:150, 60:90] = 9.0
        matrix = np.array([[0.0, -2.0, 700.0], [2.0, 0.0, 100.0]])  # turned, twice as large
        kept = pack(logits, matrix)
        self.assertLess(len(kept.packed), 3000)
        inside = matrix[:, :2] @ [75.0, 125.0] + matrix[:, 2]
        outside = matrix[:, :2] @ [95.0, 125.0] + matrix[:, 2]
        values = Masks([kept]).read(np.array([[inside, outside, p[0] * 1e4]]))
        np.testing.assert_allclose(values, [[1.0, 0.0, 0.0]])

    def test_ends_of_the_run_nearest_the_middle(self):
        profile = np.array([0, 0, 1, 1, 0, 0.2, 1, 1, 0.5, 0, 0, 1], float)
        begins, ends = run_ends(profile[None], 6)
        self.assertAlmostEqual(float(begins[0]), 5.375, places=3)
        self.assertAlmostEqual(float(ends[0]), 8.0, places=3)
        self.assertTrue(np.isnan(run_ends(np.zeros((1, 9)), 4)[0][0]))
        self.assertTrue(np.isnan(run_ends(np.ones((1, 9)), 4)[1][0]))
        self.assertAlmostEqual(float(last_end(np.array([[0, 1, 1, 0, 1, 0.0]]))[0]), 4.5)
        self.assertTrue(np.isnan(last_end(np.array([[0, 1.0]]))[0]))


class LinesTest(unittest.TestCase):
    def off(self, lines, p):
        """How far the joints (N, J, 2) are from each line where it is known."""
        found = []
        for line in lines:
            point = (1.0 - line.share) * p[:, line.a] + line.share * p[:, line.b]
            miss = (line.normal * point).sum(axis=1) - line.along
            found += list(miss[np.isfinite(line.sigma)])
        return np.array(found)

    def limbs(self, lines, a, b):
        pair = (JOINTS.index(a), JOINTS.index(b))
        return [line for line in lines if (line.a, line.b) == pair]

    def test_lines_pass_through_the_joints_although_those_were_thought_elsewhere(self):
        true, thought = body(), body(lean=-4.0)
        clear = BAR.copy()
        clear[:, 1] -= 200.0
        outlines = [outline(p) for p in true]
        discs, radii = discs_of(clear, 22.5, None, np.zeros(2), MM)
        shape = (N, len(JOINTS))
        scene = Scene(
            Masks(outlines), np.arange(N), np.zeros(shape, bool), np.zeros(shape, bool),
            np.ones(N, bool), 1.0, discs, radii, MM,
        )  # fmt: skip
        lines = lines_of(thought, scene)
        thigh = [*self.limbs(lines, "knee", "hip"), *self.limbs(lines, "ankle", "knee")]
        self.assertGreater(len(self.off(thigh, true)), 200)
        self.assertLess(np.abs(self.off(thigh, true)).max(), 1.5)
        self.assertGreater(np.abs(self.off(thigh, thought)).max(), 2.5)

    def test_the_disc_covers_what_it_covers(self):
        outlines = [outline(p, hole=BAR[0]) for p in body()]
        lines = lines_of(body(), scene_of(outlines))
        known = [np.isfinite(line.sigma).all() for line in self.limbs(lines, "knee", "hip")]
        self.assertTrue(known[0])
        self.assertFalse(known[-1])
        seen = FarDisc(-30.0, 0.8, 1.0, 0.02)
        fewer = lines_of(body(), scene_of(outlines, far=seen))
        count = [sum(np.isfinite(x.sigma).sum() for x in some) for some in (lines, fewer)]
        self.assertLess(count[1], count[0])

    def test_the_sole_and_the_tips_tell_of_the_foot(self):
        lines = lines_of(body(), scene_of([outline(p) for p in body()]))
        down = {JOINTS[x.a]: x for x in lines if x.a == x.b and x.normal[0, 1] == 1.0}
        self.assertLess(np.abs(down["toe"].along - 201.0).max(), 2.0)
        self.assertTrue(np.isfinite(down["ankle"].sigma).all())
        across = {JOINTS[x.a]: x for x in lines if x.a == x.b and x.normal[0, 0] == 1.0}
        self.assertLess(np.abs(across["toe"].along - 144.0).max(), 2.0)

    def test_a_hidden_hip_is_found_from_its_thigh(self):
        hip = JOINTS.index("hip")
        true, start = body(), body(lean=-6.0)
        xy, sigma = true.copy(), np.full((N, len(JOINTS)), 1.0)
        xy[:, hip] = np.nan
        thigh = np.array(UPRIGHT["hip"]) - UPRIGHT["knee"]
        normal = np.array([-thigh[1], thigh[0]]) / np.hypot(*thigh)
        lines = [
            Line(
                JOINTS.index("knee"), hip, float(s), np.tile(normal, (N, 1)),
                np.full(N, normal @ (np.array(UPRIGHT["knee"]) + s * thigh)), np.full(N, 1.0),
            )
            for s in SHARES[:4]
        ]  # fmt: skip
        smooth = Smooth(1 / 60, np.full(len(JOINTS), 3000.0), np.full((N, len(JOINTS)), 500.0))
        seen = Seen(xy, sigma, np.zeros(sigma.shape))
        limbs = [Limb(JOINTS.index("knee"), hip, float(np.hypot(*thigh)), 1.0)]
        solved = fuse(seen, limbs, [], smooth, start)
        without, loose = solved.xy, solved.sigma()
        solved = fuse(seen, limbs, [], smooth, start, lines)
        found, tight = solved.xy, solved.sigma()
        self.assertLess(np.abs(found[:, hip, 0] - true[:, hip, 0]).max(), 1.0)
        self.assertGreater(np.abs(without[:, hip, 0] - true[:, hip, 0]).max(), 4.0)
        self.assertLess(tight[:, hip].max(), loose[:, hip].min())


if __name__ == "__main__":
    unittest.main()
