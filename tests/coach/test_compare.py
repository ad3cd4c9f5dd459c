"""Comparing two reps, the usual path, and the words for the athlete."""

import unittest
from dataclasses import replace
from datetime import date
from functools import cache

import numpy as np

from keenkettle.coach.compare import RepOf, common_events, differences, pair, path_of, usual_path
from keenkettle.coach.judge import Reference
from keenkettle.coach.lifts import find_lift
from keenkettle.coach.remedies import AthleteState, propose
from keenkettle.coach.review import Request, Tracked, judge_tracks
from keenkettle.coach.written import draft
from keenkettle.film.clip import ClipInfo
from keenkettle.film.rim import Ring
from keenkettle.lifter.camera import fitted_camera
from keenkettle.lifter.film import frame_times, picture_truth
from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.recipe import Recipe
from keenkettle.measure.motion import JOINTS, BarTrack, JointTrack


@cache
def rep(fault="", size=1.3, facing="right", fps=60.0, stature=1750.0, events=()):
    """A rep judged from the simulator's true tracks; no film is drawn."""
    sim = build_motion(Recipe("power-clean", stature, {fault: size} if fault else {}))
    camera = fitted_camera(1280, 720, fps, stature, facing=facing)
    times = frame_times(sim, camera)
    truth = picture_truth(sim, camera, times)
    n = len(times)
    info = ClipInfo("true.mp4", n, 1280, 720, float(times[-1]), fps, False, 0)
    radius = 225.0 * camera.px_per_mm
    ring = Ring(*truth["bar"][0], radius)
    joints = {j: JointTrack(truth[j], np.full(n, 0.3)) for j in JOINTS}
    request = Request(
        info.path, "power-clean", facing=facing, reference=Reference(stature),
        camera_m=camera.distance_mm / 1000.0, events={1: dict(events)} if events else {},
    )  # fmt: skip
    bar = BarTrack(truth["bar"], np.ones(n), 0.05)
    review = judge_tracks(request, Tracked(info, times, ring, 0.05, True, bar), joints)
    return RepOf(review, review.reps[0])


class PairTest(unittest.TestCase):
    def test_both_meet_at_the_event(self):
        a, b = rep(), rep("hips-rise-first", 1.3)
        for event in ("lift_off", "extension", "catch"):
            p = pair(a, b, event)
            self.assertEqual(p.frames[a.rep.events[event]], b.rep.events[event])

    def test_time_runs_alike_at_different_frame_rates(self):
        a, b = rep(), rep(fps=30.0)
        p = pair(a, b, "lift_off")
        shared = np.flatnonzero(p.there)
        off = (a.t_s[shared] - a.t_s[a.rep.events["lift_off"]]) - (
            b.t_s[p.frames[shared]] - b.t_s[b.rep.events["lift_off"]]
        )
        self.assertLessEqual(float(np.abs(off).max()), 1 / 60 + 1e-6)

    def test_facing_and_scale(self):
        a, b = rep(), rep(facing="left")
        self.assertTrue(pair(a, b, "lift_off").mirrored)
        self.assertFalse(pair(a, a, "lift_off").mirrored)
        bigger = rep(stature=1950.0)
        self.assertAlmostEqual(
            pair(a, bigger, "lift_off").scale,
            bigger.review.calibration.mm_per_px / a.review.calibration.mm_per_px,
        )

    def test_an_event_that_one_has_not_is_refused_in_words(self):
        a = rep()
        gone = RepOf(a.review, replace(a.rep, events={**a.rep.events, "catch": None}))
        self.assertNotIn("catch", common_events(a, gone))
        with self.assertRaisesRegex(ValueError, "catch was not seen in both"):
            pair(a, gone, "catch")

    def test_the_dialled_fault_leads_the_differences(self):
        found = differences(rep(), rep("hips-rise-first", 1.4))
        self.assertIn("trunk_drop", [d.metric for d in found[:6]])
        drop = next(d for d in found if d.metric == "trunk_drop")
        self.assertTrue(drop.clear)
        self.assertGreater(drop.change, 0)
        self.assertEqual([d for d in differences(rep(), rep()) if d.clear], [])


class UsualPathTest(unittest.TestCase):
    def test_of_like_reps_it_is_their_path_without_spread(self):
        usual = usual_path([rep().rep] * 3)
        np.testing.assert_allclose(usual.spread_mm, 0.0, atol=1e-9)
        np.testing.assert_allclose(usual.x_mm, path_of(rep().rep)[:, 0])
        self.assertEqual(usual.n, 3)

    def test_two_are_too_few(self):
        self.assertIsNone(usual_path([rep().rep] * 2))

    def test_one_odd_rep_does_not_bend_it(self):
        good, odd = rep().rep, rep("bar-bumped-forward", 2.0).rep
        usual = usual_path([good, good, good, odd])
        self.assertLess(float(np.abs(usual.x_mm - path_of(good)[:, 0]).max()), 1.0)


class MovedEventTest(unittest.TestCase):
    def test_what_hangs_on_an_event_is_measured_anew(self):
        plain = rep()
        later = plain.rep.events["catch"] + 6
        moved = rep(events=(("catch", later),))
        self.assertEqual(moved.rep.events["catch"], later)
        self.assertGreater(
            moved.rep.metrics["turnover_time"].value, plain.rep.metrics["turnover_time"].value + 50
        )
        self.assertEqual(
            moved.rep.metrics["trunk_lift_off"].value, plain.rep.metrics["trunk_lift_off"].value
        )

    def test_a_moved_start_moves_the_origin(self):
        start = rep().rep.events["lift_off"]
        moved = rep(events=(("lift_off", start - 5),))
        np.testing.assert_allclose(moved.rep.motion.bar[start - 5], 0.0)


class DraftTest(unittest.TestCase):
    def test_the_words_say_what_to_keep_to_mend_and_to_do(self):
        r = rep("hips-rise-first", 1.4)
        found = [f for f in r.rep.verdict.findings if f.fault == "hips-rise-first"]
        ranked, _ = propose(["hips-rise-first"], find_lift("power-clean"), AthleteState())
        words = draft(
            "Sunniva Dale", "power clean", 55.0, date(2026, 11, 21), r.rep.verdict.good, found,
            ranked[:1],
        )  # fmt: skip
        self.assertTrue(words.startswith("Sunniva, your power clean with 55 kg of 21 November:"))
        self.assertIn("hips rise first", words)
        self.assertIn("In the next session: " + ranked[0].session_line, words)

    def test_nothing_confirmed_is_said_kindly(self):
        words = draft("Al", "clean", None, date(2026, 1, 2), (), [], [])
        self.assertIn("Nothing to mend", words)
        self.assertNotIn("kg", words)
