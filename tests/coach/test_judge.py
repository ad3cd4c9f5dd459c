"""Limits, severities, roots and reasons, on measures made by hand."""

import unittest

from keenkettle.coach.faults import all_faults, read_faults
from keenkettle.coach.judge import Reference, judge, show_value
from keenkettle.coach.lifts import all_lifts, find_lift
from keenkettle.coach.tables import KnowledgeError
from keenkettle.measure.events import EVENT_NAMES
from keenkettle.measure.sheet import UNITS, Measure

EVENTS = dict.fromkeys(EVENT_NAMES, 10)
CLEAN = find_lift("power-clean")


def measures(sigma=1.0, **values):
    """Only these are measured."""
    out = {n: Measure(None, 0.0, u, None, "needs marks") for n, u in UNITS.items()}
    for name, value in values.items():
        out[name] = Measure(value, sigma, UNITS[name], 10)
    return out


def found(lift=CLEAN, ref=None, sigma=1.0, **values):
    """Findings by fault."""
    verdict = judge(lift, measures(sigma, **values), EVENTS, ref or Reference())
    return {f.fault: f for f in verdict.findings}


class SeverityTest(unittest.TestCase):
    def test_note_and_fix_by_the_limits(self):
        self.assertEqual(found(trunk_drop=7.9), {})
        self.assertEqual(found(trunk_drop=9.5)["hips-rise-first"].severity, "note")
        self.assertEqual(found(trunk_drop=14)["hips-rise-first"].severity, "fix")

    def test_within_its_own_error_of_the_limit_it_is_a_note_at_most(self):
        self.assertEqual(found(trunk_drop=12.5, sigma=2.0)["hips-rise-first"].severity, "note")
        self.assertEqual(found(trunk_drop=12.5, sigma=0.2)["hips-rise-first"].severity, "fix")

    def test_confidence_is_the_chance_that_the_limit_is_past(self):
        self.assertAlmostEqual(
            found(trunk_drop=9.0)["hips-rise-first"].confidence, 0.841, delta=0.001
        )

    def test_three_to_one_past_its_limit_is_a_note_and_less_is_too_close_to_tell(self):
        likely = found(trunk_drop=9.5, sigma=2.0)["hips-rise-first"]
        self.assertEqual((likely.severity, likely.confidence < 0.8), ("note", True))
        unsure = judge(CLEAN, measures(2.0, trunk_drop=9.2), EVENTS, Reference())
        self.assertEqual(unsure.findings, ())
        self.assertEqual(
            dict(unsure.not_judged)["hips-rise-first"],
            "is too close to its limit to tell: trunk tips forward by (9° ± 2°, limit 8°)",
        )
        self.assertNotIn(
            "hips-rise-first",
            dict(judge(CLEAN, measures(0.1, trunk_drop=5.0), EVENTS, Reference()).not_judged),
        )

    def test_a_stop_outranks_a_fix(self):
        f = found(elbow_rack=-50.0, elbow_rack_bottom=-55.0)["low-elbows"]
        self.assertEqual(f.severity, "stop")

    def test_both_conditions_must_hold_for_a_loop(self):
        self.assertNotIn("forward-loop", found(forward_swing=120.0, net_x=10.0))
        self.assertEqual(found(forward_swing=120.0, net_x=90.0)["forward-loop"].severity, "fix")

    def test_outside_works_both_ways(self):
        self.assertIn("poor-power-position", found(knee_power_position=115.0))
        self.assertIn("poor-power-position", found(knee_power_position=165.0))
        self.assertNotIn("poor-power-position", found(knee_power_position=135.0))

    def test_limits_follow_family_and_body(self):
        snatch = find_lift("power-snatch")
        self.assertIn("low-contact", found(snatch, contact_height=0.6, sigma=0.01))
        self.assertNotIn("low-contact", found(contact_height=0.6, sigma=0.01))
        self.assertNotIn("bar-away-from-hip", found(bar_hip_gap=140.0, ref=Reference(None, 120.0)))
        self.assertIn("bar-away-from-hip", found(bar_hip_gap=140.0))

    def test_hips_are_judged_against_the_pose_that_was_fitted(self):
        def weak(over, sigma_mm=10.0, lift="power-clean"):
            ref = Reference(set_hip_mm={"clean": (380.0, sigma_mm)})
            return found(
                find_lift(lift), ref, hip_over_bar_lift_off=over, shoulder_lead_lift_off=30.0
            ).get("weak-set")

        self.assertIsNone(weak(430.0))
        self.assertEqual((weak(455.0).severity, weak(500.0).severity), ("note", "fix"))
        self.assertEqual(weak(300.0).evidence[0].relation, "below")
        self.assertLess(weak(455.0, sigma_mm=18.0).confidence, 0.9)
        self.assertIsNone(weak(455.0, sigma_mm=40.0))
        self.assertIsNone(weak(500.0, lift="hang-power-clean"))
        untold = found(hip_over_bar_lift_off=500.0, shoulder_lead_lift_off=30.0)
        self.assertNotIn("weak-set", untold)


class VerdictTest(unittest.TestCase):
    def test_roots_come_before_what_follows_from_them(self):
        verdict = judge(
            CLEAN,
            measures(0.01, contact_height=0.2, contact_forward_speed=1.2),
            EVENTS,
            Reference(),
        )
        self.assertEqual([f.fault for f in verdict.findings], ["low-contact", "bar-bumped-forward"])
        self.assertEqual(verdict.findings[1].follows, "low-contact")

    def test_nothing_is_put_down_to_what_is_close_to_its_limit(self):
        values = measures(0.1, contact_forward_speed=1.2)
        values["contact_height"] = Measure(0.412, 0.05, "1", 10)
        first, last = judge(CLEAN, values, EVENTS, Reference()).findings
        self.assertEqual((first.fault, first.follows), ("bar-bumped-forward", ""))
        self.assertEqual((last.fault, last.severity), ("low-contact", "note"))

    def test_what_is_missing_is_said(self):
        reasons = dict(judge(CLEAN, measures(), EVENTS, Reference()).not_judged)
        self.assertIn("marks", reasons["early-arm-bend"])
        self.assertIn("front view", reasons["bar-tilt"])
        high = measures(bar_peak_above_floor=900.0)
        reasons = dict(judge(CLEAN, high, EVENTS, Reference()).not_judged)
        self.assertIn("stature", reasons["pull-too-low"])

    def test_what_was_measured_too_roughly_is_not_judged_unless_it_is_clear(self):
        rough = measures(sigma=94.0, bar_hip_gap=180.0)
        verdict = judge(CLEAN, rough, EVENTS, Reference())
        self.assertNotIn("bar-away-from-hip", [f.fault for f in verdict.findings])
        said = dict(verdict.not_judged)["bar-away-from-hip"]
        self.assertEqual(said, "was measured too roughly to tell (± 9.4 cm); mark the joints there")
        self.assertIn("bar-away-from-hip", found(sigma=94.0, bar_hip_gap=400.0))

    def test_heels_that_rise_after_the_drive_are_praised_without_a_number(self):
        early, late = (
            judge(CLEAN, measures(2.0, heel_rise_lead=ms), EVENTS, Reference()).good
            for ms in (20.0, -83.0)
        )
        self.assertIn("Whole foot down until the drive (20 ms)", early)
        self.assertIn("Whole foot down until the drive", late)

    def test_praise_needs_a_clear_margin(self):
        good = judge(CLEAN, measures(0.5, trunk_drop=1.0), EVENTS, Reference()).good
        self.assertTrue(any("Back angle" in g for g in good))
        unsure = judge(CLEAN, measures(5.0, trunk_drop=1.0), EVENTS, Reference()).good
        self.assertFalse(any("Back angle" in g for g in unsure))

    def test_a_bar_as_far_behind_as_it_may_be_ahead_is_not_praised(self):
        jerk = find_lift("split-jerk")
        for offset, praised in ((-20.0, True), (-70.0, False)):
            good = judge(jerk, measures(2.0, overhead_offset=offset), EVENTS, Reference()).good
            self.assertEqual(any("Bar stacked" in g for g in good), praised)

    def test_numbers_are_shown_with_their_units(self):
        self.assertEqual(show_value(163.4, "deg"), "163°")
        self.assertEqual(show_value(156.0, "mm"), "15.6 cm")


class KnowledgeTest(unittest.TestCase):
    def test_every_fault_of_the_contract_is_there_with_drills(self):
        self.assertEqual(len(all_faults()), 43)
        for fault in all_faults().values():
            self.assertGreaterEqual(len(fault.drills), 1, fault.id)
            self.assertTrue(set(fault.follows) <= set(all_faults()), fault.id)
        computed = [f for f in all_faults().values() if f.tests]
        self.assertGreaterEqual(len(computed), 15)
        self.assertGreaterEqual(len(all_lifts()), 29)

    def test_errors_name_file_entry_and_field(self):
        base = '[[fault]]\nid="x"\ntitle="X"\nsees="s"\nwhy="w"\nphase="p"\nevent="e"\ndraw="d"\n'
        base += 'cue="c"\nlabel="l"\n'
        for text, words in (
            (base + 'test=[{metric="nonsense",relation="above",limit=1}]', "'nonsense'.*metric"),
            (base + 'test=[{metric="sink",relation="above",limit="far"}]', "limit.*number"),
            (base.replace('cue="c"\n', "cue=3\n"), "fault 'x'.*cue.*text"),
            (base + "view=[", "not valid TOML"),
            (base + base, "twice"),
        ):
            with self.subTest(words), self.assertRaisesRegex(KnowledgeError, words) as caught:
                read_faults(text)
            self.assertIn("faults.toml", str(caught.exception))
