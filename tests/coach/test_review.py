"""The whole flow, from a file to findings, against the truth."""

import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np

from keenkettle.coach.judge import Reference
from keenkettle.coach.lifts import UnknownLiftError
from keenkettle.coach.report import as_document, tracks_csv
from keenkettle.coach.review import (
    TURNED,
    CancelledError,
    Request,
    Tracked,
    judge_tracks,
    review_clip,
)
from keenkettle.film.clip import Clip, ClipInfo
from keenkettle.film.far_disc import FarDisc
from keenkettle.film.rim import Ring
from keenkettle.measure.motion import BarTrack
from tests.measure.test_overhead import jerk
from tests.shared import film

TALL = Reference(stature_mm=1750.0)


def reviewed(made, every=6, **more):
    """Review a test film with marks."""
    request = Request(made.path, marks=made.marks(every), reference=TALL, **more)
    return review_clip(request)


class BarOnlyTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.made = film(fps=60.0)
        cls.review = review_clip(Request(cls.made.path))

    def test_the_lift_is_guessed_and_said_to_be(self):
        self.assertEqual(self.review.lift.id, "power-clean")
        self.assertEqual(self.review.lift_source, "guessed")

    def test_speed_height_and_events_are_those_of_the_truth(self):
        rep, truth = self.review.reps[0], self.made.truth
        speed = truth.metrics["bar_peak_velocity"].value
        self.assertAlmostEqual(rep.metrics["bar_peak_velocity"].value / speed, 1.0, delta=0.03)
        height = truth.metrics["bar_peak_height"].value
        self.assertAlmostEqual(rep.metrics["bar_peak_height"].value, height, delta=8.0)
        for name in ("lift_off", "peak_height", "catch", "bottom"):
            want = int(np.argmin(np.abs(self.made.times_s - truth.event_s[name])))
            self.assertLessEqual(abs(rep.events[name] - want), 1, name)

    def test_what_needs_joints_is_not_measured_and_not_judged(self):
        rep = self.review.reps[0]
        self.assertIsNone(rep.metrics["hip_extension"].value)
        self.assertIsNone(rep.events["extension"])
        reasons = dict(rep.verdict.not_judged)
        self.assertIn("hip", reasons["unfinished-extension"])
        self.assertNotIn("unfinished-extension", [f.fault for f in rep.verdict.findings])

    def test_the_document_is_the_contract(self):
        doc = as_document(self.review)
        self.assertEqual(doc["schema"], "keenkettle.analysis/1")
        self.assertEqual(len(doc["bar"]), doc["clip"]["frames"])
        rep = doc["reps"][0]
        at = rep["events"]["lift_off"]["frame"]
        self.assertAlmostEqual(doc["bar"][at]["y_mm"], 0.0, delta=0.5)
        self.assertIsNone(rep["metrics"]["hip_extension"]["value"])
        self.assertEqual(rep["metrics"]["phase_times"]["unit"], "ms")
        rows = tracks_csv(self.review).splitlines()
        self.assertEqual(len(rows), doc["clip"]["frames"] + 1)

    def test_slow_motion_is_put_right(self):
        fast = review_clip(Request(self.made.path, capture_fps=90.0))
        self.assertAlmostEqual(fast.time_scale, 2 / 3, delta=0.01)
        ratio = (
            fast.reps[0].metrics["bar_peak_velocity"].value
            / self.review.reps[0].metrics["bar_peak_velocity"].value
        )
        self.assertAlmostEqual(ratio, 1.5, delta=0.05)

    def test_a_click_and_a_known_length_serve_instead_of_the_search(self):
        x, y = self.made.pictures["bar"][0]
        clicked = review_clip(Request(self.made.path, bar=(0, float(x) + 1, float(y), None)))
        self.assertEqual(clicked.calibration.source, "given")
        scale = 1.0 / self.made.camera.px_per_mm
        self.assertAlmostEqual(clicked.calibration.mm_per_px / scale, 1.0, delta=0.02)
        known = review_clip(Request(self.made.path, known=(1000.0, 0, 0, 1000.0 / scale, 0)))
        self.assertAlmostEqual(known.calibration.mm_per_px, scale, delta=1e-6)

    def test_it_can_be_stopped_and_a_wrong_lift_is_said_first(self):
        def stop(_stage, share):
            if share > 0.3:
                raise CancelledError

        with self.assertRaises(CancelledError):
            review_clip(Request(self.made.path), stop)
        with self.assertRaisesRegex(UnknownLiftError, "bench. is unknown"):
            review_clip(Request(self.made.path, lift="bench"))


class DotsTest(unittest.TestCase):
    def test_dots_are_looked_for_on_whole_pictures_after_the_nets_had_rough_ones(self):
        path, seen = film().path, {}
        with Clip(path) as clip:
            whole = clip.gray(40).copy()

        def joints(clip, _request, tracked, flow, _tell):
            seen["nets"] = bool((clip.gray(40) == whole).all())
            return tracked, flow, []

        def dots(clip, *_about):
            seen["dots"] = bool((clip.gray(40) == whole).all())
            return {}

        with (
            mock.patch("keenkettle.coach.review._auto_joints", joints),
            mock.patch("keenkettle.coach.review.find_dots", dots),
        ):
            review = review_clip(Request(path, lift="power-clean", auto=True, dots=True))
        self.assertEqual(seen, {"nets": False, "dots": True})
        self.assertIn("no tape dots were found", review.warnings[-1])


class FaultTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.clean = reviewed(film(fps=60.0), 8, lift="power-clean")

    def findings(self, fault, lift="power-clean", **more):
        made = film(lift, fault, **more)
        return {f.fault: f for f in reviewed(made, 4, lift=lift).reps[0].verdict.findings}

    def test_a_dialled_fault_is_found_with_its_evidence(self):
        found = self.findings("jump-back")
        self.assertIn("jump-back", found)
        self.assertEqual(found["jump-back"].evidence[0].metric, "foot_shift")
        self.assertGreater(found["jump-back"].confidence, 0.9)

    def test_a_clean_lift_has_nothing_to_mend_and_something_to_keep(self):
        verdict = self.clean.reps[0].verdict
        self.assertEqual([f.says for f in verdict.findings], [])
        self.assertGreaterEqual(verdict.judged, 15)
        self.assertTrue(verdict.good)

    def test_facing_left_gives_the_same_answers(self):
        found = self.findings("unfinished-extension", facing="left", fps=20.0)
        self.assertEqual(found["unfinished-extension"].evidence[0].metric, "hip_extension")

    def test_the_camera_distance_is_worked_out_from_the_hand(self):
        self.assertAlmostEqual(self.clean.calibration.camera_m, 5.0, delta=1.3)

    def test_from_between_side_and_front_only_heights_and_times_are_judged(self):
        c = self.clean
        narrow = replace(c.ring, aspect=0.85)
        tracked = Tracked(c.info, c.times_s, narrow, 0.15, True, c.bar, None)
        turned = judge_tracks(Request(c.info.path, lift="power-clean", reference=TALL), tracked,
                              c.joints)  # fmt: skip
        (rep,) = turned.reps
        self.assertIn("32 degrees beside", rep.metrics["hip_extension"].why)
        self.assertIsNone(rep.metrics["net_x"].value)
        tall = c.reps[0].metrics["bar_peak_height"].value
        self.assertAlmostEqual(rep.metrics["bar_peak_height"].value, tall, delta=15.0)
        self.assertLess(rep.verdict.judged, 0.6 * c.reps[0].verdict.judged)
        self.assertIn("unfinished-extension", dict(rep.verdict.not_judged))

    def test_a_camera_of_unknown_turn_is_said_and_widens_errors(self):
        c = self.clean
        tracked = Tracked(c.info, c.times_s, c.ring, 0.15, True, c.bar, None)
        asked = Request(c.info.path, lift="power-clean", reference=TALL)
        told, unknown = (
            judge_tracks(asked, replace(tracked, far=far), c.joints)
            for far in (FarDisc(0.0, 0.78, 1.0, 0.02), None)
        )
        self.assertEqual([TURNED in r.warnings for r in (told, unknown)], [False, True])
        sure, rough = (r.reps[0].metrics["bar_hip_gap"].sigma for r in (told, unknown))
        self.assertGreater(rough, 1.5 * sure)

    def test_a_body_that_does_not_fit_its_disc_is_said(self):
        c = self.clean
        tracked = Tracked(c.info, c.times_s, c.ring, 0.15, True, c.bar, None)
        asked = Request(c.info.path, lift="power-clean", reference=TALL)

        def judged(discs, request=asked):
            review = judge_tracks(request, replace(tracked, in_discs=discs), c.joints)
            return review, " ".join(w for w in review.warnings if "against the disc" in w)

        self.assertEqual(judged(1750.0 / 450.0)[1], "")
        larger, said = judged(1750.0 / 350.0)
        self.assertIn("say its diameter", said)
        self.assertEqual(set(larger.joints), set(c.joints))
        self.assertEqual(judged(5.0, replace(asked, plate_mm=350.0))[1], "")
        other, said = judged(1300.0 / 450.0)
        self.assertIn("somebody further away", said)
        self.assertEqual(other.joints, {})
        self.assertIsNone(other.reps[0].metrics["hip_extension"].value)
        marked = replace(asked, marks={"hip": {0: (1.0, 1.0)}})
        self.assertEqual(judged(1300.0 / 450.0, marked)[1], "")

    def test_a_clip_in_which_nothing_is_lifted_has_no_reps(self):
        from keenkettle.measure.events import find_reps

        motion = self.clean.motion
        still = replace(motion, bar=motion.bar * 0, bar_v=motion.bar_v * 0)
        self.assertEqual(find_reps(still), [])


class OverheadTest(unittest.TestCase):
    def test_a_jerk_is_judged_from_its_dip(self):
        made = jerk(forward_mm=35.0)
        noise = np.random.default_rng(1).normal(0.0, 0.05, made.bar.shape)
        px = np.array([600.0, 400.0]) + made.bar * [0.25, -0.25] + noise
        count = len(px)
        info = ClipInfo(Path("j.mp4"), count, 1280, 720, float(made.t_s[-1]), 200.0, False, 0)
        bar = BarTrack(px, np.ones(count), 0.05)
        tracked = Tracked(info, made.t_s, Ring(600.0, 400.0, 56.25), 0.1, True, bar)
        for lift, caught in (("split-jerk", True), ("push-press", False)):
            request = Request(Path("j.mp4"), lift=lift, facing="right")
            (rep,) = judge_tracks(request, tracked, {}).reps
            self.assertIn("dip-forward", [f.fault for f in rep.verdict.findings])
            self.assertAlmostEqual(rep.metrics["dip_depth"].value, 150.0, delta=5.0)
            self.assertEqual(rep.events["catch"] is not None, caught)
            middle = (rep.span.lift_off + rep.span.end) // 2
            cut = replace(tracked, bar=replace(bar, cuts=(middle,)))
            across = judge_tracks(request, cut, {})
            self.assertEqual(across.reps, ())
            self.assertTrue(any(f"cut at frame {middle}" in w for w in across.warnings))
            document = as_document(judge_tracks(request, tracked, {}))
            self.assertIsNotNone(document["reps"][0]["events"]["dip_bottom"])
