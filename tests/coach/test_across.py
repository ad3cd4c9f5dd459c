"""Across a set: scatter, fade, the last good rep."""

import unittest
from types import SimpleNamespace

import numpy as np

from keenkettle.coach.across import across
from keenkettle.measure.sheet import Measure


def rep(speed, sigma=0.01, faults=(), **more):
    """A rep of which only measures and findings are looked at."""
    metrics = {"bar_peak_velocity": Measure(speed, sigma, "m/s")}
    metrics |= {name: Measure(value, 1.0, "mm") for name, value in more.items()}
    findings = tuple(SimpleNamespace(fault=f, severity=s) for f, s in faults)
    verdict = SimpleNamespace(findings=findings)
    return SimpleNamespace(metrics=metrics, verdict=verdict, events={}, motion=None)


class AcrossTest(unittest.TestCase):
    def of(self, made, name):
        return next(m for m in made.measures if m.metric == name)

    def test_one_rep_is_no_set(self):
        self.assertIsNone(across([rep(1.6)]))

    def test_two_reps_tell_neither_scatter_nor_fade(self):
        speed = self.of(across([rep(1.6), rep(1.5)]), "bar_peak_velocity")
        self.assertEqual((speed.scatter, speed.slope, speed.fades), (None, None, False))

    def test_a_steady_loss_is_a_fade_with_its_slope(self):
        made = across([rep(1.80 - 0.05 * i) for i in range(5)])
        speed = self.of(made, "bar_peak_velocity")
        self.assertAlmostEqual(speed.slope, -0.05)
        self.assertTrue(speed.fades)
        self.assertEqual(made.last_good, 4)
        self.assertIn("rep 5 has lost 11%", made.why)

    def test_what_measuring_makes_is_neither_scatter_nor_fade(self):
        rng = np.random.default_rng(4)
        fades = scatter = 0
        for _ in range(200):
            made = across([rep(1.8 + e, 0.03) for e in rng.normal(0, 0.03, 5)])
            speed = self.of(made, "bar_peak_velocity")
            fades += speed.fades
            scatter += speed.scatter > 0.03
        self.assertLess(fades, 16)
        self.assertLess(scatter, 34)  # chi square with 4 degrees: a tenth

    def test_true_scatter_is_found_through_the_error_of_measuring(self):
        rng = np.random.default_rng(5)
        values = rng.normal(0, 20.0, 400)
        made = across([rep(1.8, forward_swing=60.0 + v) for v in values])
        self.assertAlmostEqual(self.of(made, "forward_swing").scatter, 20.0, delta=2.0)

    def test_a_new_fault_ends_the_good_ones_and_an_old_one_does_not(self):
        old, new = ("hips-rise-first", "fix"), ("bar-crash", "fix")
        made = across([rep(1.8, faults=[old]), rep(1.8, faults=[old]), rep(1.8, faults=[old, new])])
        self.assertEqual((made.last_good, made.why), (2, "rep 3 brings bar crash"))
        noted = across([rep(1.8), rep(1.8, faults=[("bar-crash", "note")])])
        self.assertEqual((noted.last_good, noted.why), (2, "none falls off"))

    def test_a_loss_within_its_error_is_none(self):
        self.assertEqual(across([rep(1.8, 0.2), rep(1.6, 0.2)]).last_good, 2)

    def test_what_no_rep_shows_is_left_out(self):
        made = across([rep(1.8), rep(1.8, net_x=5.0), rep(1.8)])
        self.assertEqual([m.metric for m in made.measures], ["bar_peak_velocity"])
        self.assertIsNone(made.path_mm)
