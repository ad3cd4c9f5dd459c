"""Lifts from the shoulders on a bar whose motion is written down."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.coach.guess import guess_overhead, on_shoulders
from keenkettle.measure.events import RepSpan
from keenkettle.measure.motion import Motion
from keenkettle.measure.overhead import (
    _leaves,
    find_overhead_reps,
    measure_overhead_rep,
    overhead_events,
)
from keenkettle.measure.sheet import RepContext

HZ = 200.0


def ease(t, start, end, size):
    """A smooth step."""
    u = np.clip((t - start) / (end - start), 0.0, 1.0)
    return size * u**3 * (10 - 15 * u + 6 * u * u)


def jerk(forward_mm=12.0, caught=True, times=1):
    """Dip of 150 mm, drive to 450 mm over the shoulders, 60 mm caught, stood up, held."""
    t = np.arange(0.0, 4.0 * times, 1.0 / HZ)
    y, x = np.zeros_like(t), np.zeros_like(t)
    for k in range(times):
        s = t - 4.0 * k
        part = (s >= 0) & (s < 4.0)
        w = -ease(s, 0.6, 0.95, 150.0) + ease(s, 0.95, 1.4, 600.0)
        if caught:
            w += -ease(s, 1.4, 1.6, 60.0) + ease(s, 1.7, 2.5, 120.0)
        w += -ease(s, 3.3, 3.8, 510.0 if caught else 450.0)
        y[part] = w[part]
        x[part] = (ease(s, 0.6, 0.95, forward_mm) - ease(s, 0.95, 1.4, forward_mm))[part]
    bar = np.stack([x, y], -1)
    v = np.gradient(bar, t, axis=0) / 1000.0
    return Motion(t, bar, v, np.gradient(v, t, axis=0), {})


class OverheadTest(unittest.TestCase):
    def test_the_events_are_where_they_were_made(self):
        m = jerk()
        (rep,) = find_overhead_reps(m)
        ev = overhead_events(m, rep, caught=True)
        for name, when in (("dip_bottom", 0.95), ("peak_height", 1.4), ("bottom", 1.65)):
            self.assertAlmostEqual(m.t_s[ev[name]], when, delta=0.06, msg=name)
        self.assertLess(abs(m.t_s[ev["dip_start"]] - 0.66), 0.08)
        self.assertTrue(ev["dip_bottom"] < ev["drive_end"] < ev["peak_height"] < ev["catch"])
        self.assertGreater(m.t_s[ev["recovered"]], 2.3)
        self.assertIsNone(ev["lift_off"])
        self.assertIsNone(ev["lockout"])

    def test_a_bar_that_the_arms_push_as_fast_once_more_was_driven_before(self):
        t = np.arange(0.0, 3.0, 1.0 / HZ)
        for share, driven_s in ((1.01, 1.075), (1.3, 1.265)):
            legs, arms = ease(t, 0.95, 1.2, 300.0), ease(t, 1.14, 1.39, 300.0 * share)
            y = legs + arms - ease(t, 0.6, 0.95, 150.0)
            bar = np.stack([np.zeros_like(y), y], -1)
            v = np.gradient(bar, t, axis=0) / 1000.0
            m = Motion(t, bar, v, np.gradient(v, t, axis=0), {})
            (rep,) = find_overhead_reps(m)
            ev = overhead_events(m, rep, caught=False)
            self.assertAlmostEqual(m.t_s[ev["drive_end"]], driven_s, delta=0.02)

    def test_the_dip_is_measured(self):
        m = jerk(forward_mm=25.0)
        (rep,) = find_overhead_reps(m)
        ev = overhead_events(m, rep, caught=True)
        got = measure_overhead_rep(RepContext(m, rep, ev, "jerk"))
        self.assertAlmostEqual(got["dip_depth"].value, 150.0, delta=4.0)
        self.assertAlmostEqual(got["dip_forward"].value, 25.0, delta=2.0)
        self.assertAlmostEqual(got["bar_peak_height"].value, 450.0, delta=5.0)
        self.assertAlmostEqual(got["catch_drop"].value, 30.0, delta=15.0)
        self.assertIsNone(got["dip_trunk_tilt"].value)
        # Where only the bar's path says which way is forward, nothing is.
        guessed = RepContext(replace(m, facing_told=False), rep, ev, "jerk")
        self.assertIn("which way", measure_overhead_rep(guessed)["dip_forward"].why)
        self.assertIn("hip", got["dip_trunk_tilt"].why)
        self.assertEqual(got["first_pull_velocity"].why, "not part of this lift")

    def test_where_the_bar_was_hidden_nothing_is_read(self):
        m = jerk()
        (rep,) = find_overhead_reps(m)
        ev = overhead_events(m, rep, caught=True)
        for event, name in (("peak_height", "bar_peak_height"), ("dip_bottom", "dip_depth")):
            for frames, read in ((8, True), (60, False)):
                seen = np.ones(len(m.t_s), bool)
                seen[ev[event] - frames // 2 : ev[event] + frames // 2] = False
                got = measure_overhead_rep(RepContext(replace(m, seen=seen), rep, ev, "jerk"))
                self.assertEqual(got[name].value is not None, read, (name, frames))
                if not read:
                    self.assertEqual(got[name].why, "the bar was hidden there")
        seen = np.arange(len(m.t_s)) > ev["dip_start"] + 3
        got = measure_overhead_rep(RepContext(replace(m, seen=seen), rep, ev, "jerk"))
        self.assertEqual(got["bar_peak_height"].why, "the bar was hidden at lift-off")

    def test_a_push_press_has_no_catch(self):
        m = jerk(caught=False)
        (rep,) = find_overhead_reps(m)
        ev = overhead_events(m, rep, caught=False)
        self.assertIsNone(ev["catch"])
        self.assertIsNotNone(ev["recovered"])

    def test_the_lift_is_guessed_from_the_bar_on_the_shoulders(self):
        for caught, wanted in ((True, "power-jerk"), (False, "push-press")):
            m = jerk(caught=caught)
            (rep,) = find_overhead_reps(m)
            self.assertFalse(on_shoulders(m, rep))
            still = np.zeros_like(m.bar)
            joints = {"shoulder": still - [50.0, 20.0], "hip": still - [80.0, 520.0]}
            known = Motion(m.t_s, m.bar, m.bar_v, m.bar_a, joints)
            self.assertTrue(on_shoulders(known, rep))
            self.assertEqual(guess_overhead(known, rep), wanted)

    def test_every_rep_of_a_set_is_found(self):
        self.assertEqual(len(find_overhead_reps(jerk(times=3))), 3)

    def test_a_foot_that_creeps_in_the_hold_has_not_left_it(self):
        creeps = np.concatenate([np.linspace(0.0, 70.0, 40), np.full(20, 20.0)])
        away = np.concatenate([creeps, np.linspace(20.0, 420.0, 41)])
        self.assertEqual(_leaves(away, 60.0), 60 + 5)
        self.assertEqual(_leaves(np.linspace(0.0, 420.0, 43), 60.0), 7)
        self.assertIsNone(_leaves(creeps[20:] * 0.5, 60.0))

    def test_a_pull_is_no_dip(self):
        t = np.arange(0.0, 3.0, 1.0 / HZ)
        bar = np.stack([np.zeros_like(t), ease(t, 0.5, 1.2, 900.0)], -1)
        v = np.gradient(bar, t, axis=0) / 1000.0
        self.assertEqual(find_overhead_reps(Motion(t, bar, v, v, {})), [])

    def test_a_still_bar_has_no_reps(self):
        t = np.arange(0.0, 2.0, 1.0 / HZ)
        zero = np.zeros((len(t), 2))
        self.assertEqual(find_overhead_reps(Motion(t, zero, zero, zero, {})), [])
        self.assertIsInstance(RepSpan(0, 1), RepSpan)


if __name__ == "__main__":
    unittest.main()
