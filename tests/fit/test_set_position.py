"""The set position against a search that knows nothing of the solver's short cuts."""

import unittest

import numpy as np

from keenkettle.fit.grip import fit_grip
from keenkettle.fit.lengths import make_lengths
from keenkettle.fit.set_position import (
    BAR_AHEAD_MM,
    LEAD_MM,
    LEAST_TRUNK_DEG,
    MOST_GAP_MM,
    SHIN_MM,
    Limits,
    SetPositionError,
    dorsiflexion_deg,
    fit_set_position,
    fitted_hip,
    planar_arm,
)

BODIES = 40  # the benchmark tries 500


def searched(lengths, arm, limits, raise_mm):
    """Whether any pose of a fine search keeps all limits with the bar raised this much.

    Searches over shank lean, hip place by thigh angle, and takes the trunk from there: another
    order of unknowns than the solver's.
    """
    b = lengths.body
    bar_y = limits.disc_mm / 2 + raise_mm
    lean = np.linspace(0.0, limits.ankle_deg, 121)[:, None, None]
    thigh = np.linspace(0.0, 90.0, 361)[None, :, None]  # above the backward horizontal
    gap = np.linspace(-0.5, MOST_GAP_MM + 0.5, 6)[None, None, :]
    a, t = np.radians(lean), np.radians(thigh)
    knee_x, knee_y = b.shank * np.sin(a), b.ankle_height + b.shank * np.cos(a)
    hip_x, hip_y = knee_x - b.thigh * np.cos(t), knee_y + b.thigh * np.sin(t)
    bar_x = (bar_y - b.ankle_height) * np.tan(a) + SHIN_MM / np.cos(a) + gap
    # The shoulder lies where the circles of trunk (about the hip) and arm (about the bar) meet.
    dx, dy = bar_x - hip_x, bar_y - hip_y
    d = np.hypot(dx, dy)
    along = (b.trunk**2 - arm**2 + d**2) / (2 * d)
    off2 = b.trunk**2 - along**2
    off = np.sqrt(np.maximum(off2, 0.0))
    sx, sy = hip_x + (along * dx - off * dy) / d, hip_y + (along * dy + off * dx) / d
    trunk = np.degrees(np.arctan2(sy - hip_y, sx - hip_x))
    flexion = 180.0 - (thigh + trunk)  # thigh forward and down, trunk forward and up
    ok = (off2 >= 0) & (flexion <= limits.hip_deg) & (trunk >= LEAST_TRUNK_DEG)
    ok &= (sx - bar_x >= LEAD_MM[0]) & (sx - bar_x <= LEAD_MM[1])
    ok &= (bar_x >= BAR_AHEAD_MM[0]) & (bar_x <= BAR_AHEAD_MM[1]) & (hip_y >= knee_y)
    return bool(np.any(ok))


class SetPositionTest(unittest.TestCase):
    def test_constraints_hold_in_the_pose(self):
        lengths = make_lengths(1750.0)
        fit = fit_set_position(lengths, 500.0)
        p, b = fit.pose.points, lengths.body
        for one, other, length in (
            ("ankle", "knee", b.shank),
            ("knee", "hip", b.thigh),
            ("hip", "shoulder", b.trunk),
            ("shoulder", "bar", planar_arm(lengths, 500.0)),
        ):
            self.assertAlmostEqual(float(np.linalg.norm(p[one] - p[other])), length, delta=1.0)
        self.assertAlmostEqual(p["bar"][1], 225.0, delta=0.01)
        self.assertLessEqual(fit.pose.ankle_deg, 25.1)
        self.assertGreaterEqual(fit.pose.hip_deg, 180.0 - 145.0 - 0.1)
        self.assertGreater(p["hip"][1], p["knee"][1])

    def test_agrees_with_the_search_on_random_bodies(self):
        rng = np.random.default_rng(11)
        for _ in range(BODIES):
            stature = float(rng.uniform(1500, 2050))
            measured = {
                "arm": stature * float(rng.uniform(0.35, 0.40)),
                "knee_height": stature * float(rng.uniform(0.265, 0.305)),
                "hip_crease": stature * float(rng.uniform(0.50, 0.56)),
            }
            lengths = make_lengths(stature, measured)
            limits = Limits(float(rng.uniform(8, 35)), float(rng.uniform(105, 140)))
            grip = float(rng.uniform(450, 900))
            arm = planar_arm(lengths, grip)
            fit = fit_set_position(lengths, grip, limits)
            if fit.least_raise_mm is None:
                self.assertFalse(searched(lengths, arm, limits, 390.0))
                continue
            self.assertTrue(searched(lengths, arm, limits, fit.least_raise_mm + 5.0))
            if fit.least_raise_mm > 5.0:
                self.assertFalse(searched(lengths, arm, limits, fit.least_raise_mm - 5.0))

    def test_a_tall_stiff_body_is_out_of_reach_and_told_what_would_do(self):
        lengths = make_lengths(1940.0)
        limits = Limits(25.0, 115.0)
        fit = fit_set_position(lengths, fit_grip(lengths).clean, limits)
        self.assertFalse(fit.reachable)
        self.assertEqual(fit.raise_mm, 150.0)
        self.assertEqual(fit.binding, ("hip",))
        more = Limits(25.0, 115.0 + fit.gain_hip_deg + 0.5)
        self.assertTrue(fit_set_position(lengths, fit_grip(lengths).clean, more).reachable)

    def test_taller_needs_more(self):
        needs = [
            fit_set_position(make_lengths(s), 500.0, Limits(25.0, 115.0)).least_raise_mm
            for s in (1600.0, 1750.0, 1900.0)
        ]
        self.assertEqual(needs, sorted(needs))

    def test_a_wide_grip_asks_for_more(self):
        lengths = make_lengths(1750.0)
        clean = fit_set_position(lengths, 500.0, Limits(25.0, 120.0)).least_raise_mm
        snatch = fit_set_position(lengths, 950.0, Limits(25.0, 120.0)).least_raise_mm
        self.assertGreater(snatch, clean)

    def test_the_coachs_own_discs_count(self):
        lengths = make_lengths(1940.0)
        limits = Limits(25.0, 115.0, raises_mm=(0.0, 140.0))
        self.assertEqual(fit_set_position(lengths, 560.0, limits).raise_mm, 140.0)

    def test_the_hip_over_the_bar_is_that_of_the_pose_and_surer_by_the_tape(self):
        own = make_lengths(1720.0)
        pose = fit_set_position(own, 560.0).pose
        hip, guessed_sd = fitted_hip(1720.0, {}, 560.0, Limits())
        self.assertAlmostEqual(hip, pose.points["hip"][1] - 225.0, delta=0.5)
        tape = {n: own[n] for n in ("arm", "shoulder_height", "hip_crease", "knee_height")}
        same, tape_sd = fitted_hip(1720.0, tape, 560.0, Limits())
        self.assertAlmostEqual(same, hip, delta=8.0)
        self.assertLess(tape_sd, 0.6 * guessed_sd)
        self.assertIsNone(fitted_hip(1940.0, {}, 1000.0, Limits(ankle_deg=5.0, hip_deg=90.0)))

    def test_wrong_limits_are_refused(self):
        with self.assertRaisesRegex(SetPositionError, "hip range is 300"):
            Limits(25.0, 300.0)

    def test_knee_to_wall(self):
        self.assertAlmostEqual(dorsiflexion_deg(100.0), 36.0)


if __name__ == "__main__":
    unittest.main()
