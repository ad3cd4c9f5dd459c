"""A sound rep of any lift of the catalogue calls for no drill: faults are asked of lifts that have
the phase in which they arise, and what is shown to athletes is well done.
"""

import unittest

from keenkettle.coach.faults import all_faults
from keenkettle.coach.judge import Reference, judge
from keenkettle.coach.lifts import all_lifts, find_lift
from keenkettle.lifter.drawn import simulate
from keenkettle.lifter.recipe import Shown
from keenkettle.lifter.truth import truth_of

STATURE_MM = 1750.0
#: Its arms are drawn to move faster than a bell would that is left to fly.
ARMS_FIRST = {"dumbbell-hang-power-clean"}


def findings(lift, **faults):
    """Faults that call for a drill, or for a stop, in a rep, by its exact motion."""
    shown = Shown(lift.family, lift.implement, lift.start, lift.ends)
    dialled = {name.replace("_", "-"): size for name, size in faults.items()}
    truth = truth_of(simulate(lift.id, shown, STATURE_MM, dialled))
    frames = {n: None if t is None else round(t * 60.0) for n, t in truth.event_s.items()}
    found = judge(lift, truth.metrics, frames, Reference(stature_mm=STATURE_MM)).findings
    return {f.fault for f in found if f.severity != "note"}


class SoundTest(unittest.TestCase):
    def test_no_sound_rep_calls_for_a_drill(self):
        kinds = {(x.family, x.implement, x.ends): x for x in reversed(all_lifts().values())}
        for lift in kinds.values():
            if lift.id not in ARMS_FIRST:
                self.assertEqual(findings(lift), set(), lift.id)

    def test_what_is_dialled_in_is_found(self):
        for lift, fault in (
            ("push-press", "rebend-in-push-press"), ("clean-and-jerk", "jump-forward"),
            ("split-jerk", "bar-ahead-overhead"), ("high-pull", "early-arm-bend"),
            ("muscle-snatch", "bar-bumped-forward"), ("power-jerk", "dip-forward"),
        ):  # fmt: skip
            found = findings(find_lift(lift), **{fault.replace("-", "_"): 2.0})
            self.assertIn(fault, found, lift)

    def test_what_has_no_such_phase_is_not_asked(self):
        for lift, faults in {
            "snatch-pull": ("bar-ahead-overhead", "press-out", "uneven-lockout"),
            "deadlift": ("rushed-first-pull", "unfinished-extension", "lowering-away"),
            "clean-floor-to-knee": ("rushed-first-pull", "late-drive", "bar-away-from-hip"),
            "romanian-deadlift": ("lowering-away", "hips-rise-first"),
            "clean-mid-thigh-power-catch": ("low-contact", "late-drive"),
            "kettlebell-swing": ("implement-swings-wide", "early-arm-bend"),
            "dumbbell-snatch": ("bar-away-from-hip", "bar-crash"),
            "tall-clean": ("early-arm-bend", "unfinished-extension"),
        }.items():
            for fault in faults:
                self.assertFalse(all_faults()[fault].belongs_to(find_lift(lift)), (lift, fault))

    def test_what_has_the_phase_is_asked(self):
        for lift in ("clean-raised-pull", "power-clean", "snatch", "high-pull"):
            for fault in ("rushed-first-pull", "early-arm-bend", "weak-set", "late-drive"):
                self.assertTrue(all_faults()[fault].belongs_to(find_lift(lift)), (lift, fault))
