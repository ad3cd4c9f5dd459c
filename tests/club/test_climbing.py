"""Athletes on ladders in the records: decisions, gates seen, and what a standing is made of."""

import unittest
from datetime import date, timedelta

from keenkettle.club import climbing, look_up
from keenkettle.club.climbing import Decide, SeeGate, history_of, rung_text, standings
from keenkettle.club.commands import History, WriteSession
from keenkettle.club.store import Store
from keenkettle.club.tables import Athlete, ClipRow
from keenkettle.coach.gates import conditions, propose
from keenkettle.coach.ladders import all_ladders, find_ladder
from tests.shared import scratch

TODAY = date(2026, 11, 23)
LADDER = "floor-first-clean"


def days_ago(n):
    return TODAY - timedelta(days=n)


class ClimbingCase(unittest.TestCase):
    def setUp(self):
        self.store = Store(scratch())
        self.addCleanup(self.store.close)
        self.history = History(self.store)
        with self.store.session() as s:
            s.add_all([Athlete(name=f"Athlete {i:02}", facts={}) for i in range(30)])
        self.people = look_up.athletes(self.store)
        self.one = self.people[0]

    def put(self, rung, since, act="advance", athlete=None, ladder=LADDER):
        who = athlete or self.one
        self.history.run(Decide(who.id, ladder, rung, since, act, f"to {rung}"))

    def standing(self):
        return standings(self.store, [self.one], TODAY).get(self.one.id)


class DecisionTest(ClimbingCase):
    def test_the_newest_decision_is_the_place(self):
        self.put(1, days_ago(30), "start")
        self.put(2, days_ago(10))
        standing = self.standing()
        self.assertEqual((standing.number, standing.since), (2, days_ago(10)))
        self.assertEqual([s.rung for s in history_of(self.store, self.one.id)], [1, 2])
        self.assertEqual(look_up.athlete(self.store, self.one.id).rung, rung_text(LADDER, 2))

    def test_undo_gives_the_place_and_the_words_back(self):
        self.put(1, days_ago(30), "start")
        self.put(2, days_ago(10))
        self.history.undo()
        self.assertEqual(self.standing().number, 1)
        self.assertEqual(look_up.athlete(self.store, self.one.id).rung, rung_text(LADDER, 1))
        self.history.redo()
        self.assertEqual(self.standing().number, 2)

    def test_who_left_stands_nowhere(self):
        self.put(3, days_ago(9), "start")
        self.put(3, TODAY, "leave")
        self.assertIsNone(self.standing())
        self.assertEqual(look_up.athlete(self.store, self.one.id).rung, "")

    def test_a_ladder_that_is_gone_places_nobody(self):
        self.put(1, TODAY, "start", ladder="a-ladder-that-was-deleted")
        self.assertIsNone(self.standing())
        self.assertEqual(rung_text("a-ladder-that-was-deleted", 1), "")

    def test_a_ladder_made_shorter_keeps_its_people_on_the_last_rung(self):
        last = len(find_ladder(LADDER).rungs)
        self.put(last + 4, TODAY, "start")
        self.assertEqual(self.standing().number, last)
        self.assertEqual(rung_text(LADDER, last + 4), "")

    def test_having_been_sideways_is_remembered(self):
        self.put(2, days_ago(40), "start")
        self.put(2, days_ago(20), "sideways")
        self.put(3, days_ago(5))
        self.assertTrue(self.standing().been_sideways)


class StandingTest(ClimbingCase):
    def test_only_sessions_on_this_rung_count_and_the_last_of_all_is_known(self):
        for back in (50, 30, 6, 3):
            self.history.run(WriteSession(self.one.id, days_ago(back), "x"))
        self.history.run(WriteSession(self.one.id, TODAY + timedelta(days=2), "planned"))
        self.put(1, days_ago(10), "start")
        standing = self.standing()
        self.assertEqual(standing.session_days, (days_ago(6), days_ago(3)))
        self.assertEqual(standing.last_day, days_ago(3))

    def test_never_trained_is_not_rusty(self):
        self.put(1, days_ago(100), "start")
        self.assertIsNone(self.standing().last_day)
        self.assertEqual(propose(self.standing(), TODAY).act, "stay")

    def test_ticks_before_the_rung_do_not_count_but_weeks_beside_do(self):
        where = {
            gate.kind: (ladder.id, number, gate.key)
            for ladder in all_ladders().values()
            for number, rung in enumerate(ladder.rungs, 1)
            for gate in rung.gate
        }
        for kind, values, kept, day in (
            ("side-weeks", (2.0, 3.0), 5.0, 30),
            ("load", (60.0, 50.0), 60.0, 40),
        ):
            ladder, number, key = where[kind]
            self.history.run(SeeGate(self.one.id, days_ago(40), "tick:something", 1.0))
            self.history.run(SeeGate(self.one.id, days_ago(40), key, values[0]))
            self.history.run(SeeGate(self.one.id, days_ago(30), key, values[1]))
            self.history.run(SeeGate(self.one.id, days_ago(30), f"{kind}:of-no-use", 9.0))
            self.put(number, days_ago(10), "start", ladder=ladder)
            notes = {n.key: n for n in self.standing().notes}
            self.assertEqual(set(notes), {key})
            self.assertEqual((notes[key].value, notes[key].day), (kept, days_ago(day)))

    def test_a_seen_condition_is_half_met_and_forgotten_by_undo(self):
        self.put(1, days_ago(10), "start")
        tick = next(g for g in find_ladder(LADDER).rung(1).gate if g.kind == "tick")
        self.history.run(SeeGate(self.one.id, TODAY, tick.key, 1.0))
        state = {c.gate.key: c.state for c in conditions(self.standing())}
        self.assertEqual(state[tick.key], "half")
        self.history.undo()
        state = {c.gate.key: c.state for c in conditions(self.standing())}
        self.assertEqual(state[tick.key], "missing")

    def test_reviewed_clips_count_rep_by_rep_from_the_rung_s_first_day(self):
        said = [{"measures": {"trunk_drop": 3.0}, "faults": {"low-contact": "fix"}}] * 2
        with self.store.session() as s:
            for back in (20, 4):
                s.add(ClipRow(athlete_id=self.one.id, path="", sha256="", lift="clean",
                              filmed_on=days_ago(back), said=said))  # fmt: skip
        self.put(1, days_ago(10), "start")
        clips = self.standing().clips
        self.assertEqual([c.day for c in clips], [days_ago(4)] * 2)
        self.assertEqual(clips[0].faults, {"low-contact": "fix"})

    def test_many_read_at_once_are_as_each_read_alone(self):
        for i, who in enumerate(self.people):
            if i % 3:
                self.put(1 + i % 4, days_ago(i), "start", who)
                self.history.run(WriteSession(who.id, days_ago(i // 2), "x"))
                self.history.run(SeeGate(who.id, days_ago(i // 3), "tick:a", 1.0))
        self.assertGreater(len(self.people), climbing.FEW)
        together = standings(self.store, self.people, TODAY)
        alone = {}
        for who in self.people:
            alone |= standings(self.store, [who], TODAY)
        self.assertEqual(set(together), set(alone))
        for who, standing in together.items():
            self.assertEqual(standing.number, alone[who].number)
            self.assertEqual(standing.session_days, alone[who].session_days)
            self.assertEqual(standing.notes, alone[who].notes)

    def test_somebody_else_s_notes_are_not_mine(self):
        self.put(1, days_ago(10), "start")
        self.history.run(SeeGate(self.people[1].id, TODAY, "tick:a", 1.0))
        self.assertEqual(self.standing().notes, ())


if __name__ == "__main__":
    unittest.main()
