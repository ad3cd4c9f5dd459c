"""From nobody to a rung with a reason, in the real window: by mouse, and by keys alone."""

import unittest
from datetime import timedelta
from itertools import combinations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from keenkettle.club import look_up
from keenkettle.club.climbing import history_of, standings
from keenkettle.club.people import facts_of
from keenkettle.coach.clearing import all_checks
from keenkettle.coach.gates import conditions
from keenkettle.coach.ladders import all_ladders
from tests.shared import scratch
from tests.ui.window import TODAY, OpenWindow


class AthletePathTest(OpenWindow):
    demo = False

    def setUp(self):
        self.w.go("Today")
        self.settle()

    def key(self, key):
        """A key as the desktop hands it to the window."""
        QTest.keyClick(self.w.windowHandle(), key)
        self.settle()

    def only(self):
        people = look_up.athletes(self.w.store)
        self.assertEqual(len(people), 1)
        return people[0]

    def test_a_new_club_with_the_mouse(self):
        w = self.w
        self.click(self.button(w.day, "Someone new"))
        fields = w.facts.meeting.fields
        for name, text in (
            ("name", "Runa Falk"), ("sport", "rowing"), ("age", "23"), ("stature", "181"),
            ("mass_kg", "76"),
        ):  # fmt: skip
            fields[name].setText(text)
        self.click(self.button(w.facts.meeting, "Keep"))
        self.assertEqual(self.only().name, "Runa Falk")
        self.assertEqual(self.only().stature_mm, 1810.0)
        self.click(self.button(w.facts, "Clearances"))
        for _ in all_checks():
            self.click(w.facts.checks.answers["pass"])
        self.assertEqual(len(facts_of(self.only()).checks), len(all_checks()))
        self.click(self.button(w.facts, "Choose"))
        self.assertGreater(w.facts.choose.list.count(), 100)
        self.click(self.button(w.facts, "On to the ladder"))
        rungs = w.ladder.rungs
        rung_one = QPoint(rungs.width() // 2, int(rungs._row() * 9 + 6 - 10))
        QTest.mouseClick(rungs, Qt.MouseButton.LeftButton, pos=rung_one)
        w.ladder.card.why.setText("sound set, starts at the bottom")
        self.click(self.button(w.ladder, "Begin on 1, Approach and set position"))
        (step,) = history_of(w.store, self.only().id)
        self.assertEqual((step.ladder, step.rung), ("floor-first-clean", 1))
        self.assertEqual(step.reason, "sound set, starts at the bottom")

    def test_a_new_club_with_keys_alone(self):
        w = self.w
        control = Qt.KeyboardModifier.ControlModifier
        self.assertTrue(w.day.new.hasFocus())
        self.key(Qt.Key.Key_Return)
        QTest.keyClicks(QApplication.focusWidget(), "Runa Falk")
        self.press(Qt.Key.Key_S, control)
        self.assertEqual(self.only().name, "Runa Falk")
        self.press(Qt.Key.Key_3, control)
        self.assertEqual(w.place, "Ladder")
        self.key(Qt.Key.Key_Up)
        self.assertEqual(w.ladder.rungs.chosen, 2)
        self.key(Qt.Key.Key_Return)
        self.assertTrue(w.ladder.card.why.hasFocus())
        QTest.keyClicks(w.ladder.card.why, "sets up soundly")
        self.press(Qt.Key.Key_Return)
        self.assertEqual(history_of(w.store, self.only().id)[0].reason, "sets up soundly")
        self.press(Qt.Key.Key_Z, control)
        self.assertEqual(history_of(w.store, self.only().id), [])
        self.press(Qt.Key.Key_Z, control | Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(history_of(w.store, self.only().id)[0].rung, 2)

    def test_impossible_bodies_are_refused_in_one_sentence(self):
        w = self.w
        w.new_athlete()
        fields = w.facts.meeting.fields
        for stature, arm, says in (
            ("69", "", "looks like inches"),
            ("175", "180", "arm is 180 cm"),
            ("0", "", "stature_cm is 0"),
            ("tall", "", "stature is 'tall'"),
        ):
            fields["stature"].setText(stature)
            w.facts.meeting.tape["arm"].setText(arm)
            w.facts.meeting.keep()
            self.assertIn(says, w.status.text())
            self.assertIsNone(self.only().stature_mm)
        fields["stature"].setText("175")
        w.facts.meeting.tape["arm"].setText("")
        fields["age"].setText("-4")
        w.facts.meeting.keep()
        self.assertIn("age is -4", w.status.text())

    def test_two_of_one_name_are_refused(self):
        w = self.w
        for _ in range(2):
            w.new_athlete()
            w.facts.meeting.fields["name"].setText("Runa Falk")
            w.facts.meeting.keep()
        self.assertIn("second name", w.status.text())
        self.assertEqual(len(look_up.athletes(w.store)), 2)

    def test_inches_there_and_back(self):
        w = self.w
        w.new_athlete()
        form = w.facts.meeting
        form.fields["stature"].setText("175")
        form.tape["arm"].setText("62")
        self.click(form.unit)
        self.assertEqual(form.fields["stature"].text(), "68.9")
        self.assertEqual(form.tape["arm"].text(), "24.4")
        form.keep()
        self.assertAlmostEqual(self.only().stature_mm, 1750.0, delta=1.0)


class DemoClubTest(OpenWindow):
    """The ways of the demo club."""

    def test_the_ready_one_is_advanced_and_taken_back(self):
        w, tova = self.w, self.people["Tova Reiss"]
        w.hold(tova.id)
        w.go("Ladder")
        before = history_of(w.store, tova.id)
        self.assertEqual(w.ladder.proposal.act, "advance")
        self.click(w.ladder.card.main)
        stood = standings(w.store, [tova], TODAY)[tova.id]
        self.assertEqual(stood.number, 4)
        self.assertIn("rung 4", w.athlete_button.text())
        w.undo()
        self.assertEqual(history_of(w.store, tova.id), before)
        self.assertIn("rung 3", w.athlete_button.text())

    def test_seeing_a_condition_twice_meets_it(self):
        w, corin = self.w, self.people["Corin Hale"]
        w.hold(corin.id)
        w.go("Ladder")
        gate = w.ladder.gate
        key = next(k for k in gate.buttons if k.startswith("tick:"))
        self.click(gate.buttons[key])
        stood = standings(w.store, [corin], TODAY + timedelta(days=1))[corin.id]
        state = {c.gate.key: c.state for c in conditions(stood)}
        self.assertEqual(state[key], "met")

    def test_the_squad_is_grouped_and_a_name_leads_to_the_ladder(self):
        w = self.w
        w.go("Ladder")
        self.click(w.ladder.all_button)
        self.assertEqual(len(w.ladder.squad.board.tokens), 8)
        self.click(self.button(w.ladder.squad, "Propose groups"))
        names = [x.item(i).text() for x in w.ladder.squad.lists for i in range(x.count())]
        self.assertEqual(len(names), 4)
        box, token = w.ladder.squad.board._places[0]
        QTest.mouseClick(
            w.ladder.squad.board, Qt.MouseButton.LeftButton, pos=box.center().toPoint()
        )
        self.assertEqual(w.athlete.id, token.athlete_id)

    def test_today_puts_the_expected_first_and_leads_on(self):
        w = self.w
        w.go("Today")
        self.settle()
        self.assertIn("4 expected", w.day.title.text())
        self.assertEqual(w.day.cards[0].accessibleName(), "Bram Oakhurst")
        self.click(self.button(w.day.cards[0], "Session"))
        self.assertEqual((w.place, w.athlete.name), ("Session", "Bram Oakhurst"))

    def test_the_fit_of_a_tall_stiff_athlete(self):
        w = self.w
        w.hold(self.people["Anselm Brook"].id)
        w.go("Athlete")
        w.facts.view(2)
        w.facts.fit.which.setCurrentText("clean")
        self.assertIn("Raise the bar", w.facts.fit.set_answer.text())
        pdf = scratch() / "fit.pdf"
        self.assertTrue(w.facts.fit.print_to(pdf))
        self.assertTrue(pdf.read_bytes().startswith(b"%PDF"))
        before = w.facts.fit.grip.grip_mm
        QTest.keyClick(w.facts.fit.grip, Qt.Key.Key_Right)
        self.assertAlmostEqual(w.facts.fit.grip.grip_mm, before + 10.0)

    def test_a_trial_is_kept_and_makes_the_answer(self):
        w = self.w
        w.hold(self.people["Sunniva Dale"].id)
        w.go("Athlete")
        w.facts.view(2)
        fit = w.facts.fit
        fit.trial_grip.setText("85")
        fit.trial_bar.setText("86")
        self.click(self.button(fit, "Use this trial"))
        self.assertEqual(facts_of(w.facts.athlete).trial.grip, 850.0)
        fit.trial_bar.setText("x")
        self.click(self.button(fit, "Use this trial"))
        self.assertIn("both numbers", w.status.text())

    def test_why_not_is_answered(self):
        w = self.w
        w.hold(self.people["Liv Sandvik"].id)
        w.go("Athlete")
        w.facts.view(4)
        choose = w.facts.choose
        choose.find.setText("split jerk")
        self.assertIn("Closed because", choose.body_text.text())
        self.assertIn("bail-out practice not passed yet", choose.body_text.text())

    def test_every_lift_is_shown_and_stops(self):
        w = self.w
        w.hold(self.people["Bram Oakhurst"].id)
        w.go("Ladder")
        for ladder in list(all_ladders().values())[:4]:
            w.ladder.ladders.setCurrentIndex(w.ladder.ladders.findData(ladder.id))
            w.ladder._show_ladder()
            w.ladder.show_me._later.stop()
            w.ladder.show_me._work_out()
            w.jobs._pool.waitForDone(10000)
            for _ in range(10):
                self.settle()
            self.assertTrue(w.ladder.show_me.shown.stops)
            w.ladder.show_me.go(w.ladder.show_me.shown.stops[-1].t_s)
            figure = w.ladder.show_me.figure
            self.assertTrue(figure.notes)
            for stop in w.ladder.show_me.shown.stops:
                w.ladder.show_me.go(stop.t_s)
                boxes = [box for box, _ in figure.note_boxes()]
                self.assertEqual(len(boxes), len(figure.notes))
                self.assertFalse(any(a.intersects(b) for a, b in combinations(boxes, 2)))


if __name__ == "__main__":
    unittest.main()
