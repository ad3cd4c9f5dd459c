"""Choosing and clearing: what is closed has a reason and a way to open it."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from keenkettle.coach.choosing import ChoiceError, Question, choose
from keenkettle.coach.clearing import closures, open_lifts, what_opens
from keenkettle.coach.lifts import CHECKS, GOALS, all_lifts
from keenkettle.coach.person import STATES, CheckResult, Person, PersonError, person_from

PASSED = {c: CheckResult("pass") for c in CHECKS}


def person(**fields):
    """Somebody who has passed everything, unless said otherwise."""
    return Person(checks=PASSED | fields.pop("checks", {}), **fields)


def rank(who, lift, goal="power"):
    """Place of a lift in the ranking, from 0."""
    return [c.lift.id for c in choose(who, Question(goal)).ranked].index(lift)


class ClearingTest(unittest.TestCase):
    def test_a_failed_check_closes_the_catch_and_leaves_the_pull(self):
        who = person(checks={"rack": CheckResult("not_yet")})
        self.assertEqual([c.by for c in closures(all_lifts()["power-clean"], who)], ["rack"])
        self.assertEqual(closures(all_lifts()["clean-pull"], who), ())

    def test_present_pain_closes_what_loads_the_joint(self):
        shut = open_lifts(person(pain=("shoulder",)))[1]
        self.assertIn("snatch", shut)
        self.assertIn("clinician", shut["snatch"][0].opens_with)
        self.assertNotIn("clean-pull", shut)

    def test_bail_out_stands_before_every_barbell_catch(self):
        who = person(checks={"bail_out": CheckResult("not_yet")})
        caught = {x.id for x in all_lifts().values() if x.caught and x.implement == "barbell"}
        self.assertLessEqual(caught, set(open_lifts(who)[1]))
        self.assertLessEqual(caught, {x.id for x in what_opens("bail_out")})


class ChoosingTest(unittest.TestCase):
    def test_no_catch_does_not_close_power(self):
        who = person(checks={"rack": CheckResult("not_yet"), "overhead": CheckResult("not_yet")})
        best = choose(who, Question("power")).ranked[0]
        self.assertIn(best.lift.ends, ("jump-shrug", "pull", "shrug"))
        self.assertTrue(any("without the catch" in r for r in best.reasons_for))

    def test_stiff_rack_and_free_overhead_prefer_the_snatch(self):
        stiff = person(checks={"rack": CheckResult("partly")})
        self.assertLess(
            rank(stiff, "snatch-above-knee-pull") - rank(person(), "snatch-above-knee-pull"), 1
        )
        ranked = [c.lift.family for c in choose(stiff, Question("power")).ranked[:5]]
        self.assertIn("snatch", ranked)

    def test_a_tall_body_with_little_time_starts_higher(self):
        tall = person(stature_mm=1940.0, sessions_per_week=2.0)
        self.assertLess(rank(tall, "hang-power-clean"), rank(tall, "power-clean"))

    def test_young_from_another_sport_gets_simple_things(self):
        young = person(age=15.0, training_years=0.2, sport="sailing")
        self.assertLess(rank(young, "dumbbell-snatch"), rank(young, "power-snatch"))

    def test_a_low_contact_prefers_the_mid_thigh_start(self):
        who = person(open_faults=("low-contact",), bests={})
        self.assertLess(rank(who, "clean-mid-thigh-power-catch"), rank(who, "power-clean"))

    def test_weights_change_the_order(self):
        who = person(liking={"kettlebell-swing": 2})
        plain = choose(who, Question("conditioning"))
        heavy = choose(who, Question("conditioning", weights={"liking": 50.0}))
        self.assertEqual(heavy.ranked[0].lift.id, "kettlebell-swing")
        self.assertNotEqual(plain.ranked[0].score, heavy.ranked[0].score)

    def test_unknown_words_are_refused(self):
        with self.assertRaisesRegex(ChoiceError, "goal 'glory'"):
            Question("glory")
        with self.assertRaisesRegex(ChoiceError, "weight 'luck'"):
            Question("power", weights={"luck": 1.0})

    @settings(max_examples=60, deadline=None)
    @given(
        st.dictionaries(st.sampled_from(CHECKS), st.sampled_from(STATES)),
        st.sampled_from(GOALS),
        st.sets(st.sampled_from(["shoulder", "wrist", "back", "knee"])),
    )
    def test_every_lift_is_ranked_with_a_reason_or_closed_with_a_way(self, states, goal, pain):
        who = Person(checks={c: CheckResult(s) for c, s in states.items()}, pain=tuple(pain))
        made = choose(who, Question(goal))
        self.assertEqual(len(made.ranked) + len(made.closed), len(all_lifts()))
        for choice in made.ranked:
            self.assertTrue(choice.reasons_for)
        for closed in made.closed:
            self.assertTrue(all(c.because and c.opens_with for c in closed.closures))


class PersonTest(unittest.TestCase):
    def test_wrong_fields_are_named(self):
        for data, says in (
            ({"age": -3}, "age is -3"),
            ({"stature_cm": 69}, "looks like inches"),
            ({"clearances": {"rack": "yes"}}, "clearances.rack"),
            ({"bests": {"moonlift": 3}}, "moonlift"),
            ({"pain": "shoulder"}, "pain should be a list"),
            ({"mass_kg": "80"}, "mass_kg"),
        ):
            with self.assertRaisesRegex(PersonError, says):
                person_from(data)


if __name__ == "__main__":
    unittest.main()
