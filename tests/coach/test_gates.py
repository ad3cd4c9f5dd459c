"""Proposals: every state has one with its reason, none of them moves anybody."""

import unittest
from dataclasses import replace
from datetime import date, timedelta

from hypothesis import given, settings
from hypothesis import strategies as st

from keenkettle.coach.gates import (
    PROPOSALS,
    ClipNote,
    Note,
    Standing,
    condition,
    conditions,
    propose,
)
from keenkettle.coach.ladders import Gate, all_ladders, find_ladder
from keenkettle.coach.person import CheckResult, Person

DAY = date(2026, 9, 1)
FLOOR = find_ladder("floor-first-clean")


def on(days):
    """A day some days after the start."""
    return DAY + timedelta(days=days)


def second_rung(**fields):
    """An athlete on the second rung, lift to the knee."""
    return Standing(FLOOR, 2, DAY, Person(), last_day=on(3), **fields)


def clips(*values, faults=None):
    """One clip a day with this trunk drop."""
    return tuple(
        ClipNote(on(i + 1), "clean-pull", {"trunk_drop": v}, dict(faults or {}))
        for i, v in enumerate(values)
    )


ALL_NOTES = tuple(
    Note(on(d), key, 5.0)
    for d in (1, 2)
    for key in ("hold:bar at the knee", "tick:same back angle three times in a row")
)


class ConditionTest(unittest.TestCase):
    def states(self, standing):
        return [c.state for c in conditions(standing)]

    def test_nothing_is_met_at_first(self):
        self.assertEqual(self.states(second_rung()), ["missing"] * 3)

    def test_once_is_half_and_twice_is_met(self):
        self.assertEqual(self.states(second_rung(notes=ALL_NOTES[:2]))[1:], ["half", "half"])
        self.assertEqual(self.states(second_rung(notes=ALL_NOTES))[1:], ["met", "met"])

    def test_a_short_hold_does_not_count(self):
        short = (Note(on(1), "hold:bar at the knee", 2.0),)
        self.assertEqual(self.states(second_rung(notes=short))[1], "missing")

    def test_measures_come_from_the_last_clips(self):
        self.assertEqual(self.states(second_rung(clips=clips(15, 6, 7)))[0], "met")
        self.assertEqual(self.states(second_rung(clips=clips(6, 7, 15)))[0], "missing")

    def test_since_when_is_the_first_day_it_was_met(self):
        found = conditions(second_rung(notes=ALL_NOTES))
        self.assertEqual(found[1].since, on(1))
        self.assertEqual(found[0].since, DAY)

    def test_a_load_needs_the_body_mass(self):
        top = Standing(FLOOR, 7, DAY, Person(mass_kg=80.0))
        load = conditions(replace(top, notes=(Note(on(1), "load:power-clean", 40.0),)))[-1]
        self.assertEqual(load.state, "met")
        self.assertIn("not known", conditions(replace(top, person=Person()))[-1].source)

    def test_side_weeks_add_up(self):
        notes = tuple(Note(on(7 * i), "side-weeks:front-squat", 1.0) for i in range(4))
        found = conditions(Standing(FLOOR, 7, DAY, Person(), notes))
        self.assertEqual(found[0].state, "met")


class ProposalTest(unittest.TestCase):
    def act(self, standing, day=5):
        return propose(standing, on(day)).act

    def test_stay_advance(self):
        self.assertEqual(self.act(second_rung()), "stay")
        full = second_rung(notes=ALL_NOTES, clips=clips(5, 6))
        made = propose(full, on(5))
        self.assertEqual((made.act, made.to), ("advance", "Deadlift at the clean's pace"))

    def test_a_stop_finding_sends_back_before_anything_else(self):
        full = second_rung(notes=ALL_NOTES, clips=clips(5, 6, faults={"back-rounding": "stop"}))
        made = propose(full, on(5))
        self.assertEqual((made.act, made.to), ("back", "Approach and set position"))

    def test_the_same_fix_three_times_sends_back(self):
        thrice = clips(13, 14, 13, faults={"hips-rise-first": "fix"})
        self.assertEqual(self.act(second_rung(clips=thrice)), "back")
        self.assertEqual(self.act(second_rung(clips=thrice[:2])), "stay")

    def test_pain_pauses(self):
        hurt = replace(second_rung(), person=Person(pain=("back",)))
        made = propose(hurt, on(5))
        self.assertEqual(made.act, "pause")
        self.assertIn("clinician", made.reason)

    def test_pain_elsewhere_does_not(self):
        self.assertEqual(self.act(replace(second_rung(), person=Person(pain=("wrist",)))), "stay")

    def test_away_for_long_is_rusty(self):
        self.assertEqual(self.act(second_rung(), day=30), "re-check")

    def test_six_sessions_without_progress_go_sideways(self):
        days = tuple(on(i) for i in range(1, 8))
        stuck = second_rung(session_days=days)
        self.assertEqual(self.act(stuck), "sideways")
        again = replace(
            stuck, session_days=tuple(on(i) for i in range(1, 15)), been_sideways=True,
            last_day=on(14),
        )  # fmt: skip
        self.assertEqual(self.act(again, day=15), "leave")

    def test_a_clip_that_cannot_tell_of_a_fault_is_no_clear_one(self):
        front = tuple(
            ClipNote(on(i + 1), "power-clean", {}, {}, frozenset({"hips-rise-first"}))
            for i in range(3)
        )
        clear = tuple(replace(c, unjudged=frozenset()) for c in front)
        gate = Gate(kind="no-fault", fault="hips-rise-first")
        self.assertEqual(condition(gate, second_rung(clips=clear)).state, "met")
        self.assertEqual(condition(gate, second_rung(clips=front)).state, "missing")

    def test_the_top_is_left_when_done(self):
        ladder = find_ladder("hinge-to-hang")
        person = Person(mass_kg=80.0, checks={"front_squat": CheckResult("pass", DAY)})
        notes = tuple(Note(on(7 * i), "side-weeks:front-squat", 1.0) for i in range(4))
        notes += (Note(on(2), "load:hang-power-clean", 45.0),)
        good = tuple(ClipNote(on(20 + i), "x", {"hip_extension": 175.0}, {}) for i in range(2))
        top = Standing(ladder, 4, DAY, person, notes, good, last_day=on(21))
        self.assertEqual(propose(top, on(22)).act, "leave")

    @settings(max_examples=150, deadline=None)
    @given(st.data())
    def test_every_state_has_a_proposal_with_a_reason_and_moves_nobody(self, data):
        ladder = data.draw(st.sampled_from(list(all_ladders().values())))
        number = data.draw(st.integers(1, len(ladder.rungs)))
        keys = [g.key for g in ladder.rung(number).gate]
        days = st.integers(0, 60).map(on)
        notes = data.draw(
            st.lists(st.builds(Note, days, st.sampled_from(keys), st.floats(0, 60)), max_size=8)
        )
        seen = st.dictionaries(
            st.sampled_from(["hips-rise-first", "bar-crash", "back-rounding"]),
            st.sampled_from(["note", "fix", "stop"]), max_size=2,
        )  # fmt: skip
        values = st.dictionaries(st.sampled_from(["trunk_drop", "hip_extension"]),
                                 st.floats(0, 200), max_size=2)  # fmt: skip
        films = data.draw(
            st.lists(st.builds(ClipNote, days, st.just("clean"), values, seen), max_size=5)
        )
        pain = data.draw(st.sets(st.sampled_from(["back", "wrist", "knee"])))
        trained = tuple(sorted(data.draw(st.sets(days, max_size=20))))
        standing = Standing(
            ladder, number, DAY, Person(pain=tuple(pain), mass_kg=70.0), tuple(notes),
            tuple(films), trained, trained[-1] if trained else None,
            data.draw(st.booleans()),
        )  # fmt: skip
        made = propose(standing, on(70))
        self.assertIn(made.act, PROPOSALS)
        self.assertTrue(made.reason and made.rule and made.to)
        self.assertEqual(standing.number, number)
        if made.act == "advance":
            self.assertTrue(all(c.state == "met" for c in conditions(standing)))


if __name__ == "__main__":
    unittest.main()
