"""Every lift of the contract is simulated, split into its rep, and given its own events."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.coach.faults import all_faults
from keenkettle.coach.judge import Reference, joined, judge
from keenkettle.coach.lifts import all_lifts, find_lift
from keenkettle.lifter.drawn import simulate
from keenkettle.lifter.recipe import RecipeError, Shown
from keenkettle.lifter.truth import exact_motion, truth_of
from keenkettle.measure.descents import descent_events, find_descents, measure_descent
from keenkettle.measure.kinds import Kind, events_of, kind_of, measures_of, reps_of
from keenkettle.measure.metrics import phase_bounds
from keenkettle.measure.motion import Motion
from keenkettle.measure.sheet import NOT_THIS_LIFT, RepContext

CONTRACT = (
    "clean", "power-clean", "hang-power-clean", "hang-clean", "clean-pull", "high-pull",
    "jump-shrug", "muscle-clean", "snatch", "power-snatch", "hang-power-snatch", "hang-snatch",
    "snatch-pull", "muscle-snatch", "snatch-balance", "overhead-squat", "front-squat",
    "back-squat", "push-press", "power-jerk", "split-jerk", "squat-jerk", "clean-and-jerk",
    "deadlift", "romanian-deadlift", "mid-thigh-pull", "dumbbell-snatch", "kettlebell-snatch",
    "kettlebell-swing",
)  # fmt: skip
#: The event at which a rep's origin lies, and one that the lift cannot do without.
NEEDED = {
    Kind.PULL: ("lift_off", "peak_velocity"),
    Kind.GENTLE: ("lift_off", "peak_velocity"),
    Kind.OVERHEAD: ("dip_start", "dip_bottom"),
    Kind.LOW_OVERHEAD: ("dip_start", "bottom"),
    Kind.DESCENT: ("descent_start", "bottom"),
    Kind.CLEAN_AND_JERK: ("lift_off", "dip_bottom"),
}


def made(lift_id, faults=None):
    """A simulated rep of a lift of the catalogue."""
    x = find_lift(lift_id)
    axes = Shown(x.family, x.implement, x.start, x.ends, x.pre)
    return simulate(lift_id, axes, 1750.0, faults)


def kind(lift_id):
    """The kind of a lift of the catalogue."""
    x = find_lift(lift_id)
    return kind_of(x.id, x.family, x.start, x.ends)


def squat(reps=2, standing_mm=1450.0, drop_mm=520.0):
    """A bar that goes down and comes up again, 60 frames a second."""
    t = np.arange(0, 1.0 + 3.2 * reps, 1 / 60)
    y = np.full_like(t, standing_mm)
    for k in range(reps):
        inside = (t > 1.0 + 3.2 * k) & (t < 3.2 + 3.2 * k)
        y[inside] -= drop_mm / 2 * (1 - np.cos(2 * np.pi * (t[inside] - 1.0 - 3.2 * k) / 2.2))
    bar = np.stack([np.zeros_like(y), y], -1)
    v = np.gradient(bar, t, axis=0) / 1000.0
    return Motion(t, bar, v, np.gradient(v, t, axis=0))


class ContractTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.truths = {lift: (sim := made(lift), truth_of(sim)) for lift in CONTRACT}

    def test_every_lift_has_its_origin_and_its_main_event(self):
        for lift, (_, truth) in self.truths.items():
            for event in NEEDED[kind(lift)]:
                self.assertIsNotNone(truth.event_s[event], f"{lift}: {event}")

    def test_events_come_in_their_order(self):
        order = (
            "descent_start", "lift_off", "knee_pass", "extension", "peak_height", "catch",
            "standing", "dip_start", "dip_bottom", "drive_end", "recovered",
        )  # fmt: skip
        for lift, (_, truth) in self.truths.items():
            if kind(lift) in (Kind.OVERHEAD, Kind.LOW_OVERHEAD, Kind.DESCENT):
                continue
            at = [truth.event_s[e] for e in order if truth.event_s.get(e) is not None]
            self.assertEqual(at, sorted(at), lift)

    def test_the_bar_is_never_thrown_about(self):
        for lift, (sim, _) in self.truths.items():
            v = np.gradient(sim.bar, 1e-3, axis=0) / 1000.0
            a = np.gradient(v, 1e-3, axis=0)
            self.assertLess(float(np.abs(v).max()), 5.0, lift)
            self.assertLess(float(np.abs(a).max()), 130.0, lift)

    def test_limbs_keep_their_lengths(self):
        for lift, (sim, _) in self.truths.items():
            thigh = np.linalg.norm(sim.joints["hip"] - sim.joints["knee"], axis=1)
            if lift != "clean-and-jerk":  # chained by easing from one pose to the next
                np.testing.assert_allclose(thigh, sim.body.thigh, rtol=0.03, err_msg=lift)

    def test_a_split_has_a_rear_leg(self):
        self.assertIn("knee_rear", self.truths["split-jerk"][0].joints)
        self.assertIsNotNone(self.truths["split-jerk"][1].metrics["front_shin"].value)
        self.assertEqual(self.truths["power-jerk"][1].metrics["front_shin"].value is None, False)

    def test_measures_of_other_lifts_say_so(self):
        for lift, other in (("front-squat", "dip_depth"), ("power-jerk", "contact_height")):
            self.assertEqual(self.truths[lift][1].metrics[other].why, NOT_THIS_LIFT)

    def test_a_clean_and_jerk_has_both_parts(self):
        sim, truth = self.truths["clean-and-jerk"]
        self.assertLess(truth.event_s["catch"], truth.event_s["dip_start"])
        self.assertIsNotNone(truth.metrics["contact_height"].value)
        self.assertIsNotNone(truth.metrics["dip_depth"].value)
        motion = exact_motion(sim)
        (rep,) = reps_of(Kind.CLEAN_AND_JERK, motion)
        names = [n for n, _, _ in phase_bounds(events_of(Kind.CLEAN_AND_JERK, motion, rep, True))]
        self.assertLess(names.index("catch"), names.index("dip"))

    def test_a_contact_that_nobody_can_have_seen_is_not_told(self):
        exact = exact_motion(self.truths["power-clean"][0])
        (rep,) = reps_of(Kind.PULL, exact)
        seen = events_of(Kind.PULL, exact, rep, True)
        self.assertIsNotNone(seen["contact"])
        for sigma, told in ((30.0, True), (90.0, False)):
            unsure = {n: np.full(len(exact.t_s), sigma) for n in exact.joints}
            events = events_of(Kind.PULL, replace(exact, joint_sigma=unsure), rep, True)
            self.assertEqual(events["contact"] is not None, told, sigma)

    def test_a_bar_that_is_bumped_is_told_without_the_moment_of_contact(self):
        motion = exact_motion(made("power-clean", {"bar-bumped-forward": 1.4}))
        (rep,) = reps_of(Kind.PULL, motion)
        events = events_of(Kind.PULL, motion, rep, True)
        near = motion.bar.copy()
        near[: events["contact"]] = motion.joints["knee"][: events["contact"]]
        for bar, known in ((motion.bar, False), (near, True)):
            lost = events | {"contact": None, "power_position": None}
            ctx = RepContext(replace(motion, bar=bar), rep, lost, "clean", 225.0)
            sheet = measures_of(Kind.PULL, ctx)
            self.assertIsNone(sheet["contact_height"].value)
            self.assertEqual(sheet["contact_forward_speed"].value is not None, known)
        whole = measures_of(Kind.PULL, RepContext(motion, rep, events, "clean", 225.0))
        told, by_path = (x["contact_forward_speed"] for x in (whole, sheet))
        self.assertGreater(told.value, 0.5)
        self.assertAlmostEqual(by_path.value, told.value, delta=2.0 * by_path.sigma)
        self.assertLess(by_path.sigma, 0.2)

    def test_a_bump_is_told_by_its_crest_where_the_drive_is_seen_but_the_thigh_is_not(self):
        motion = exact_motion(made("power-clean", {"bar-bumped-forward": 1.4}))
        (rep,) = reps_of(Kind.PULL, motion)
        events = events_of(Kind.PULL, motion, rep, True)
        seen = np.ones(len(motion.t_s), bool)
        lost = events | {"contact": None}
        dragged = lost | {"power_position": events["catch"]}  # a coach may put it anywhere
        told = {}
        for name, some, ev in (
            ("met", seen, events),
            ("crest", seen, lost),
            ("hidden", ~seen, lost),
            ("dragged", seen, dragged),
        ):
            ctx = RepContext(replace(motion, seen=some), rep, ev, "clean", 225.0)
            told[name] = measures_of(Kind.PULL, ctx)["contact_forward_speed"]
        self.assertAlmostEqual(told["crest"].value, told["met"].value, delta=0.1)
        self.assertGreater(told["crest"].sigma, told["met"].sigma)
        self.assertIsNone(told["hidden"].value)
        self.assertIsNone(told["dragged"].value)

    def test_how_far_a_kettlebell_swings_is_measured(self):
        close = self.truths["kettlebell-snatch"][1].metrics["implement_gap"].value
        wide = truth_of(made("kettlebell-snatch", {"implement-swings-wide": 1.5}))
        self.assertGreater(wide.metrics["implement_gap"].value, close + 30.0)


class DialTest(unittest.TestCase):
    def test_each_dialled_fault_moves_its_own_measure(self):
        for lift, fault, metric, least in (
            ("power-jerk", "dip-forward", "dip_trunk_tilt", 5.0),
            ("push-press", "dip-too-deep", "dip_depth", 40.0),
            ("power-jerk", "bar-ahead-overhead", "overhead_offset", 50.0),
            ("split-jerk", "front-shin-off-vertical", "front_shin", -10.0),
        ):
            plain = truth_of(made(lift)).metrics[metric].value
            moved = truth_of(made(lift, {fault: 1.0})).metrics[metric].value
            change = (moved - plain) * np.sign(least)
            self.assertGreater(change, abs(least), f"{lift} {fault}: {plain} to {moved}")

    def test_a_fault_that_the_lift_cannot_have_is_named(self):
        with self.assertRaisesRegex(RecipeError, "low-contact.*front-squat.*dip-forward"):
            made("front-squat", {"low-contact": 1.0})
        with self.assertRaisesRegex(RecipeError, "size 9"):
            made("power-jerk", {"dip-forward": 9.0})


class DescentTest(unittest.TestCase):
    def test_each_squat_of_a_set_is_a_rep(self):
        motion = squat(reps=3)
        reps = find_descents(motion)
        self.assertEqual(len(reps), 3)
        for k, rep in enumerate(reps):
            ev = descent_events(motion, rep)
            self.assertAlmostEqual(motion.t_s[ev["bottom"]], 2.1 + 3.2 * k, delta=0.03)
            self.assertLess(ev["descent_start"], ev["bottom"])
            self.assertLess(ev["bottom"], ev["peak_velocity"])
            self.assertLess(ev["peak_velocity"], ev["standing"])
            near = abs(motion.bar[ev["descent_start"], 1] - 1450.0)
            self.assertLessEqual(near, 3.0)

    def test_a_squat_that_is_not_stood_up_is_no_rep(self):
        motion = squat(reps=1)
        cut = int(2.2 * 60)
        part = Motion(motion.t_s[:cut], motion.bar[:cut], motion.bar_v[:cut], motion.bar_a[:cut])
        self.assertEqual(find_descents(part), [])

    def test_a_bar_that_hardly_moves_is_no_rep(self):
        self.assertEqual(find_descents(squat(drop_mm=40.0)), [])

    def test_speed_and_sway_are_measured_without_joints(self):
        motion = squat(reps=1)
        (rep,) = find_descents(motion)
        ev = descent_events(motion, rep)
        got = measure_descent(RepContext(motion, rep, ev, "squat", start="rack"))
        true = 520.0 / 2 * 2 * np.pi / 2.2 / 1000.0
        self.assertAlmostEqual(got["bar_peak_velocity"].value, true, delta=0.01)
        self.assertLess(got["hold_sway"].value, 0.1)
        self.assertIn("marks", got["catch_thigh"].why)
        self.assertEqual(got["overhead_offset"].why, NOT_THIS_LIFT)


class JudgingTest(unittest.TestCase):
    def test_a_fault_that_is_no_part_of_the_lift_is_not_listed(self):
        sim = made("front-squat")
        x = find_lift("front-squat")
        motion = exact_motion(sim)
        (rep,) = reps_of(Kind.DESCENT, motion)
        events = events_of(Kind.DESCENT, motion, rep, False)
        measures = measures_of(Kind.DESCENT, RepContext(motion, rep, events, "squat", None, "rack"))
        verdict = judge(x, measures, events, Reference(1750.0))
        named = {f for f, _ in verdict.not_judged} | {f.fault for f in verdict.findings}
        self.assertNotIn("bar-ahead-overhead", named)

    def test_a_clean_and_jerk_is_judged_as_both(self):
        sim = made("clean-and-jerk", {"bar-ahead-overhead": 2.0, "bar-crash": 1.6})
        truth = truth_of(sim)
        events = {n: None if t is None else round(t * 1000) for n, t in truth.event_s.items()}
        both = joined(
            judge(find_lift("clean-and-jerk"), truth.metrics, events, Reference(1750.0)),
            judge(find_lift("split-jerk"), truth.metrics, events, Reference(1750.0)),
        )
        found = {f.fault for f in both.findings}
        self.assertLessEqual({"bar-ahead-overhead", "bar-crash"}, found)
        self.assertFalse(found & {f for f, _ in both.not_judged})

    def test_the_kinds_cover_the_catalogue(self):
        for x in all_lifts().values():
            self.assertIsInstance(kind_of(x.id, x.family, x.start, x.ends), Kind)
        self.assertGreaterEqual(len(all_faults()), 40)


if __name__ == "__main__":
    unittest.main()
