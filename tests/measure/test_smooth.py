"""Smoothing: exact on what it should keep, honest about what it cannot."""

import unittest

import numpy as np
from scipy.interpolate import make_smoothing_spline

from keenkettle.measure.smooth import TrackError, cutoff_for, smooth


class SmoothTest(unittest.TestCase):
    def test_a_straight_line_keeps_value_and_rate(self):
        t = np.linspace(0, 1, 61)
        s = smooth(t, 3.0 + 2.0 * t, 8.0)
        np.testing.assert_allclose(s.value, 3.0 + 2.0 * t, atol=1e-6)
        np.testing.assert_allclose(s.rate, 2.0, atol=1e-5)
        np.testing.assert_allclose(s.accel, 0.0, atol=1e-3)

    def test_half_amplitude_at_the_cut_off(self):
        t = np.arange(0, 4, 1 / 240)
        wave = np.sin(2 * np.pi * 10.0 * t)
        middle = slice(240, -240)
        kept = np.ptp(smooth(t, wave, 10.0).value[middle]) / 2.0
        self.assertAlmostEqual(kept, 0.5, delta=0.03)

    def test_uneven_times_give_the_same_speed(self):
        rng = np.random.default_rng(1)
        t = np.arange(0, 1.5, 1 / 60) + rng.uniform(-0.004, 0.004, 90)
        speed = smooth(t, np.sin(3.0 * t), 12.0).rate
        np.testing.assert_allclose(speed[8:-8], 3.0 * np.cos(3.0 * t)[8:-8], atol=0.02)

    def test_the_stated_error_of_the_rate_is_the_error_seen(self):
        rng = np.random.default_rng(2)
        t = np.arange(0, 20, 1 / 60)
        s = smooth(t, rng.normal(0, 0.5, len(t)), 10.0, noise=0.5)
        seen = float(np.std(s.rate[60:-60]))
        self.assertAlmostEqual(s.sigma_rate / seen, 1.0, delta=0.12)

    def test_a_gap_is_bridged_and_not_trusted(self):
        t = np.linspace(0, 1, 61)
        x = t**2
        x[20:24] = np.nan
        s = smooth(t, x, 12.0)
        np.testing.assert_allclose(s.value[20:24], (t**2)[20:24], atol=2e-3)

    def test_a_sample_far_from_the_others_does_not_make_a_speed_of_its_own(self):
        rng = np.random.default_rng(4)
        t = np.arange(0, 1, 1 / 120)
        x = 100.0 * np.sin(3.0 * t) + rng.normal(0, 0.1, len(t))
        x[60] += 3.0
        true = 300.0 * np.cos(3.0 * t)
        plain, robust = (smooth(t, x, 18.0, noise=0.1, robust=r) for r in (False, True))
        off = [np.abs(s.rate - true)[50:70].max() for s in (plain, robust)]
        self.assertLess(off[1], 0.35 * off[0])

    def test_it_is_the_natural_smoothing_spline(self):
        rng = np.random.default_rng(3)
        t = np.cumsum(rng.uniform(0.01, 0.02, 80))
        x, w = np.sin(4 * t) + rng.normal(0, 0.05, 80), rng.uniform(0.1, 1.0, 80)
        lam = 1.0 / (float(np.median(np.diff(t))) * (2 * np.pi * 9.0) ** 4)
        known = make_smoothing_spline(t, x, w, lam=lam)
        s = smooth(t, x, 9.0, w)
        np.testing.assert_allclose(s.value, known(t), atol=1e-9)
        np.testing.assert_allclose(s.rate, known.derivative(1)(t), atol=1e-7)

    def test_bad_tracks_are_named(self):
        with self.assertRaisesRegex(TrackError, "3 samples"):
            smooth(np.arange(3.0), np.arange(3.0), 10.0)
        with self.assertRaisesRegex(TrackError, "do not increase"):
            smooth(np.array([0, 1, 1, 2, 3.0]), np.arange(5.0), 10.0)

    def test_slow_film_cannot_carry_a_high_cut_off(self):
        self.assertAlmostEqual(cutoff_for(1 / 30, 15.0), 12.0)
        self.assertAlmostEqual(cutoff_for(1 / 120, 15.0), 15.0)
