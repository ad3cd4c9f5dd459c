"""Clearances, bests, fit, meeting and choosing, each by its own controls."""

import unittest
from dataclasses import replace
from unittest import mock

from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from keenkettle.club.people import facts_of
from keenkettle.coach.clearing import all_checks
from keenkettle.ui import theme
from keenkettle.ui.athlete.choose_view import STEPS
from tests.shared import scratch
from tests.ui.window import TODAY, OpenWindow

CHECKS_PART, FIT, BESTS, CHOOSE = 1, 2, 3, 4


class ChecksTest(OpenWindow):
    def view(self, name):
        self.hold(name, "Athlete")
        self.w.facts.view(CHECKS_PART)
        self.settle()
        return self.w.facts.checks

    def test_it_opens_at_the_first_that_is_not_passed(self):
        checks = self.view("Liv Sandvik")
        ids = list(all_checks())
        undone = [i for i, c in enumerate(ids) if checks.person.state(c) != "pass"]
        self.assertEqual(checks.list.currentRow(), undone[0])

    def test_an_answer_is_kept_with_day_value_and_note_and_leads_on(self):
        checks = self.view("Corin Hale")
        checks.list.setCurrentRow(0)
        checks.value.setText("31,5")
        checks.note.setText("left side first")
        self.click(checks.answers["partly"])
        result = facts_of(self.held()).check(next(iter(all_checks())))
        self.assertEqual((result.state, result.day), ("partly", TODAY))
        self.assertEqual((result.value, result.note), (31.5, "left side first"))
        self.assertEqual(checks.list.currentRow(), 1)
        self.assertIn("partly", checks.list.item(0).text())

    def test_a_value_that_is_no_number_is_told_and_nothing_is_kept(self):
        checks = self.view("Corin Hale")
        before = facts_of(self.held())
        checks.value.setText("far")
        self.click(checks.answers["pass"])
        self.assertIn("the value is 'far'; give a number", self.says)
        self.assertEqual(facts_of(self.held()), before)

    def test_the_watch_writes_its_seconds(self):
        checks = self.view("Corin Hale")
        timed = next(i for i, c in enumerate(all_checks().values()) if c.seconds)
        checks.list.setCurrentRow(timed)
        self.assertTrue(checks.watch_button.isVisible())
        with mock.patch("time.monotonic", side_effect=[100.0, 117.2, 117.2]):
            checks._run_watch()
            checks._run_watch()
        self.assertEqual(checks.value.text(), "17")

    def test_a_failed_one_says_what_to_do_until_then_and_warns(self):
        checks = self.view("Anselm Brook")
        states = [checks.person.state(c) for c in all_checks()]
        row = next(i for i, s in enumerate(states) if s in ("partly", "not_yet"))
        checks.list.setCurrentRow(row)
        self.assertIn(list(all_checks().values())[row].mend, checks.mend.text())
        self.assertIn("never worked through with load", checks.opens.text())

    def test_every_position_is_drawn(self):
        checks = self.view("Corin Hale")
        for row in range(checks.list.count()):
            checks.list.setCurrentRow(row)
            self.settle()
            self.assertFalse(checks.figure.grab().isNull())
            self.assertGreater(len(checks.how.text()), 20)
            self.assertGreater(len(checks.look.text()), 20)

    def test_passing_a_check_opens_lifts(self):
        checks = self.view("Anselm Brook")
        before = int(checks.balance.text().split()[0])
        for row in range(checks.list.count()):
            checks.list.setCurrentRow(row)
            checks.answer("pass")
        self.assertGreater(int(checks.balance.text().split()[0]), before)


class BestsTest(OpenWindow):
    def view(self, name):
        self.hold(name, "Athlete")
        self.w.facts.view(BESTS)
        self.settle()
        return self.w.facts.bests

    def test_a_best_is_kept_with_its_day_and_how_it_is_known(self):
        bests = self.view("Sunniva Dale")
        bests.lift.setCurrentIndex(bests.lift.findData("snatch"))
        bests.load.setValue(62.5)
        bests.how.setText("club meet")
        self.click(self.button(bests, "Keep this best"))
        best = facts_of(self.held()).best_of("snatch")
        self.assertEqual((best.kg, best.day, best.how), (62.5, TODAY, "club meet"))
        texts = [bests.list.item(i).text() for i in range(bests.list.count())]
        self.assertTrue(any("62.5 kg, 23 Nov 2026, club meet" in t for t in texts))

    def test_a_lower_one_later_is_listed_and_does_not_count(self):
        bests = self.view("Sunniva Dale")
        lift = facts_of(self.held()).bests[0][0]
        top = facts_of(self.held()).best_of(lift)
        bests.lift.setCurrentIndex(bests.lift.findData(lift))
        bests.load.setValue(top.kg - 10)
        self.click(self.button(bests, "Keep this best"))
        self.assertEqual(facts_of(self.held()).best_of(lift), top)
        self.assertIn("(earlier)", bests.list.item(0).text())


class FitTest(OpenWindow):
    def view(self, name):
        self.hold(name, "Athlete")
        self.w.facts.view(FIT)
        self.settle()
        return self.w.facts.fit

    def test_ranges_are_kept_with_a_comma_and_refused_with_a_word(self):
        fit = self.view("Anselm Brook")
        fit.ankle.setText("33,5")
        fit._ranges()
        self.assertEqual(facts_of(self.held()).ankle_deg, 33.5)
        for text, says in (("stiff", "ankle range is 'stiff'"), ("200", "ankle range is 200")):
            self.w.facts.fit.ankle.setText(text)
            self.w.facts.fit._ranges()
            self.assertIn(says, self.says)
            self.assertEqual(facts_of(self.held()).ankle_deg, 33.5)

    def test_the_stiffer_ankle_from_knee_to_wall_counts_where_no_range_is_said(self):
        self.hold("Corin Hale", "Athlete")
        self.w.facts.view(FIT)
        fit = self.w.facts.fit
        fit.ankle.setText("")
        fit.walls["left"].setText("9")
        fit.walls["right"].setText("6,5")
        fit.walls["right"].editingFinished.emit()
        facts = facts_of(self.held())
        self.assertEqual(facts.wall_mm, {"left": 90.0, "right": 65.0})
        self.assertAlmostEqual(facts.ankle_range_deg, 23.4)
        self.assertIn("differ clearly", fit.stance.text())
        fit.walls["left"].setText("60")
        fit.walls["left"].editingFinished.emit()
        self.assertIn("knee to wall, left, is 60 cm; give 0 to 25", self.says)
        self.assertEqual(facts_of(self.held()), facts)

    def test_stances_are_recorded_and_stand_on_the_card(self):
        self.hold("Corin Hale", "Athlete")
        self.w.facts.view(FIT)
        fit = self.w.facts.fit
        self.assertIn("try about", fit.stance.text())
        fit.stances["pull"].setText("24")
        fit.stances["landing"].setText("38.5")
        fit.stances["landing"].editingFinished.emit()
        self.assertEqual(facts_of(self.held()).stance_mm, {"pull": 240.0, "landing": 385.0})
        self.assertIn("Landing marks: heels 38.5 cm apart", fit.stance.text())

    def test_an_ankle_that_does_not_bend_is_not_taken_for_a_usual_one(self):
        fit = self.view("Anselm Brook")
        usual = fit.set.least_raise_mm
        fit.ankle.setText("0")
        fit._ranges()
        self.assertNotEqual(self.w.facts.fit.set.least_raise_mm, usual)

    def test_hands_are_dragged_and_the_bar_s_place_is_said(self):
        fit = self.view("Sunniva Dale")
        before = fit.where.text()
        middle = fit.grip.width() // 2
        self.click(fit.grip, QPoint(middle + round(0.35 * middle), 40))
        self.assertNotEqual(fit.where.text(), before)
        width = fit.grip.grip_mm
        self.click(fit.grip, QPoint(middle - round(0.35 * middle), 40))
        self.assertAlmostEqual(fit.grip.grip_mm, width, delta=20.0)

    def test_hands_stay_on_the_bar_and_outside_the_shoulders(self):
        fit = self.view("Sunniva Dale")
        fit.grip._move(99999.0)
        widest = fit.grip.grip_mm
        fit.grip._move(0.0)
        self.assertLess(fit.grip.grip_mm, 500.0)
        self.assertLessEqual(widest, 1210.0)

    def test_overhead_the_bar_is_over_the_crown(self):
        fit = self.view("Sunniva Dale")
        self.assertLess(fit.grip.bar_y(), fit.lengths.stature)
        self.click(fit.up)
        self.assertGreater(fit.grip.bar_y(), fit.lengths.stature)
        self.click(fit.up)

    def test_a_grip_is_settled_by_lift_and_comes_back(self):
        fit = self.view("Sunniva Dale")
        fit.which.setCurrentText("clean")
        fit.grip._move(520.0)
        self.click(self.button(fit, "Settle this grip"))
        self.assertEqual(facts_of(self.held()).grips_mm["clean"], 520.0)
        fit.which.setCurrentText("jerk")
        fit.which.setCurrentText("clean")
        self.assertEqual(fit.grip.grip_mm, 520.0)

    def test_no_snatch_grip_is_settled_from_estimates(self):
        fit = self.view("Corin Hale")
        fit.which.setCurrentText("snatch")
        self.assertFalse(fit.fit.measured)
        self.click(self.button(fit, "Settle this grip"))
        self.assertIn("make one trial first", self.says)

    def test_a_trial_that_cannot_be_is_told(self):
        fit = self.view("Sunniva Dale")
        fit.trial_grip.setText("85")
        fit.trial_bar.setText("160")
        self.click(self.button(fit, "Use this trial"))
        self.assertIn("measure the bar's height again", self.says)

    def test_the_card_is_printed_whole_or_not_at_all(self):
        fit = self.view("Sunniva Dale")
        folder = scratch()
        with mock.patch.object(
            QFileDialog, "getSaveFileName", return_value=(str(folder / "fit.pdf"), "")
        ):
            fit.ask_pdf()
        self.assertTrue((folder / "fit.pdf").read_bytes().startswith(b"%PDF"))
        self.assertIn("fit card written", self.says)
        self.assertFalse(fit.print_to(folder / "no" / "fit.pdf"))
        self.assertIn("choose another folder", self.says)
        self.assertEqual([p.name for p in folder.iterdir()], ["fit.pdf"])

    def test_the_card_is_dark_on_white_in_the_dark_theme_too(self):
        fit = self.view("Sunniva Dale")
        self.w.change_theme()
        self.addCleanup(self.w.change_theme)
        image = QImage(420, 595, QImage.Format.Format_RGB32)
        image.fill(QColor("white"))
        p = QPainter(image)
        with theme.on_paper():
            fit._paint_page(p, QRectF(image.rect()))
        p.end()
        self.assertIs(theme.current(), theme.RUBBER)
        greys = [image.pixelColor(x, y).lightness() for x in range(0, 420, 3)
                 for y in range(0, 595, 3)]  # fmt: skip
        self.assertLess(min(greys), 60)
        self.assertGreater(sorted(greys)[len(greys) // 2], 240)

    def test_without_a_stature_it_asks_for_one(self):
        self.hold("Sunniva Dale", "Athlete")
        self.w.new_athlete()
        self.w.facts.view(FIT)
        self.assertIn("Measure the stature first", self.w.facts.fit.answer.text())
        self.assertFalse(self.w.facts.fit.isEnabled())


class MeetingTest(OpenWindow):
    def form(self, name):
        self.hold(name, "Athlete")
        self.w.facts.view(0)
        self.settle()
        return self.w.facts.meeting

    def all_of_it(self):
        """What is known of the one in hand; things at hand have no order."""
        facts = facts_of(self.held())
        facts = replace(facts, equipment=tuple(sorted(facts.equipment)))
        return self.held().name, self.held().stature_mm, facts

    def test_keeping_without_a_change_changes_nothing(self):
        for name in self.people:
            form = self.form(name)
            before = self.all_of_it()
            form.keep()
            self.assertEqual(self.all_of_it(), before, name)

    def test_pain_closes_at_once_and_a_clinician_s_word_opens(self):
        form = self.form("Sunniva Dale")
        form.pain["shoulder"].setCurrentIndex(2)
        form.keep()
        (pain,) = [p for p in facts_of(self.held()).pains if p.joint == "shoulder"]
        self.assertTrue(pain.now)
        self.assertEqual(pain.day, TODAY)
        self.w.facts.view(CHOOSE)
        shut = {c.lift.id for c in self.w.facts.choose.choices.closed}
        self.assertIn("snatch", shut)
        form = self.form("Sunniva Dale")
        form.pain["shoulder"].setCurrentIndex(1)
        form.fields["pain_note"].setText("Dr Elm, 20 Nov")
        form.keep()
        (pain,) = [p for p in facts_of(self.held()).pains if p.joint == "shoulder"]
        self.assertEqual((pain.now, pain.cleared_by), (False, "Dr Elm, 20 Nov"))

    def test_days_equipment_and_goal_are_kept(self):
        form = self.form("Corin Hale")
        for i, b in enumerate(form.days):
            b.setChecked(i in (1, 5))
        form.equipment["blocks"].setChecked(not form.equipment["blocks"].isChecked())
        form.goal.setCurrentIndex(form.goal.findData("velocity"))
        wanted = form.equipment["blocks"].isChecked()
        form.keep()
        facts = facts_of(self.held())
        self.assertEqual((facts.days, facts.goal), ((1, 5), "velocity"))
        self.assertEqual("blocks" in facts.equipment, wanted)

    def test_a_length_is_said_to_be_measured_or_an_estimate(self):
        form = self.form("Corin Hale")
        form.tape["arm"].setText("")
        form.keep()
        self.assertTrue(self.w.facts.meeting.estimates["arm"].text().startswith("estimate"))
        self.w.facts.meeting.tape["arm"].setText("63")
        self.w.facts.meeting.keep()
        self.assertEqual(self.w.facts.meeting.estimates["arm"].text(), "measured")

    def test_each_wrong_field_is_told_and_nothing_is_kept(self):
        for field, text, says in (
            ("name", " ", "the name is empty"),
            ("mass_kg", "1000", "mass_kg is 1000"),
            ("mass_kg", "light", "mass kg is 'light'"),
            ("training_years", "-1", "training_years is -1"),
            ("sessions_per_week", "99", "sessions_per_week is 99"),
            ("stature", "", "stature is empty"),
        ):
            form = self.form("Sunniva Dale")
            if field == "stature":
                form.tape["arm"].setText("62")
            before = facts_of(self.held())
            form.fields[field].setText(text)
            form.keep()
            self.assertIn(says, self.says)
            self.assertEqual(facts_of(self.held()), before)

    def test_the_caution_is_always_in_view(self):
        form = self.form("Corin Hale")
        form.fields["caution"].setText("careful with the left wrist")
        form.keep()
        self.assertIn("careful with the left wrist", self.w.athlete_button.text())


class ChooseTest(OpenWindow):
    def view(self, name):
        self.hold(name, "Athlete")
        self.w.facts.view(CHOOSE)
        self.settle()
        return self.w.facts.choose

    def first(self, choose):
        return choose.list.item(0).data(Qt.ItemDataRole.UserRole)

    def test_another_goal_or_phase_is_another_order(self):
        choose = self.view("Sunniva Dale")
        orders = []
        for goal in ("max-force", "velocity"):
            choose.goal.setCurrentIndex(choose.goal.findData(goal))
            choose.rank()
            orders.append([c.lift.id for c in choose.choices.ranked[:5]])
        self.assertNotEqual(*orders)
        whole = [c.lift.id for c in choose.choices.ranked]
        choose.phase.setCurrentIndex(choose.phase.findData("work-capacity"))
        choose.rank()
        self.assertNotEqual([c.lift.id for c in choose.choices.ranked], whole)
        choose.phase.setCurrentIndex(0)

    def test_a_weight_of_nothing_silences_a_criterion(self):
        choose = self.view("Sunniva Dale")
        self.assertEqual(choose.weights["goal"].maximum(), STEPS - 1)
        for slider in choose.weights.values():
            slider.setValue(0)
        self.assertTrue(all(c.score == 0 for c in choose.choices.ranked))
        self.assertEqual(choose.points["goal"].text(), "0")
        for slider in choose.weights.values():
            slider.setValue(2)
        self.assertEqual(
            (choose.points["goal"].text(), choose.points["fault"].text()), ("3", "1.5")
        )
        self.assertGreater(choose.choices.ranked[0].score, 0)

    def test_a_name_is_found_by_parts_and_an_unknown_one_is_said(self):
        choose = self.view("Sunniva Dale")
        QTest.keyClicks(choose.find, "sna pow")
        names = [choose.list.item(i).text().lower() for i in range(choose.list.count())]
        self.assertTrue(names)
        self.assertTrue(all("sna" in n and "pow" in n for n in names))
        choose.find.setText("cartwheel")
        self.assertEqual(choose.title.text(), "no lift of that name")
        choose.find.clear()

    def test_a_liking_and_a_rating_are_kept_count_and_the_lift_stays_in_view(self):
        choose = self.view("Sunniva Dale")
        choose.list.setCurrentRow(3)
        lift = choose.list.currentItem().data(Qt.ItemDataRole.UserRole)
        before = choose.choices.ranked[3].score
        for box, value in ((choose.liking, 2), (choose.rating, 5)):
            box.setCurrentIndex(box.findData(value))
            box.activated.emit(box.currentIndex())
        facts = facts_of(self.held())
        self.assertEqual((facts.liking[lift], facts.rating[lift]), (2, 5))
        self.assertEqual(choose.list.currentItem().data(Qt.ItemDataRole.UserRole), lift)
        now = next(c for c in choose.choices.ranked if c.lift.id == lift)
        self.assertAlmostEqual(now.score - before, 0.5 + 1.0)
        self.assertIn("the athlete likes it", now.reasons_for)
        choose.liking.setCurrentIndex(0)
        choose.liking.activated.emit(0)
        self.assertNotIn(lift, facts_of(self.held()).liking)
        choose.list.setCurrentRow(choose.list.currentRow() + 1)
        self.assertEqual(choose.rating.currentData(), 0)

    def test_lifts_that_stand_in_every_month_are_told_as_the_same(self):
        choose = self.view("Sunniva Dale")
        self.assertIn("power-clean", choose.lately)
        named = {
            c.lift.id for c in choose.choices.ranked if "the same for months" in c.reasons_against
        }
        self.assertLessEqual(named, set(choose.lately))
        self.assertIn("power-clean", named)

    def test_reasons_stand_beside_the_points(self):
        choose = self.view("Sunniva Dale")
        choose.list.setCurrentRow(0)
        best = choose.choices.ranked[0]
        self.assertEqual(self.first(choose), best.lift.id)
        self.assertIn(f"{best.score:.1f} points", choose.body_text.text())
        self.assertIn(best.reasons_for[0], choose.body_text.text())


if __name__ == "__main__":
    unittest.main()
