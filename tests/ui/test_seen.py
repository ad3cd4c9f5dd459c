"""A fault that the coach sees and the program did not find, through the real window."""

import unittest

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

from keenkettle.club import look_up
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.seen import can_add, seen_by_coach
from keenkettle.ui.film.finding_card import FindingCard
from keenkettle.ui.pick import PickList
from tests.shared import scratch
from tests.ui.test_bench import SharedBenchCase


class SeenTest(SharedBenchCase):
    def add(self, typed):
        self.key(Qt.Key.Key_Q)
        picks = [p for p in self.place.findChildren(PickList) if p.isVisible()]
        QTest.keyClicks(picks[-1].field, typed)
        QTest.keyClick(picks[-1].field, Qt.Key.Key_Return)
        self.window.activateWindow()  # as a desktop does when a dialog goes

    def cards(self):
        self.app.processEvents()
        return self.place.side.cards

    def words(self, card):
        return " / ".join(w.text() for w in card.findChildren(QLabel))

    def test_what_the_coach_sees_is_a_finding_like_another(self):
        presenter = self.place.presenter
        before = presenter.findings
        self.place.presenter.go(40)
        self.add("land back")
        own = presenter.findings[-1]
        self.assertEqual((own.fault, own.at, own.evidence), ("jump-back", 40, ()))
        self.assertEqual(presenter.answer_to(own), "confirmed")
        self.assertIs(presenter.chosen.fault, own.fault)
        self.assertTrue(any("jump-back" in p.faults for p in self.state.proposals))
        card = self.cards()[-1]
        self.assertIsInstance(card, FindingCard)
        self.assertIn("seen by you, not measured", self.words(card))
        side = self.place.side
        top = card.mapTo(side.viewport(), QPoint(0, 0)).y()
        self.assertGreaterEqual(top, 0)  # it is brought into view
        self.assertLessEqual(top + card.height(), side.viewport().height())
        self.assertEqual(len(look_up.seen_of(self.window.store, self.state.clip.id)), 1)
        self.assertIn("feet land back", presenter.notes.draft())
        out = scratch() / "a.html"
        self.place.out.write("report", out, False)
        self.jobs_end()
        self.assertIn("seen by the coach, not measured", out.read_text())
        self.place.presenter.next_finding(-1)
        self.place.presenter.next_finding(1)
        self.assertEqual(self.state.frame, 40)
        self.key(Qt.Key.Key_Backspace)  # take it off
        self.assertEqual(presenter.findings, before)
        self.window.undo()
        self.assertEqual(len(presenter.findings), len(before) + 1)
        self.window.undo()
        self.assertEqual(presenter.findings, before)
        self.assertEqual(presenter.answer_to(own), "open")

    def test_arrows_choose_among_several(self):
        self.key(Qt.Key.Key_Q)
        (pick,) = [p for p in self.place.findChildren(PickList) if p.isVisible()]
        QTest.keyClicks(pick.field, "feet land")
        self.assertEqual(pick.list.count(), 2)
        QTest.keyClick(pick.field, Qt.Key.Key_Down)
        QTest.keyClick(pick.field, Qt.Key.Key_Return)
        self.window.activateWindow()
        self.assertEqual(self.place.presenter.findings[-1].fault, "jump-forward")

    def test_it_is_there_when_the_film_is_opened_again(self):
        self.add("land back")
        card, at = self.state.clip, self.state.frame
        self.place.presenter.open(card)
        self.assertIn(("jump-back", at), [(f.fault, f.at) for f in self.place.presenter.findings])


class FaultsTest(unittest.TestCase):
    def test_only_what_the_lift_can_show_and_is_not_found_can_be_added(self):
        jerk = all_lifts()["split-jerk"]
        every = {f.id for f in can_add(jerk, ())}
        self.assertNotIn("jump-back", every)
        one = sorted(every)[0]
        self.assertEqual(every - {f.id for f in can_add(jerk, [seen_by_coach(one, 3)])}, {one})
        with self.assertRaises(KeyError):
            seen_by_coach("no-such-fault", 3)


if __name__ == "__main__":
    unittest.main()
