"""Drills: the right ones first, the wrong ones left out with a reason."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from keenkettle.coach.faults import all_faults
from keenkettle.coach.lifts import find_lift
from keenkettle.coach.remedies import MOST_DRILLS, AthleteState, all_drills, cover, propose

CLEAN = find_lift("power-clean")
FIT = AthleteState(equipment=("blocks", "rack", "band"), bests_kg={"power-clean": 70.0})


def ids(confirmed, athlete=FIT):
    """Proposed drill ids, best first."""
    return [p.drill.id for p in propose(confirmed, CLEAN, athlete)[0]]


class ProposeTest(unittest.TestCase):
    def test_the_usual_first_drill_comes_first(self):
        self.assertEqual(ids(["hips-rise-first"])[0], "lift-to-knee-hold")

    def test_the_root_comes_before_its_consequence(self):
        first = propose(["forward-loop", "low-contact"], CLEAN, FIT)[0][0]
        self.assertEqual(first.faults[0], "low-contact")

    def test_one_drill_that_answers_two_faults_is_preferred(self):
        best = propose(["unfinished-extension", "bar-away-from-hip"], CLEAN, FIT)[0][0]
        self.assertEqual(set(best.faults), {"unfinished-extension", "bar-away-from-hip"})

    def test_pain_clearance_and_equipment_close_drills_with_a_reason(self):
        sore = AthleteState(pain=("wrist",), clearances={"bail_out": "not_yet"})
        proposals, left = propose(["unfinished-extension"], CLEAN, sore)
        reasons = {x.drill.id: x.because for x in left}
        self.assertIn("wrist pain", reasons["power-position-lift"])
        self.assertNotIn("power-position-lift", [p.drill.id for p in proposals])
        bare = propose(["transition-sink"], CLEAN, AthleteState())[1]
        self.assertIn("blocks", {x.drill.id: x.because for x in bare}["block-pull-mid-thigh"])

    def test_what_was_tried_without_effect_is_not_repeated(self):
        tried = AthleteState(no_effect=(("hips-rise-first", "lift-to-knee-hold"),))
        self.assertNotIn("lift-to-knee-hold", ids(["hips-rise-first"], tried))

    def test_loads_are_kilograms_where_the_best_is_known(self):
        lines = {p.drill.id: p.session_line for p in propose(["low-contact"], CLEAN, FIT)[0]}
        self.assertIn("@ 45kg", lines["block-lift-contact"].replace("47.5", "45"))
        unknown = {p.drill.id: p for p in propose(["low-contact"], CLEAN, AthleteState())[0]}
        self.assertIn("% of power clean", unknown["hang-power-clean-mid-thigh"].load_text)

    def test_how_one_knows_that_it_worked_is_said(self):
        p = propose(["unfinished-extension"], CLEAN, FIT)[0][0]
        self.assertIn("170° or more on 3 clips", p.worked_if)

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.sampled_from(sorted(all_faults())), min_size=1, max_size=5, unique=True))
    def test_at_most_three_and_never_a_closed_one(self, confirmed):
        athlete = AthleteState(pain=("shoulder",), clearances={"rack": "not_yet"})
        proposals, left = propose(confirmed, CLEAN, athlete)
        self.assertLessEqual(len(cover(proposals)), MOST_DRILLS)
        for p in proposals:
            self.assertNotIn("shoulder", p.drill.avoid)
            self.assertNotIn("rack", p.drill.needs)
        self.assertTrue(all(x.because for x in left))
        for fault in confirmed:
            known = {p.drill.id for p in proposals if fault in p.faults} | {
                x.drill.id for x in left
            }
            self.assertTrue(set(all_faults()[fault].drills) <= known)

    def test_every_drill_is_used_and_complete(self):
        used = {d for f in all_faults().values() for d in f.drills}
        self.assertEqual(used, set(all_drills()))
        for drill in all_drills().values():
            self.assertTrue(drill.how and drill.why and (drill.best or drill.load), drill.id)
            self.assertLessEqual(drill.high, 1.4)
