"""What of the nets is believed, and how a body may move, on frames made by hand."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.coach.review import shows_face
from keenkettle.coach.reviewed import Tracked
from keenkettle.film.auto_joints import moving_spans
from keenkettle.film.believed import (
    _backward_feet,
    about,
    behind_head,
    pressed_together,
    somebody_else,
)
from keenkettle.film.drawn_to import elbow_on_arm, head_over_shoulder, in_the_rack
from keenkettle.film.far_disc import FarDisc
from keenkettle.film.follow import _lifted, _so_far
from keenkettle.film.follower import DiscFollower
from keenkettle.film.footage import Footage, Look
from keenkettle.film.fuse import Line
from keenkettle.film.joint_errors import _moved_on, all_the_while, between_marks
from keenkettle.film.outline import Masks, pack
from keenkettle.film.pose_net import SIDES
from keenkettle.film.posture import (
    _drives,
    comes,
    knees_ahead,
    let_go,
    racked_on,
    smooth_motion,
    turning_over,
)
from keenkettle.film.rim import Ring
from keenkettle.film.thick import Outlines
from keenkettle.film.whole_body import _moves_mm, _outlined, _passed, _seen_only, fuse_span
from keenkettle.measure.calibration import Calibration
from keenkettle.measure.motion import JOINTS, BarTrack, JointTrack, Motion, make_motion
from keenkettle.measure.peak_speed import _crest, _hidden_near_s

K, MM = 14, 0.2  # frames; pixels per millimetre
FLOOR = 250.0
HIP_Y = FLOOR - 0.53 * 1750.0 * 0.9 * MM


def look(hip_y, frames=K):
    """A body seen with its hip at a height, on a mask that stands on the floor."""
    xy = np.full((frames, 33, 2), np.nan)
    xy[:, SIDES["right"]["hip"]] = (128.0, hip_y)
    logits = np.full((256, 256), -9.0, np.float32)
    logits[60 : int(FLOOR), 120:136] = 9.0
    outline = pack(logits, np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]))
    return Look(np.arange(frames), xy, np.ones((frames, 33)), [outline] * frames)


def footage(bar=(128.0, 230.0), frames=K):
    return Footage(
        np.arange(frames) / 60.0, 60.0, np.tile(bar, (frames, 1)), np.array([127.5, 127.5]),
        MM, "right", 1750.0,
    )  # fmt: skip


class BelievedTest(unittest.TestCase):
    def test_a_hip_higher_than_legs_are_long_is_not_believed(self):
        for hip_y, astray in ((HIP_Y, False), (HIP_Y - 60.0, True), (HIP_Y + 60.0, False)):
            seen = look(hip_y)
            found = pressed_together(seen, Masks(seen.outlines), footage())
            self.assertEqual(bool(found.all()), astray, hip_y)

    def test_somebody_who_walks_past_is_told_by_the_outlines_area(self):
        seen = look(HIP_Y)
        wide = np.full((256, 256), -9.0, np.float32)
        wide[60 : int(FLOOR), 60:200] = 9.0
        shift = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])
        masks = Masks([*seen.outlines[:-1], pack(wide, shift)])
        self.assertEqual(list(np.flatnonzero(somebody_else(masks))), [K - 1])
        self.assertEqual(len(masks.of(~somebody_else(masks)).areas()), K - 1)
        near = about(somebody_else(masks), seen.frames, 3.0)
        self.assertEqual(list(np.flatnonzero(near)), [K - 4, K - 3, K - 2, K - 1])
        self.assertFalse(about(np.zeros(K, bool), seen.frames, 3.0).any())

    def test_feet_that_point_backward_are_not_believed(self):
        xy = np.zeros((2, len(JOINTS), 2))
        xy[:, JOINTS.index("toe"), 0] = (30.0, -30.0)
        self.assertEqual(list(_backward_feet(xy, "right")), [False, True])
        self.assertEqual(list(_backward_feet(xy, "left")), [True, False])

    def test_the_disc_before_the_head_is_told_from_one_on_the_floor(self):
        seen = look(HIP_Y)
        head = (128.0, HIP_Y - 0.4 * 1750.0 * 0.9 * MM)
        self.assertTrue(behind_head(seen, np.tile(head, (K, 1)), footage()).all())
        self.assertFalse(behind_head(seen, np.tile((128.0, FLOOR - 45.0), (K, 1)), footage()).any())

    def test_a_span_with_hardly_a_look_is_left_alone(self):
        out = {n: JointTrack(np.full((K, 2), np.nan), np.full(K, np.inf)) for n in JOINTS}
        fuse_span(footage(), look(HIP_Y, 5), (0, 4), out)
        self.assertTrue(np.isnan(out["hip"].xy_px).all())

    def test_legs_are_held_where_both_limbs_show_their_edges(self):
        sigma = np.where(np.arange(K) < 6, 2.0, np.inf)
        way, at = np.zeros((K, 2)), np.zeros(K)
        pairs = [(JOINTS.index(a), JOINTS.index(b))
                 for a, b in (("ankle", "knee"), ("knee", "hip"))]  # fmt: skip
        lines = [Line(a, b, 0.5, way, at, sigma) for a, b in pairs for _ in range(3)]
        self.assertEqual(int(_outlined(lines, K).sum()), 6)
        self.assertFalse(_outlined(lines[:3], K).any())

    def test_head_and_elbow_have_a_place_only_where_nothing_else_gives_one(self):
        p = np.zeros((K, len(JOINTS), 2))
        p[:, JOINTS.index("hip")], p[:, JOINTS.index("shoulder")] = (0.0, 0.0), (0.0, -90.0)
        p[:, JOINTS.index("wrist")] = (40.0, -50.0)
        firm = np.zeros((K, len(JOINTS)))
        firm[3, JOINTS.index("ear")] = 1.0
        head = head_over_shoulder(p, firm, 350.0, MM)
        self.assertLess(head.xy[0, 1], -90.0)
        self.assertTrue(np.isinf(head.sigma[3]) and np.isfinite(head.sigma[4]))
        xy = np.full((K, len(JOINTS), 2), np.nan)
        xy[5] = 1.0
        elbow = elbow_on_arm(p, xy, MM)
        np.testing.assert_allclose(elbow.xy[0], (20.0, -70.0))
        self.assertTrue(np.isinf(elbow.sigma[5]) and np.isfinite(elbow.sigma[6]))

    def test_a_bar_that_stays_before_the_neck_is_in_the_rack(self):
        frames = 60
        p = np.full((frames, len(JOINTS), 2), 0.0)
        p[:, JOINTS.index("shoulder")] = (100.0, 100.0)
        for side, aside, racked in (("right", 16.0, True), ("left", 16.0, False)):
            film = replace(footage(frames=frames), side=side)
            bar = np.tile((100.0 + aside, 105.0), (frames, 1))
            self.assertEqual(bool(racked_on(p, film, bar).all()), racked, side)
        # Behind the disc the shoulder is guessed ahead of the bar for a while.
        guessed = p.copy()
        guessed[30:45, JOINTS.index("shoulder")] += [25.0, 0.0]
        bar = np.tile((116.0, 105.0), (frames, 1))
        self.assertTrue(racked_on(guessed, footage(frames=frames), bar).all())
        bar[30:, 1] -= 40.0  # it is pushed off them
        self.assertFalse(racked_on(guessed, footage(frames=frames), bar)[30:].any())
        # One that is pulled past at 2 m/s is there for a tenth of a second.
        passing = np.stack([np.full(frames, 116.0), 100.0 - (np.arange(frames) - 30) * 6.7], -1)
        self.assertFalse(racked_on(p, footage(frames=frames), passing).any())

    def test_elbows_turn_over_from_before_the_bar_is_there_until_it_was_highest(self):
        y = 100.0 + 0.02 * (np.arange(120) - 60.0) ** 2  # highest on frame 60
        bar = np.stack([np.full(120, 100.0), y], -1)
        for first, span in ((50, (44, 66)), (64, (54, 66))):
            turning = turning_over(np.arange(120) >= first, bar, 60.0)
            self.assertEqual(tuple(np.flatnonzero(turning)[[0, -1]]), span)
        self.assertFalse(turning_over(np.ones(120, bool), bar, 60.0).any())

    def test_a_bar_that_falls_away_is_out_of_the_hands_from_where_it_was_let_go(self):
        t = np.arange(60) / 60.0
        row = 100.0 + np.minimum(np.where(t < 0.5, 0.0, 1200.0 * (t - 0.5) ** 2), 290.0)
        away = row > 300.0
        gone = let_go(away, row, 170.0)
        self.assertEqual(int(np.argmax(gone)), 30)
        self.assertTrue(gone[30:].all())
        # Shoulders that were taken to be elsewhere for a moment let nothing go before it.
        self.assertFalse(let_go(away, np.full(60, 100.0), 170.0)[: int(np.argmax(away))].any())

    def test_a_bar_comes_to_the_shoulders_slowly_and_leaves_them_at_once(self):
        on = np.zeros(120, bool)
        on[30:90] = True
        near = comes(on, 60.0)
        np.testing.assert_allclose(near[[30, 60, 89, 82]], [0.97, 0.0, 0.92, 0.0], atol=0.01)
        self.assertGreater(near[39], 0.4)
        self.assertEqual(comes(~np.zeros(9, bool), 60.0).max(), 0.0)

    def test_a_knee_that_would_be_bent_backward_is_mirrored(self):
        knee = JOINTS.index("knee")
        p = np.zeros((3, len(JOINTS), 2))
        p[:, JOINTS.index("hip")], p[:, JOINTS.index("ankle")] = (100.0, 100.0), (100.0, 300.0)
        p[:, knee] = [(40.0, 190.0), (140.0, 190.0), (92.0, 190.0)]
        for side, wanted in (("right", (160.0, 140.0, 92.0)), ("left", (40.0, 60.0, 92.0))):
            film = replace(footage(frames=3), side=side)
            np.testing.assert_allclose(knees_ahead(p, film)[:, knee, 0], wanted)
        np.testing.assert_allclose(knees_ahead(p, footage(frames=3))[:, knee, 1], 190.0)

    def test_elbow_and_hand_are_less_sure_while_the_arms_fold(self):
        p = np.zeros((20, len(JOINTS), 2))
        p[:, JOINTS.index("shoulder")] = (100.0, 100.0)
        p[:, JOINTS.index("wrist")] = (100.0, 250.0)
        p[-1, JOINTS.index("wrist")] = (100.0, 190.0)
        bar = p[:, JOINTS.index("wrist")] + [0.0, 20.0]
        left = all_the_while("elbow", p, bar, footage(frames=20), False)
        self.assertGreater(left[-1], 1.5 * left[0])
        hand = all_the_while("wrist", p, bar, footage(frames=20), False)
        self.assertGreater(hand[-1], hand[0])
        self.assertLess(hand[-1] - hand[0], 0.5 * (left[-1] - left[0]))
        film = replace(footage(frames=20), marks={"wrist": {0: (100.0, 250.0), 19: (100.0, 190.0)}})
        film = replace(film, bar_xy=bar - [[0.0, 9.0 * MM * n] for n in range(20)])
        smooth = smooth_motion(np.arange(20) / 60.0, film.bar_xy, MM, False)
        p[10] = p[-1]
        between = between_marks("wrist", p, bar, smooth, film, (0, 19))
        self.assertGreater(between[10], 1.2 * between[9])  # beside a mark nothing is added

    def test_a_covered_hip_over_a_straight_leg_is_less_sure_between_marks(self):
        p = np.zeros((20, len(JOINTS), 2))
        for name, y in (("ankle", 300.0), ("knee", 200.0), ("hip", 100.0)):
            p[:, JOINTS.index(name)] = (100.0, y)
        bent = p.copy()
        bent[:, JOINTS.index("knee"), 0] += 60.0
        film = replace(footage(frames=20), marks={"hip": {0: (100.0, 100.0)}})
        near, far = (np.tile((100.0 + dx, 100.0), (20, 1)) for dx in (10.0, 5.0 * film.radius_px))
        smooth = smooth_motion(np.arange(20) / 60.0, film.bar_xy, MM, False)
        covered, folded, clear = (
            between_marks("hip", joints, bar, smooth, film, (0, 19))
            for joints, bar in ((p, near), (bent, near), (p, far))
        )
        self.assertGreater(covered[15], folded[15] + 10.0 * MM)
        self.assertEqual(covered[0], folded[0])  # on the mark
        self.assertEqual(clear[15], folded[15])

    def test_elbows_in_the_rack_are_ahead_of_the_shoulders_unless_marked(self):
        frames, elbow = 60, JOINTS.index("elbow")
        p = np.zeros((frames, len(JOINTS), 2))
        p[:, JOINTS.index("shoulder")] = (100.0, 100.0)
        bar = np.tile((116.0, 105.0), (frames, 1))
        firmly = np.zeros((frames, len(JOINTS)))
        firmly[10, elbow] = 1.0
        pull, shoulder = in_the_rack(p, footage(frames=frames), bar, firmly, 1750.0, 0)
        self.assertGreater(float(pull.xy[0, 0]), 100.0 + 0.15 * 1750.0 * MM)
        self.assertEqual(np.flatnonzero(~np.isfinite(pull.sigma)).tolist(), [10])
        # The bar lies on the shoulders: they are behind it and a little lower.
        held = footage(frames=frames).held_at(bar)[0]
        self.assertLess(float(shoulder.xy[0, 0]), float(held[0]) - 40.0 * MM)
        self.assertGreater(float(shoulder.xy[0, 1]), float(held[1]))
        self.assertTrue(np.isfinite(shoulder.sigma).all())

    def test_feet_that_stand_creep_as_far_at_any_rate(self):
        crept = []
        for fps in (30.0, 60.0):
            t = np.arange(round(2.0 * fps)) / fps
            bar = np.stack([np.full(len(t), 100.0), 200.0 - 80.0 * np.clip(t - 1.0, 0.0, 0.3)], -1)
            speed = smooth_motion(t, bar, MM, False).speed[2, JOINTS.index("heel")]
            crept.append(float(speed / fps * np.sqrt(fps)))
        self.assertAlmostEqual(crept[0], crept[1], delta=0.01 * crept[1])
        stands, steps = (smooth_motion(t, bar, MM, split).speed[-1, -1] for split in (False, True))
        self.assertGreater(steps, 20.0 * stands)


class ErrorsTest(unittest.TestCase):
    def test_overhead_and_bent_joints_are_less_sure(self):
        film = footage()
        p = np.zeros((K, len(JOINTS), 2))
        at = {"hip": (100.0, 100.0), "knee": (100.0, 180.0), "ankle": (100.0, 260.0),
              "shoulder": (100.0, 20.0), "ear": (100.0, -10.0), "wrist": (110.0, 90.0)}  # fmt: skip
        for name, xy in at.items():
            p[:, JOINTS.index(name)] = xy
        p[7:, JOINTS.index("wrist")] = (100.0, -90.0)
        p[7:, JOINTS.index("knee")] = (180.0, 180.0)
        far_bar = np.tile((500.0, 400.0), (K, 1))
        for name in ("ear", "shoulder", "knee"):
            left = all_the_while(name, p, far_bar, film, False)
            self.assertGreater(left[8], 1.25 * left[2], name)
            told = all_the_while(name, p, far_bar, film, True)
            self.assertEqual(told[8], told[2], name)

    def test_from_a_turned_camera_the_two_sides_stand_apart(self):
        p, away = np.zeros((K, len(JOINTS), 2)), np.tile((500.0, 400.0), (K, 1))
        side_on, turned = (
            replace(footage(), far=FarDisc(aside, 0.78, 2.0, 0.02)) for aside in (0.0, 90.0)
        )
        self.assertGreater(turned.far.yaw_deg(1.0 / MM)[0], 5.0)
        for name, least in (("toe", 1.4), ("ankle", 1.15), ("shoulder", 1.25)):
            straight, aside = (
                all_the_while(name, p, away, film, False)[0] for film in (side_on, turned)
            )
            self.assertGreater(aside, least * straight, name)
            unknown = all_the_while(name, p, away, footage(), False)[0]
            self.assertGreater(unknown, straight, name)

    def test_what_a_mark_tells_fades_as_the_bar_goes_on(self):
        bar = np.stack([np.full(K, 128.0), 230.0 - 5.0 * np.arange(K)], -1)
        film = replace(footage(), bar_xy=bar, marks={"elbow": {0: (1.0, 1.0), 10: (1.0, 1.0)}})
        moved = _moved_on(film, "elbow", (0, K - 1))
        np.testing.assert_allclose(moved[[0, 3, 9, 10, 13]], [0.0, 15.0, 5.0, 0.0, 15.0])


class MovingTest(unittest.TestCase):
    def test_each_rep_of_a_set_has_its_drive(self):
        t = np.arange(0.0, 9.0, 1 / 60)
        v = sum(
            np.exp(-(((t - at) / 0.1) ** 2)) * size for at, size in ((2, 1), (5, 0.9), (8, 0.3))
        )
        np.testing.assert_allclose(sorted(_drives(t, v)), [2.0, 5.0], atol=0.05)
        self.assertEqual(len(_drives(t, np.zeros_like(t))), 1)

    def test_slow_lifts_are_looked_at_and_still_bars_are_not(self):
        t = np.arange(0.0, 8.0, 1 / 60)
        for rise, spans in ((60.0, 1), (0.4, 0)):
            y = 300.0 - rise / (1.0 + np.exp(-2.5 * (t - 4.0)))
            bar = BarTrack(np.stack([np.zeros_like(t), y], -1), np.ones(len(t)), 0.1)
            self.assertEqual(len(moving_spans(bar, 60.0, 90.0)), spans)

    def test_a_body_is_not_carried_over_a_cut(self):
        xy = np.stack([np.full(120, 100.0), 200.0 - np.arange(120.0)], -1)
        bar = BarTrack(xy, np.ones(120), 0.05, cuts=(50, 100))
        self.assertEqual(moving_spans(bar, 60.0, 90.0), [(0, 49), (50, 99), (100, 119)])

    def test_what_was_carried_along_by_a_passer_is_not_the_joint(self):
        astray = np.arange(0, 120, 2) == 60
        passed = _passed(np.arange(0, 120, 2)[astray], 120, 60.0)
        self.assertEqual(int(np.argmax(passed)), 60)
        self.assertEqual([passed[n] > 0 for n in (47, 50, 70, 73)], [False, True, True, False])
        track = JointTrack(np.zeros((200, 2)), np.ones(200))
        kept = np.isfinite(_seen_only(track, 40, passed > 0).xy_px[:, 0])
        self.assertEqual(np.flatnonzero(~kept)[[0, -1]].tolist(), [40 + 49, 40 + 71])
        self.assertFalse(_passed(np.arange(0), 9, 60.0).any())
        far = _moves_mm(passed > 0, {100: (0.0, 0.0)}, 40, 60.0)  # marked where it is hidden
        self.assertEqual(far[[20, 60, 80]].tolist(), [0.0, 0.0, 0.0])
        self.assertAlmostEqual(far[55], 500.0 * 3.0 * (5 / 60) ** 2, places=6)
        self.assertEqual(float(_moves_mm(np.ones(9, bool), {}, 0, 60.0).min()), 500.0)

    def test_a_disc_that_shows_its_face_tells_a_film_from_the_side(self):
        bar = BarTrack(np.zeros((20, 2)), np.ones(20), 0.1)
        tracked = Tracked(None, np.arange(20.0), Ring(0, 0, 40.0, 0.99), 0.1, True, bar)
        self.assertTrue(shows_face(tracked))
        lost = replace(bar, quality=np.where(np.arange(20) < 12, 1.0, 0.1))
        poor = replace(bar, quality=np.full(20, 0.66))  # a disc on edge, or a chest
        self.assertFalse(shows_face(replace(tracked, bar=lost)))
        self.assertFalse(shows_face(replace(tracked, bar=poor)))
        self.assertFalse(shows_face(replace(tracked, ring=Ring(0, 0, 40.0, 0.5))))

    def test_a_first_lift_is_known_a_while_after_its_top(self):
        follower = DiscFollower(Ring(0, 0, 20.0), np.zeros((3, 3)), Outlines(Ring(0, 0, 20.0)))
        follower.xy = [(50.0, 300.0 - 4.0 * min(i, 30)) for i in range(40)]
        follower.quality = [1.0] * 40
        follower.scatter = [0.2] * 40
        self.assertFalse(_lifted(follower))
        follower.xy += [(50.0, 190.0)] * 20
        follower.quality += [1.0] * 20
        follower.scatter += [0.2] * 20
        self.assertTrue(_lifted(follower))
        so_far = _so_far(follower, 100)
        self.assertEqual(len(so_far.xy_px), 100)
        self.assertTrue((so_far.quality[60:] < 0.5).all())
        np.testing.assert_allclose(so_far.xy_px[99], (50.0, 190.0))

    def test_only_a_track_with_little_noise_is_smoothed_twice(self):
        t = np.arange(0.0, 2.0, 1 / 60)
        y = 300.0 - 100.0 / (1.0 + np.exp(-30.0 * (t - 1.0)))
        scale = Calibration(2.0, 90.0, 450.0, "given")
        peaks = []
        for noise in (0.1, 6.0):
            bar = BarTrack(np.stack([np.zeros_like(t), y], -1), np.ones(len(t)), noise)
            peaks.append(make_motion(t, bar, {}, scale, "right").bar_v[:, 1].max())
        self.assertAlmostEqual(peaks[0], 1.5, delta=0.002)
        self.assertLess(peaks[1], peaks[0] - 0.004)

    def test_a_gap_near_the_greatest_speed_is_counted(self):
        t = np.arange(0.0, 1.0, 1 / 60)
        none = np.zeros((len(t), 2))
        seen = np.ones(len(t), bool)
        seen[28:34] = seen[5:30:40] = False
        motion = Motion(t, none, none, none, seen=seen)
        self.assertAlmostEqual(_hidden_near_s(motion, 30), 6 / 60, places=6)
        self.assertEqual(_hidden_near_s(motion, 55), 0.0)
        self.assertEqual(_hidden_near_s(replace(motion, seen=None), 30), 0.0)

    def test_the_greatest_speed_lies_between_frames(self):
        t = np.arange(0.0, 1.0, 1 / 30)
        v = 2.7 - 40.0 * (t - 0.515) ** 2
        a = -80.0 * (t - 0.515)
        i = int(np.argmax(v))
        self.assertLess(v[i], 2.699)
        self.assertAlmostEqual(_crest(t, v, a, i), 2.7, places=6)
        self.assertEqual(_crest(t, v, np.zeros_like(a), i), v[i])


if __name__ == "__main__":
    unittest.main()
