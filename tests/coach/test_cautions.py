"""Cautions: those that matter for a lift, a drill, a finding, a person, and few at a time."""

import unittest

from keenkettle.coach.cautions import (
    MOST,
    all_cautions,
    cautions_for,
    drill_cautions,
    fault_caution,
    lifts_in,
    read_cautions,
    who_is,
)
from keenkettle.coach.faults import all_faults
from keenkettle.coach.lifts import CATCHES, all_lifts
from keenkettle.coach.person import Person
from keenkettle.coach.remedies import all_drills
from keenkettle.coach.tables import KnowledgeError


class CautionTest(unittest.TestCase):
    def test_every_caught_or_overhead_lift_says_how_it_is_missed(self):
        for lift in all_lifts().values():
            overhead = lift.family in ("jerk", "press") and lift.ends in ("press", "push-press")
            if lift.implement == "barbell" and (lift.ends in CATCHES or overhead):
                with self.subTest(lift.id):
                    self.assertIn("let go, not fought", " ".join(cautions_for([lift])))

    def test_a_squat_or_a_pull_says_nothing_of_missed_catches(self):
        for name in ("clean-pull", "back-squat", "romanian-deadlift"):
            says = " ".join(cautions_for([all_lifts()[name]]))
            self.assertNotIn("Nobody spots", says)
            self.assertTrue(says, name)

    def test_raised_starts_warn_of_stacks_and_bells_of_the_forearm(self):
        raised = next(x for x in all_lifts().values() if x.start == "blocks")
        bell = next(x for x in all_lifts().values() if x.implement == "kettlebell")
        self.assertIn("proper blocks", " ".join(cautions_for([raised])))
        self.assertIn("forearm", " ".join(cautions_for([bell])))

    def test_people_come_first_and_there_are_never_many(self):
        clean = all_lifts()["clean"]
        child = who_is(Person(age=15.0, training_years=0.2))
        self.assertEqual(child, {"minor"})
        self.assertTrue(cautions_for([clean], child)[0].startswith("Under 18"))
        all_at_once = frozenset({"pain", "minor", "older", "long-break", "novice"})
        self.assertEqual(len(cautions_for(all_lifts().values(), all_at_once)), MOST)
        self.assertTrue(cautions_for([clean], all_at_once)[0].startswith("Pain is a stop"))

    def test_what_is_not_known_of_a_person_says_nothing(self):
        self.assertEqual(who_is(Person()), frozenset())
        self.assertEqual(who_is(Person(age=57.0, training_years=20.0)), {"older"})
        self.assertEqual(
            who_is(Person(age=30.0, pain=("knee",)), rusty=True), {"pain", "long-break"}
        )

    def test_drills_and_findings_have_theirs(self):
        self.assertIn("held from the side", drill_cautions("barrier-stick")[0])
        self.assertEqual(drill_cautions("pause-pull-knee"), ())
        self.assertIn("not a ruling", fault_caution("press-out"))
        self.assertEqual(fault_caution("hips-rise-first"), "")

    def test_they_name_only_drills_and_faults_that_are_there(self):
        for c in all_cautions():
            self.assertLessEqual(set(c.drills), set(all_drills()), c.id)
            self.assertLessEqual(set(c.faults), set(all_faults()), c.id)
            self.assertLess(len(c.says), 200, c.id)
            self.assertTrue(
                c.who or c.drills or c.faults or any(map(c.concerns, all_lifts().values()))
            )

    def test_lifts_are_found_in_a_sessions_text(self):
        found = [x.id for x in lifts_in("hang power clean 4x2 @ 40 kg\nback squat 3x5\nrest")]
        self.assertIn("back-squat", found)
        self.assertTrue(any("hang" in x for x in found))
        self.assertNotIn("power-clean", found)
        self.assertEqual(lifts_in("nothing that lifts"), ())

    def test_a_wrong_caution_names_its_field(self):
        with self.assertRaisesRegex(KnowledgeError, "'x'.*implements"):
            read_cautions('[[caution]]\nid = "x"\nimplements = ["anvil"]\nsays = "y"\n')
