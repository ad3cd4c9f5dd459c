"""The athlete file of the headless commands, and what closes a lift for an athlete."""

import unittest

from keenkettle.coach.clearing import (
    PAIN_OPENS,
    all_checks,
    check_closure,
    closures,
    open_lifts,
    what_opens,
)
from keenkettle.coach.lifts import CHECKS, all_lifts
from keenkettle.coach.person import CheckResult, Person, PersonError, person_from, stature_mm

SOUND = {"stature_cm": 175, "clearances": dict.fromkeys(CHECKS, "pass")}


class PersonFromTest(unittest.TestCase):
    def test_a_whole_file_is_read(self):
        person = person_from(
            {
                "name": "Nell", "stature_cm": 175, "mass_kg": 70, "age": 31, "sport": "rowing",
                "goal": "power", "sessions_per_week": 3, "clearances": {"rack": "partly"},
                "pain": ["shoulder"], "past_pain": ["knee"], "equipment": ["blocks"],
                "bests": {"power-clean": 80}, "rungs": {"floor-first-clean": 6},
                "open_faults": ["low-contact"], "what_else": "is passed over",
            }
        )  # fmt: skip
        self.assertEqual(person.stature_mm, 1750.0)
        self.assertEqual(person.state("rack"), "partly")
        self.assertEqual(person.bests_kg, {"power-clean": 80.0})
        self.assertEqual(person.rungs, {"floor-first-clean": 6})
        self.assertEqual((person.pain, person.past_pain), (("shoulder",), ("knee",)))

    def test_nothing_is_needed(self):
        person = person_from({})
        self.assertIsNone(person.stature_mm)
        self.assertEqual(person.goal, "")

    def test_each_wrong_field_is_named_with_what_it_should_be(self):
        for data, says in (
            ({"age": -4}, "age is -4; give a number from 5 to 110"),
            ({"age": True}, "age is True"),
            ({"mass_kg": "heavy"}, "mass_kg is 'heavy'"),
            ({"sessions_per_week": 40}, "sessions_per_week is 40"),
            ({"goal": "fame"}, "goal is 'fame'"),
            ({"sport": 7}, "sport is 7"),
            ({"pain": "knee"}, "pain should be a list"),
            ({"pain": ["tail"]}, "pain holds 'tail'"),
            ({"clearances": {"wings": "pass"}}, "clearances holds 'wings'"),
            ({"clearances": {"rack": "fine"}}, "clearances.rack is 'fine'"),
            ({"clearances": ["rack"]}, "clearances should be a table"),
            ({"bests": {"curl": 40}}, "bests holds 'curl'"),
            ({"bests": {"clean": 900}}, "clean is 900"),
            ({"rungs": {"floor-first-clean": 0}}, "floor-first-clean is 0"),
            ({"equipment": [3]}, "equipment should be a list of texts"),
        ):
            with self.subTest(says), self.assertRaises(PersonError) as caught:
                person_from(data)
            self.assertIn(says, str(caught.exception))
            self.assertNotIn("\n", str(caught.exception))

    def test_inches_are_noticed(self):
        with self.assertRaisesRegex(PersonError, "looks like inches; give 175 cm"):
            stature_mm({"stature_cm": 69})
        self.assertEqual(stature_mm({"stature_cm": 175.5}), 1755.0)
        self.assertIsNone(stature_mm({}))


class ClosureTest(unittest.TestCase):
    def test_everything_passed_opens_every_barbell_lift(self):
        person = person_from(SOUND)
        is_open, shut = open_lifts(person)
        self.assertEqual(len(is_open) + len(shut), len(all_lifts()))
        self.assertEqual(shut, {})

    def test_a_check_that_was_not_tried_says_how_to_try_it(self):
        closed = check_closure("rack", Person())
        self.assertIn("not tested", closed.because)
        self.assertTrue(closed.opens_with.startswith("try it: "))

    def test_a_check_that_was_not_passed_says_how_to_mend_it(self):
        closed = check_closure("rack", Person(checks={"rack": CheckResult("not_yet")}))
        self.assertEqual(closed.opens_with, all_checks()["rack"].mend)
        self.assertIsNone(check_closure("rack", Person(checks={"rack": CheckResult("pass")})))

    def test_pain_closes_and_only_a_clinician_opens(self):
        person = person_from({**SOUND, "pain": ["wrist"]})
        lift = next(x for x in all_lifts().values() if "wrist" in x.loads)
        found = closures(lift, person)
        self.assertEqual(found[0].by, "wrist")
        self.assertEqual(found[0].opens_with, PAIN_OPENS)
        self.assertIn("clinician", PAIN_OPENS)

    def test_missing_things_close_only_where_the_things_are_known(self):
        lift = next(x for x in all_lifts().values() if "blocks" in x.equipment)
        without = person_from({**SOUND, "equipment": ["rack"]})
        self.assertIn("no blocks at hand", [c.because for c in closures(lift, without)])
        self.assertEqual(closures(lift, person_from(SOUND)), ())
        there = person_from({**SOUND, "equipment": ["blocks"]})
        self.assertNotIn("blocks", [c.by for c in closures(lift, there)])

    def test_what_a_check_opens_needs_it(self):
        for check in all_checks():
            for lift in what_opens(check):
                self.assertIn(check, lift.needs)
        self.assertTrue(what_opens("overhead"))


if __name__ == "__main__":
    unittest.main()
