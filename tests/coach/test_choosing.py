"""Choosing and clearing: what is closed has a reason and a way to open it."""

import unittest
from datetime import date

from hypothesis import given, settings
from hypothesis import strategies as st

from keenkettle.coach.choosing import ChoiceError, Question, choose
from keenkettle.coach.clearing import closures, open_lifts, what_opens
from keenkettle.coach.lifts import CHECKS, GOALS, all_lifts
from keenkettle.coach.limiter import what_limits
from keenkettle.coach.person import (
    STATES,
    CheckResult,
    OnFilm,
    Person,
    PersonError,
    person_from,
)

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


DAY = date(2026, 5, 1)


def clip(lift, kg, faults=0, reps=2, **measures):
    """A reviewed clip."""
    return OnFilm(1, lift, DAY, kg, reps, faults, measures)


def caught(kg, high, lift="power-clean"):
    return clip(lift, kg, bar_peak_above_floor=high, catch_drop=60.0)


def pulled(kg, high, lift="clean-pull"):
    return clip(lift, kg, bar_peak_above_floor=high)


class FilmTest(unittest.TestCase):
    def test_pulls_that_reach_higher_than_any_catch_say_the_catch_limits(self):
        film = [caught(78, 1010.0), caught(80, 1000.0), pulled(80, 1060.0), pulled(85, 1050.0)]
        found = what_limits(film, "clean")
        self.assertEqual(found.what, "catch")
        for words in ("82.5 kg", "106 cm", "100 cm", "80 kg"):
            self.assertIn(words, found.why)
        self.assertTrue(found.served_by(all_lifts()["tall-clean"]))
        self.assertFalse(found.served_by(all_lifts()["clean-pull"]))
        self.assertFalse(found.served_by(all_lifts()["tall-snatch"]))

    def test_pulls_that_fall_short_say_the_pull_limits(self):
        film = [caught(78, 1010.0), caught(80, 1000.0), pulled(80, 960.0), pulled(85, 940.0)]
        self.assertEqual(what_limits(film, "clean").what, "pull")

    def test_little_film_light_pulls_or_like_heights_say_nothing(self):
        two = [caught(78, 1010.0), caught(80, 1000.0)]
        self.assertIsNone(what_limits([*two, pulled(80, 1060.0)], "clean"))
        self.assertIsNone(what_limits([two[0], pulled(80, 1060.0), pulled(80, 1060.0)], "clean"))
        self.assertIsNone(what_limits([*two, pulled(60, 1200.0), pulled(70, 1150.0)], "clean"))
        self.assertIsNone(what_limits([*two, pulled(80, 1010.0), pulled(85, 1005.0)], "clean"))
        self.assertIsNone(what_limits([*two, pulled(80, 1060.0), pulled(85, 1050.0)], "snatch"))

    def test_what_limits_moves_the_ranking_and_is_told(self):
        film = (caught(78, 1010.0), caught(80, 1000.0), pulled(80, 960.0), pulled(85, 940.0))
        told = choose(person(film=film), Question("power"))
        self.assertTrue(any("the pull limits" in a for a in told.advice))
        pull = next(c for c in told.ranked if c.lift.id == "clean-pull")
        self.assertTrue(any("the pull limits" in r for r in pull.reasons_for))

    def test_faults_and_speed_on_film_count_from_three_reps_on(self):
        def reasons(lift, *film):
            ranked = choose(person(film=film), Question("power")).ranked
            c = next(c for c in ranked if c.lift.id == lift)
            return " ".join(c.reasons_for), " ".join(c.reasons_against)

        clean = clip("power-clean", 60, 0, 3, bar_peak_velocity=1.8)
        self.assertIn("0.0 faults a rep on 3 filmed", reasons("power-clean", clean)[0])
        poor = clip("power-clean", 60, 6, 3, bar_peak_velocity=1.8)
        self.assertIn("2.0 faults a rep", reasons("power-clean", poor)[1])
        few = clip("power-clean", 60, 0, 2, bar_peak_velocity=1.8)
        self.assertNotIn("filmed reps", reasons("power-clean", few)[0])
        fast = clip("jump-shrug", 40, 0, 3, bar_peak_velocity=2.2)
        self.assertIn("fastest bar on film: 2.20 m/s", reasons("jump-shrug", clean, fast)[0])
        self.assertNotIn("fastest bar", reasons("power-clean", clean, fast)[0])

    def test_the_same_for_months_gives_way(self):
        plain = choose(person(), Question("power")).ranked[0].lift.id
        told = choose(person(), Question("power", lately=(plain,)))
        same = next(c for c in told.ranked if c.lift.id == plain)
        self.assertIn("the same for months", same.reasons_against)


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
