"""Athletes' facts: to the records' JSON and back, older records, and what judgement sees."""

import unittest
from dataclasses import replace
from datetime import date

from keenkettle.club.people import (
    Facts,
    Pain,
    facts_of,
    fitted_by,
    person_of,
    read_facts,
    set_hips_of,
    write_facts,
)
from keenkettle.club.stale import body_of
from keenkettle.club.tables import Athlete
from keenkettle.coach.person import Best, CheckResult
from keenkettle.fit.grip import Trial

TODAY = date(2026, 11, 23)
FULL = Facts(
    born=date(2001, 3, 4),
    started=date(2024, 11, 23),
    goal="power",
    sessions_per_week=3.0,
    days=(0, 2, 4),
    mass_kg=76.5,
    lengths_mm={"arm": 620.0},
    ankle_deg=31.0,
    hip_deg=118.0,
    trial=Trial(900.0, 905.0),
    grips_mm={"snatch": 930.0},
    checks={"rack": (CheckResult("not_yet", date(2026, 1, 1)), CheckResult("pass", TODAY, "ok"))},
    pains=(Pain("knee", False, date(2025, 5, 5), "old", "Dr Elm"), Pain("wrist", True)),
    equipment=("barbell", "blocks"),
    bests=(("clean", Best(80.0, date(2026, 6, 1), "seen")), ("clean", Best(75.0, TODAY, "told"))),
    consent="film",
    liking={"snatch": 2},
    rating={"clean": 4},
)


class FittedTest(unittest.TestCase):
    def test_hips_are_fitted_for_grips_that_are_settled(self):
        able = replace(FULL, hip_deg=None)
        stiff, kit = (
            Athlete(name="Kit", stature_mm=1720.0, facts=write_facts(f)) for f in (FULL, able)
        )
        self.assertEqual(set_hips_of(stiff), {})  # the floor is out of reach
        hips = set_hips_of(kit)
        self.assertEqual(list(hips), ["snatch"])
        self.assertTrue(250.0 < hips["snatch"][0] < 420.0)
        wider = Athlete(
            name="Kit", stature_mm=1720.0,
            facts=write_facts(replace(able, grips_mm={"snatch": 990.0})),
        )  # fmt: skip
        self.assertNotEqual(set_hips_of(wider), hips)
        self.assertNotEqual(body_of(wider), body_of(kit))
        bare = Athlete(name="Kit", stature_mm=1720.0, facts={})
        self.assertEqual((set_hips_of(bare), fitted_by(bare)), ({}, ""))


class FactsTest(unittest.TestCase):
    def test_everything_comes_back_as_it_went(self):
        self.assertEqual(read_facts(write_facts(FULL)), FULL)

    def test_what_is_not_known_is_not_written(self):
        self.assertEqual(write_facts(Facts()), {})
        self.assertEqual(read_facts({}), Facts())

    def test_zero_is_known(self):
        self.assertEqual(read_facts(write_facts(Facts(ankle_deg=0.0))).ankle_deg, 0.0)

    def test_records_of_the_first_version_are_read(self):
        old = {
            "clearances": {"rack": "pass"},
            "bests_kg": {"clean": 70.0},
            "pain": ["shoulder"],
            "checks": {"overhead": [{"state": "partly"}]},
        }
        facts = read_facts(old)
        self.assertEqual(facts.check("rack"), CheckResult("pass"))
        self.assertEqual(facts.check("overhead").state, "partly")
        self.assertEqual(facts.best_of("clean"), Best(70.0))
        self.assertEqual(facts.painful, ("shoulder",))

    def test_a_newer_word_on_a_check_outranks_the_old_table(self):
        both = {"clearances": {"rack": "not_yet"}, "checks": {"rack": [{"state": "pass"}]}}
        self.assertEqual(read_facts(both).check("rack").state, "pass")

    def test_answers_pile_up_and_the_newest_counts(self):
        facts = FULL.with_check("rack", CheckResult("partly", TODAY))
        self.assertEqual(len(facts.checks["rack"]), 3)
        self.assertEqual(facts.check("rack").state, "partly")
        self.assertEqual(FULL.check("rack").state, "pass")
        self.assertIsNone(facts.check("landing"))

    def test_pain_is_one_word_a_joint(self):
        facts = FULL.with_pain(Pain("wrist", False, TODAY, "", "Dr Elm"))
        self.assertEqual(facts.painful, ())
        self.assertEqual(len(facts.pains), 2)

    def test_the_highest_best_counts_though_a_lower_one_is_newer(self):
        self.assertEqual(FULL.best_of("clean").kg, 80.0)
        self.assertIsNone(FULL.best_of("snatch"))
        self.assertEqual(FULL.with_best("clean", Best(82.5)).best_of("clean").kg, 82.5)

    def test_age_is_in_years(self):
        self.assertAlmostEqual(FULL.age(TODAY), 25.72, delta=0.01)
        self.assertIsNone(Facts().age(TODAY))


class PersonTest(unittest.TestCase):
    def athlete(self, facts):
        return Athlete(
            id=4, name="Nell Harrow", sport="rowing", stature_mm=1740.0, facts=write_facts(facts)
        )

    def test_judgement_sees_the_newest_and_the_highest(self):
        person = person_of(self.athlete(FULL), TODAY, {"floor-first-clean": 3}, ("low-contact",))
        self.assertEqual(person.state("rack"), "pass")
        self.assertEqual(person.bests_kg, {"clean": 80.0})
        self.assertEqual((person.pain, person.past_pain), (("wrist",), ("knee",)))
        self.assertAlmostEqual(person.training_years, 2.0, delta=0.01)
        self.assertEqual(person.rungs, {"floor-first-clean": 3})
        self.assertEqual(person.open_faults, ("low-contact",))
        self.assertEqual(person.mass_kg, 76.5)

    def test_nothing_known_is_nothing_claimed(self):
        person = person_of(self.athlete(Facts()), TODAY)
        self.assertIsNone(person.age)
        self.assertIsNone(person.training_years)
        self.assertIsNone(person.mass_kg)
        self.assertEqual(person.state("rack"), "not_tested")

    def test_the_row_holds_what_was_written(self):
        self.assertEqual(facts_of(self.athlete(FULL)), FULL)


if __name__ == "__main__":
    unittest.main()
