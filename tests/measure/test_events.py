"""Events and reps on motions made by hand."""

import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np

from keenkettle.measure.calibration import Calibration
from keenkettle.measure.events import RepSpan, find_events, find_reps
from keenkettle.measure.metrics import measure_rep, phase_bounds, phase_times_ms
from keenkettle.measure.motion import BarTrack, Motion, make_motion
from keenkettle.measure.peak_speed import NOT_SEEN_FAST
from keenkettle.measure.sheet import RepContext

FPS = 100


def motion_of(y_mm, x_mm=None, joints=None):
    """A motion from heights at 100 frames a second."""
    y = np.asarray(y_mm, float)
    x = np.zeros_like(y) if x_mm is None else np.asarray(x_mm, float)
    bar = np.stack([x, y], -1)
    v = np.gradient(bar, 1 / FPS, axis=0) / 1000
    return Motion(np.arange(len(y)) / FPS, bar, v, np.gradient(v, 1 / FPS, axis=0), joints or {})


def step(count):
    """A smooth 0 to 1 with still ends."""
    u = np.linspace(0, 1, count)
    return u**3 * (10 - 15 * u + 6 * u * u)


def clean_heights():
    """Rest, pull to 1000, fall to 850, stand at 1150, hold."""
    return np.concatenate(
        [
            np.zeros(60),
            1000 * step(60),
            1000 - 150 * step(30)[1:],
            850 + 300 * step(80)[1:],
            np.full(60, 1150.0),
        ]
    )


class HiddenTest(unittest.TestCase):
    def test_a_speed_that_was_hidden_is_not_measured_and_a_short_gap_is_its_error(self):
        motion = motion_of(clean_heights())
        rep = find_reps(motion)[0]
        events = find_events(motion, rep, True)
        sigmas = []
        for gap in (0, 6, 24):
            seen = np.ones(len(motion.t_s), bool)
            fast = events["peak_velocity"]
            seen[fast - gap // 2 : fast + gap // 2] = False
            got = measure_rep(RepContext(replace(motion, seen=seen), rep, events, "clean"))
            sigmas.append(got["bar_peak_velocity"].sigma)
            speed, rhythm = got["bar_peak_velocity"], got["rhythm_ratio"]
        self.assertLess(3.0 * sigmas[0], sigmas[1])
        self.assertEqual((speed.value, speed.why), (None, NOT_SEEN_FAST))
        self.assertIsNone(rhythm.value)


class SmearedTest(unittest.TestCase):
    def test_a_bar_smeared_where_it_is_fastest_is_less_sure_of_its_speed(self):
        y = clean_heights()
        xy = np.stack([np.full_like(y, 300.0), 900.0 - y / 4.0], -1)
        fast = int(np.argmax(np.gradient(y)))
        sigmas = []
        for quality, at in ((0.95, fast), (0.6, fast), (0.6, 20)):
            seen = np.full(len(y), 0.95)
            seen[at - 3 : at + 4] = quality
            scale = Calibration(4.0, 112.0, 450.0, "given")
            motion = make_motion(
                np.arange(len(y)) / FPS, BarTrack(xy, seen, 0.05), {}, scale, "right"
            )
            rep = find_reps(motion)[0]
            got = measure_rep(RepContext(motion, rep, find_events(motion, rep, True), "clean"))
            sigmas.append(got["bar_peak_velocity"].sigma)
        plain, smeared, elsewhere = sigmas
        self.assertGreater(smeared, 3.0 * plain)
        self.assertAlmostEqual(elsewhere, plain, delta=0.1 * plain)


class CutFilmTest(unittest.TestCase):
    def test_pieces_of_a_film_do_not_bend_each_other(self):
        y = clean_heights()
        xy = np.stack([np.full_like(y, 300.0), 900.0 - y / 4.0], -1)
        scale = Calibration(4.0, 112.0, 450.0, "given")
        whole = make_motion(
            np.arange(len(y)) / FPS, BarTrack(xy, np.ones(len(y)), 0.05), {}, scale, "right"
        )
        # The bar stands high at the film's end and lies on the floor again after the cut.
        twice = BarTrack(np.tile(xy, (2, 1)), np.ones(2 * len(y)), 0.05, cuts=(len(y),))
        both = make_motion(np.arange(2 * len(y)) / FPS, twice, {}, scale, "right")
        self.assertLess(float(np.abs(both.bar_v[: len(y)] - whole.bar_v).max()), 0.01)
        self.assertLess(float(np.abs(both.bar_v[len(y) :] - whole.bar_v).max()), 0.01)
        starts = [rep.lift_off - n * len(y) for n, rep in enumerate(find_reps(both))]
        self.assertEqual(starts, [find_reps(whole)[0].lift_off] * 2)


class SwayTest(unittest.TestCase):
    def test_a_camera_held_by_hand_is_less_sure_than_one_on_a_stand(self):
        y = clean_heights()
        xy = np.stack([np.full_like(y, 300.0), 900.0 - y / 4.0], -1)
        t_s = np.arange(len(y)) / FPS
        scale = Calibration(4.0, 112.0, 450.0, "given")
        sway = np.stack([0.0 * t_s, 3.0 * np.sin(5.0 * t_s)], -1)
        stand, held = (
            make_motion(
                t_s, BarTrack(xy + s, np.ones(len(y)), 0.05, drift_px=d), {}, scale, "right"
            )
            for s, d in ((0.0, None), (sway, sway))
        )
        np.testing.assert_allclose(held.bar, stand.bar, atol=1e-6)
        self.assertGreater(held.speed_sigma, stand.speed_sigma + 0.005)
        self.assertGreater(held.bar_sigma, stand.bar_sigma + 1.0)


class RepTest(unittest.TestCase):
    def test_one_lift_is_one_rep_though_the_recovery_is_quick(self):
        reps = find_reps(motion_of(clean_heights()))
        self.assertEqual(len(reps), 1)
        self.assertAlmostEqual(reps[0].lift_off, 66, delta=8)

    def test_two_lifts_are_two_reps(self):
        one = clean_heights()
        down = 1150 * (1 - step(90))
        reps = find_reps(motion_of(np.concatenate([one, down, one])))
        self.assertEqual(len(reps), 2)
        self.assertGreater(reps[1].lift_off, len(one) + 60)

    def test_a_bar_that_is_only_rolled_is_no_rep(self):
        self.assertEqual(find_reps(motion_of(np.zeros(200), 300 * step(200))), [])

    def test_a_slow_raise_is_no_lift(self):
        slow = np.concatenate([np.zeros(50), 400 * step(600), np.full(50, 400.0)])
        self.assertEqual(find_reps(motion_of(slow)), [])


class EventTest(unittest.TestCase):
    def setUp(self):
        self.motion = motion_of(clean_heights())
        self.rep = find_reps(self.motion)[0]
        self.events = find_events(self.motion, self.rep, caught=True)

    def test_lift_off_is_the_last_sample_within_3_mm(self):
        y = self.motion.bar[:, 1]
        self.assertLessEqual(y[self.events["lift_off"]], 3.0)
        self.assertGreater(y[self.events["lift_off"] + 1], 3.0)

    def test_what_a_hand_sways_before_is_no_lift_off(self):
        y = clean_heights()
        creep = 24.0 * step(35)
        swayed = np.concatenate([np.zeros(25), creep, np.full(20, 24.0), 24.0 + y[60:]])
        rep = find_reps(motion_of(swayed))[0]
        self.assertAlmostEqual(rep.lift_off, 80 + self.rep.lift_off - 60, delta=2)

    def test_a_dropped_bar_that_bounces_is_not_lifted_again(self):
        t = np.arange(1, 60) / 60.0
        fall = 1150.0 - 0.5 * 9810.0 * t**2
        bounce = 2300.0 * t - 0.5 * 9810.0 * t**2
        dropped = np.concatenate([clean_heights(), fall[fall > 0], bounce[bounce > 0]])
        self.assertEqual(len(find_reps(motion_of(np.append(dropped, np.zeros(40))))), 1)
        again = np.concatenate([dropped, np.zeros(40), clean_heights()])
        self.assertEqual(len(find_reps(motion_of(again))), 2)

    def test_a_vertical_that_is_not_known_is_carried_into_ways_forward(self):
        sure = RepContext(self.motion, self.rep, self.events, "clean")
        unsure = RepContext(
            replace(self.motion, lean_sigma=np.radians(1.5)), self.rep, self.events, "clean"
        )
        own, wide = (measure_rep(c)["net_x"] for c in (sure, unsure))
        height = self.motion.bar[self.events["catch"], 1]
        self.assertAlmostEqual(wide.value, own.value)
        self.assertAlmostEqual(wide.sigma, np.hypot(own.sigma, 0.0262 * height), delta=0.1)

    def test_peak_catch_bottom_and_standing_come_in_order(self):
        names = ("lift_off", "peak_velocity", "peak_height", "catch", "bottom", "standing")
        at = [self.events[n] for n in names]
        self.assertEqual(at, sorted(at))
        self.assertAlmostEqual(self.events["peak_height"], 119, delta=1)
        self.assertAlmostEqual(self.events["bottom"], 148, delta=1)
        self.assertAlmostEqual(self.events["catch"], 134, delta=2)

    def test_noise_makes_a_catch_that_is_ridden_down_neither_early_nor_late(self):
        # It falls freely until it is met, at 0.8 m/s after 8 frames, and is braked more and more.
        free, ridden = 100.0 * np.arange(1, 9), 800.0 * np.cos(np.arange(1, 51) * np.pi / 100)
        down = 1000.0 - np.cumsum(np.concatenate([free, ridden])) / FPS
        heights = np.concatenate([1000.0 * step(60), down, np.full(30, down[-1])])
        rng, found = np.random.default_rng(5), []
        for _ in range(40):
            xy = np.stack([np.zeros(len(heights)), 1500.0 - heights], -1)
            xy += rng.normal(0.0, 0.7, xy.shape)
            track = BarTrack(xy, np.ones(len(xy)), 0.7)
            noisy = make_motion(
                np.arange(len(xy)) / FPS,
                track,
                {},
                Calibration(1.0, 450.0, 450.0, "found"),
                "right",
            )
            self.assertGreater(noisy.speed_sigma, 0.01)
            found.append(find_events(noisy, RepSpan(0, len(heights) - 1), True)["catch"])
        self.assertAlmostEqual(np.mean(found), 67.5, delta=1.0)
        self.assertLess(np.std(found), 1.0)

    def test_without_joints_their_events_are_none(self):
        for name in ("knee_pass", "power_position", "contact", "extension"):
            self.assertIsNone(self.events[name])

    def test_a_pull_has_no_catch(self):
        events = find_events(self.motion, self.rep, caught=False)
        self.assertIsNone(events["catch"])
        self.assertIsNone(events["bottom"])

    def test_a_bar_that_never_turns_has_no_peak(self):
        rising = motion_of(
            np.concatenate([np.zeros(60), 900 * step(60), np.linspace(900, 950, 30)])
        )
        events = find_events(rising, RepSpan(60, 149), caught=True)
        self.assertIsNone(events["peak_height"])
        self.assertIsNone(events["catch"])

    def test_phases_follow_each_other_without_a_gap(self):
        bounds = phase_bounds(self.events)
        for (_, _, end), (_, start, _) in pairwise(bounds):
            self.assertEqual(end, start)
        times = phase_times_ms(RepContext(self.motion, self.rep, self.events, "clean"))
        self.assertAlmostEqual(times["catch"], 140, delta=25)
        pull = phase_bounds(find_events(self.motion, self.rep, caught=False))
        self.assertEqual(pull[-1][0], "follow-through")


class MetricTest(unittest.TestCase):
    def setUp(self):
        y = clean_heights()
        n = len(y)
        still = {
            "heel": np.tile([-70.0, -213.0], (n, 1)), "toe": np.tile([196.0, -213.0], (n, 1)),
        }  # fmt: skip
        still["toe"][150:, 0] += 120.0
        still["toe"][128:140, 1] += 30.0
        still["heel"][126:142, 1] += 40.0
        self.motion = motion_of(y, joints=still)
        self.rep = find_reps(self.motion)[0]
        events = find_events(self.motion, self.rep, caught=True)
        events["extension"], events["power_position"] = 118, 110
        self.m = measure_rep(RepContext(self.motion, self.rep, events, "clean", 225.0))

    def test_heights_are_those_that_were_made(self):
        self.assertAlmostEqual(self.m["bar_peak_height"].value, 1000, delta=4)
        self.assertAlmostEqual(self.m["bar_peak_above_floor"].value, 1225, delta=4)
        total = self.m["catch_drop"].value + self.m["sink"].value
        self.assertAlmostEqual(total, 150, delta=4)

    def test_the_greatest_speed_is_that_of_the_curve(self):
        # The quintic step's greatest slope is 15/8 of its mean.
        self.assertAlmostEqual(self.m["bar_peak_velocity"].value, 1.0 / 0.59 * 15 / 8, delta=0.05)

    def test_feet_that_moved_and_flew_are_measured(self):
        self.assertAlmostEqual(self.m["foot_shift"].value, 120, delta=1)
        self.assertAlmostEqual(self.m["flight_time"].value, 120, delta=15)
        self.assertAlmostEqual(self.m["foot_lift"].value, 30, delta=1)

    def test_what_needs_missing_joints_says_which(self):
        self.assertIsNone(self.m["hip_extension"].value)
        self.assertIn("hip", self.m["hip_extension"].why)
        self.assertIsNone(self.m["front_shin"].value)

    def test_a_still_hold_has_no_sway(self):
        self.assertAlmostEqual(self.m["hold_sway"].value, 0.0, delta=0.5)
