"""The simulated lifter's body and poses, and the truth that is written beside a film."""

import json
import unittest

import numpy as np

from keenkettle.lifter import keys
from keenkettle.lifter.body import (
    HEIGHT_SHARE,
    BodyError,
    body_from_stature,
    standing_heights_mm,
)
from keenkettle.lifter.camera import fitted_camera
from keenkettle.lifter.curves import pulse, smoothstep
from keenkettle.lifter.film import frame_times, picture_truth, truth_document, write_truth
from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.poses import leg_points, place_foot
from keenkettle.lifter.recipe import Recipe, RecipeError, recipe_for
from keenkettle.measure.sheet import UNITS
from tests.shared import scratch


class BodyTest(unittest.TestCase):
    def test_links_add_up_to_the_heights(self):
        body = body_from_stature(1800.0)
        heights = standing_heights_mm(1800.0)
        hip = body.ankle_height + body.shank + body.thigh
        self.assertAlmostEqual(hip, heights["hip"], delta=1.0)
        self.assertAlmostEqual(hip + body.trunk, heights["shoulder"], delta=1.0)
        self.assertAlmostEqual(body.arm, 0.386 * 1800.0, delta=0.1)

    def test_heights_rise_from_the_ankle_to_the_crown(self):
        shares = list(HEIGHT_SHARE.values())
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(standing_heights_mm(1650.0)["crown"], 1650.0)

    def test_statures_that_cannot_be_are_named(self):
        for stature in (999.0, 2301.0, -5.0, 0.0):
            with self.assertRaisesRegex(BodyError, "give a stature between 100 and 230 cm"):
                body_from_stature(stature)


class PoseTest(unittest.TestCase):
    def test_a_flat_foot_stands_on_the_floor_and_a_raised_heel_does_not(self):
        body = body_from_stature(1750.0)
        zero = np.zeros(1)
        flat = place_foot(body, zero, zero, zero)
        up = place_foot(body, zero, zero, np.full(1, 25.0))
        self.assertAlmostEqual(float(flat.ankle[0, 1]), body.ankle_height, delta=0.5)
        self.assertGreater(float(up.heel[0, 1]), float(flat.heel[0, 1]) + 30.0)
        self.assertAlmostEqual(float(up.toe[0, 1]), float(flat.toe[0, 1]), delta=25.0)

    def test_legs_keep_their_lengths_and_stand_straight_at_180(self):
        body = body_from_stature(1750.0)
        ankle = np.array([[0.0, body.ankle_height]])
        for lean, knee_deg in ((0.0, 180.0), (20.0, 110.0), (35.0, 70.0)):
            knee, hip = leg_points(body, ankle, np.array([lean]), np.array([knee_deg]))
            self.assertAlmostEqual(float(np.linalg.norm(knee - ankle)), body.shank, delta=0.1)
            self.assertAlmostEqual(float(np.linalg.norm(hip - knee)), body.thigh, delta=0.1)
        knee, hip = leg_points(body, ankle, np.zeros(1), np.full(1, 180.0))
        self.assertAlmostEqual(float(hip[0, 0]), 0.0, delta=1.0)

    def test_a_key_pose_moves_in_time_and_stays_the_same_pose(self):
        pose = keys.stand(keys.HANG)
        later = pose.at(1.25, "standing")
        self.assertEqual((later.after_s, later.stop), (1.25, "standing"))
        self.assertEqual((later.knee, later.trunk, later.hand), (pose.knee, pose.trunk, pose.hand))

    def test_deeper_squats_bend_the_knee_more(self):
        knees = [keys.squat(keys.OVER, d).knee for d in ("quarter", "overhead")]
        self.assertGreater(knees[0], knees[1])

    def test_lower_starts_lean_the_trunk_more(self):
        trunks = [keys.hinge(at).trunk for at in ("mid-thigh", "below-knee")]
        self.assertGreater(trunks[0], trunks[1])

    def test_ramps_and_pulses_stay_between_nothing_and_one(self):
        t = np.linspace(-1, 3, 401)
        for curve in (smoothstep(t, 0.0, 1.0), pulse(t, 0.0, 1.0)):
            self.assertGreaterEqual(curve.min(), -1e-9)
            self.assertLessEqual(curve.max(), 1.0 + 1e-9)
        self.assertEqual(smoothstep(t, 0.0, 1.0)[-1], 1.0)


class RecipeTest(unittest.TestCase):
    def test_starts_are_taken_from_the_lift_s_name(self):
        self.assertEqual(recipe_for("power-clean", 1750.0).shown.start, "floor")
        self.assertNotEqual(recipe_for("clean-mid-thigh-power-catch", 1750.0).shown.start, "floor")

    def test_unknown_lifts_and_faults_are_named(self):
        with self.assertRaisesRegex(RecipeError, "yawning"):
            Recipe("clean", 1750.0, {"yawning": 1.0})
        with self.assertRaises(ValueError):
            recipe_for("cartwheel", 1750.0)


class TruthTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.sim = build_motion(Recipe("power-clean", 1750.0))
        cls.camera = fitted_camera(640, 360, 30.0, 1750.0)
        cls.times = frame_times(cls.sim, cls.camera)
        cls.document = truth_document(cls.sim, cls.camera, cls.times)

    def test_every_frame_has_its_bar_and_joints_inside_the_picture(self):
        self.assertEqual(len(self.document["frames"]), len(self.times))
        for frame in self.document["frames"]:
            for x, y in (frame["bar_px"], *frame["joints_px"].values()):
                self.assertTrue(0 <= x < 640 and 0 <= y < 360)

    def test_events_name_the_frame_nearest_to_their_moment(self):
        for name, at in self.document["events"].items():
            if at is not None and name != "lift_off":
                nearest = int(np.argmin(np.abs(self.times - at["t_s"])))
                self.assertEqual(at["frame"], nearest, name)
        lift_off = self.document["events"]["lift_off"]
        self.assertLessEqual(self.times[lift_off["frame"]], lift_off["t_s"])

    def test_every_measure_is_there_with_its_unit(self):
        self.assertEqual({k: m["unit"] for k, m in self.document["metrics"].items()}, UNITS)
        self.assertGreater(self.document["metrics"]["bar_peak_velocity"]["value"], 1.0)

    def test_it_is_written_as_json(self):
        out = scratch() / "truth.json"
        write_truth(self.document, out)
        self.assertEqual(json.loads(out.read_text())["lift"], "power-clean")

    def test_jitter_moves_frames_by_less_than_half_a_frame_and_by_the_seed(self):
        even = frame_times(self.sim, self.camera)
        a, b, c = (frame_times(self.sim, self.camera, 0.6, s) for s in (1, 1, 2))
        self.assertTrue((a == b).all())
        self.assertFalse((a == c).all())
        self.assertLess(np.abs(a - even).max(), 0.31 / 30.0)
        self.assertTrue((np.diff(a) > 0).all())
        self.assertEqual(a[0], 0.0)

    def test_a_nearer_camera_sees_the_bar_larger_than_the_joints_behind_it(self):
        near = fitted_camera(640, 360, 30.0, 1750.0, distance_mm=3500.0)
        far = fitted_camera(640, 360, 30.0, 1750.0, distance_mm=9000.0)
        gaps = []
        for camera in (near, far):
            at = picture_truth(self.sim, camera, self.times)
            rise = [np.ptp(at[n][:, 1]) for n in ("bar", "wrist")]
            gaps.append(rise[1] / rise[0])
        self.assertLess(gaps[0], gaps[1])


if __name__ == "__main__":
    unittest.main()
