"""Whatever is done, in whatever order: undo restores exactly, redo comes back."""

import unittest
from datetime import date, timedelta
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from keenkettle.club import look_up
from keenkettle.club.bench_commands import AddClips, AddNote, RemoveNote, SetEvent, WriteReview
from keenkettle.club.climbing import Decide, SeeGate, history_of, standings
from keenkettle.club.commands import AddAthlete, AddClip, ChangeAthlete, History, WriteSession
from keenkettle.club.store import Store
from keenkettle.coach.gates import propose
from keenkettle.coach.ladders import all_ladders
from tests.club.test_store import everything
from tests.shared import film, scratch

TODAY = date(2026, 11, 23)
LADDERS = st.sampled_from(sorted(all_ladders()))
DAYS = st.integers(0, 60).map(lambda n: TODAY - timedelta(days=n))
ACTS = st.sampled_from(["set", "advance", "stay", "back", "sideways", "leave"])


@st.composite
def commands(draw):
    """One change to athlete 1 or clip 1."""
    kind = draw(st.integers(0, 7))
    text = draw(st.text(max_size=12))
    if kind == 0:
        ladder = draw(LADDERS)
        rung, day, act = (
            draw(st.integers(1, len(all_ladders()[ladder].rungs))), draw(DAYS), draw(ACTS),
        )  # fmt: skip
        return lambda: Decide(1, ladder, rung, day, act, text)
    if kind == 1:
        key = draw(st.sampled_from(["tick:x", "hold:set", "load:clean", "side-weeks:front-squat"]))
        value, day = draw(st.floats(0, 200)), draw(DAYS)
        return lambda: SeeGate(1, day, key, value)
    if kind == 2:
        name = draw(st.text("abc ", min_size=1, max_size=6)) + "x"
        return lambda: ChangeAthlete(1, {"name": name, "caution": text})
    if kind == 3:
        frame = draw(st.integers(0, 90))
        return lambda: AddNote(1, "text", frame, frame + 3, [(1.5, 2.5)], text)
    if kind == 4:
        event = draw(st.sampled_from(["catch", "extension", "lift_off"]))
        rep, frame = draw(st.integers(1, 3)), draw(st.none() | st.integers(0, 90))
        return lambda: SetEvent(1, rep, event, frame)
    if kind == 5:
        return lambda: WriteReview(1, text)
    if kind == 6:
        day = draw(DAYS)
        return lambda: WriteSession(1, day, text)
    return lambda: AddClips(
        1,
        [(film().path.with_name(f"x{text.encode('utf-8', 'replace').hex()}.mp4"), text, TODAY)],
        Path("club"),
    )


class UndoTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = Store(scratch())
        cls.addClassCleanup(cls.store.close)
        first = History(cls.store)
        first.run(AddAthlete("Kit"))
        first.run(AddClip(1, film().path, "abc", TODAY))

    @settings(max_examples=30, deadline=None)
    @given(st.lists(commands(), min_size=1, max_size=6))
    def test_any_sequence_is_taken_back_step_by_step(self, made):
        history = History(self.store)
        states = [everything(self.store)]
        for make in made:
            history.run(make())
            states.append(everything(self.store))
        for state in reversed(states[:-1]):
            self.assertTrue(history.undo())
            self.assertEqual(everything(self.store), state)
        self.assertEqual(history.undo(), "")

    @settings(max_examples=30, deadline=None)
    @given(
        LADDERS, DAYS, st.integers(1, 30), st.lists(st.tuples(DAYS, st.floats(0, 99)), max_size=5)
    )
    def test_looking_and_proposing_moves_nobody(self, ladder, since, rung, seen):
        history = History(self.store)
        rung = min(rung, len(all_ladders()[ladder].rungs))
        history.run(Decide(1, ladder, rung, since, "set", "because"))
        keys = [c.key for c in all_ladders()[ladder].rung(rung).gate]
        for (day, value), key in zip(seen, keys, strict=False):
            history.run(SeeGate(1, day, key, value))
        before = everything(self.store)
        standing = standings(self.store, [look_up.athlete(self.store, 1)], TODAY)[1]
        proposal = propose(standing, TODAY)
        self.assertTrue(proposal.reason)
        self.assertEqual(everything(self.store), before)
        self.assertEqual(history_of(self.store, 1)[-1].rung, rung)
        while history.undo():
            pass

    def test_a_note_that_is_taken_off_comes_back_as_it_was(self):
        history = History(self.store)
        history.run(AddNote(1, "angle", 4, 9, [(1.0, 2.0), (3.0, 4.0), (5.0, 6.0)], "knee"))
        (note,) = look_up.notes_of(self.store, 1)
        history.run(RemoveNote(note.id))
        self.assertEqual(look_up.notes_of(self.store, 1), [])
        history.undo()
        self.assertEqual(look_up.notes_of(self.store, 1), [note])
        history.undo()
        self.assertEqual(look_up.notes_of(self.store, 1), [])
