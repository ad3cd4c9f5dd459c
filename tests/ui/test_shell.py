"""The window around the places: keys, menus, commands, athletes from a file; and the session."""

import unittest
from datetime import timedelta
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QMimeData, QPoint, QPointF, QSize, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QMessageBox

from keenkettle.club import look_up
from keenkettle.club.commands import Prescribe, WriteSession
from keenkettle.club.store import ClubError
from keenkettle.coach.remedies import Proposal, all_drills
from keenkettle.ui import theme
from keenkettle.ui.pick import PickList
from keenkettle.ui.shell.actions import PLACES
from keenkettle.ui.shell.athlete_picker import AthletePicker
from keenkettle.ui.shell.films import films_in
from keenkettle.ui.start import show_whole
from tests.shared import film, scratch
from tests.ui.window import TODAY, OpenWindow

CONTROL = Qt.KeyboardModifier.ControlModifier


class ActionTest(OpenWindow):
    def test_no_key_means_two_things_in_one_place(self):
        for place in PLACES:
            keys = [a.key for a in self.w.actions_table if a.key and a.place in ("", place)]
            self.assertEqual(len(keys), len(set(keys)), place)

    def test_every_action_has_a_name_of_its_own_and_stands_in_a_menu(self):
        names = [a.name for a in self.w.actions_table]
        self.assertEqual(len(names), len(set(names)))
        shown = {
            entry.text().partition("\t")[0]
            for menu in self.w.menuBar().actions()
            for entry in menu.menu().actions()
        }
        self.assertEqual(shown, set(names))

    def test_every_key_can_be_pressed(self):
        for a in self.w.actions_table:
            if a.key:
                self.assertEqual(QKeySequence(a.key).toString(), a.key, a.name)

    def test_nothing_falls_over_with_nobody_in_hand(self):
        dialogs = {
            "getOpenFileName": ("", ""), "getOpenFileNames": ([], ""), "getSaveFileName": ("", ""),
            "getExistingDirectory": "",
        }  # fmt: skip
        leave = {
            "Quit", "Find a command", "Name of the club", "Someone new", "Change athlete", "Undo",
            "Redo",
        }  # fmt: skip
        self.w.hold(-1)
        with mock.patch.multiple(
            QFileDialog, **{k: mock.Mock(return_value=v) for k, v in dialogs.items()}
        ):
            for a in self.w.actions_table:
                if a.name not in leave:
                    self.w.go(a.place or "Today")
                    a.run()
                    self.settle()
        self.assertEqual(self.w.history._done, [])
        self.hold("Sunniva Dale", "Today")

    def test_places_are_gone_to_by_key(self):
        for i, place in enumerate(PLACES):
            self.w.setFocus()
            self.press(getattr(Qt.Key, f"Key_{i + 1}"), CONTROL)
            self.assertEqual(self.w.place, place)
            self.assertEqual([b.isChecked() for b in self.w.place_buttons].index(True), i)

    def test_a_button_come_to_with_tab_is_pressed_and_one_clicked_leaves_the_place_its_keys(self):
        self.hold("Sunniva Dale", "Ladder")
        handle, show = self.w.windowHandle(), self.w.ladder.show_me
        show._work_out()
        while self.w.jobs.busy or show.shown is None:
            self.settle()
        show.play.setFocus(Qt.FocusReason.TabFocusReason)
        QTest.keyClick(handle, Qt.Key.Key_Tab)
        QTest.keyClick(handle, Qt.Key.Key_Backtab, Qt.KeyboardModifier.ShiftModifier)
        self.assertTrue(show.play.hasFocus())
        for key in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            was = show.timer.isActive()
            QTest.keyClick(handle, key)
            self.assertNotEqual(show.timer.isActive(), was)
        squad = self.w.ladder.all_button
        QTest.mouseClick(handle, Qt.MouseButton.LeftButton, pos=QPoint(700, 120))
        squad.setFocus()
        QTest.keyClick(handle, Qt.Key.Key_Space)
        self.assertTrue(show.timer.isActive())
        self.assertFalse(squad.isChecked())
        show.go(0.0)

    def test_a_screen_too_small_is_filled(self):
        for size, filled in ((QSize(1280, 800), True), (QSize(1920, 1080), False)):
            window = mock.Mock(width=lambda: 1280, height=lambda: 800)
            window.screen().availableSize.return_value = size
            show_whole(window)
            self.assertEqual(window.showMaximized.called, filled)
            self.assertNotEqual(window.show.called, filled)

    def test_typing_is_not_taken_for_keys(self):
        self.hold("Sunniva Dale", "Session")
        self.w.session.text.setFocus()
        for key in (Qt.Key.Key_Slash, Qt.Key.Key_J, Qt.Key.Key_1):
            QTest.keyClick(self.w.windowHandle(), key)
        self.settle()
        self.assertFalse(self.w.picker.isVisible())
        self.assertIn("/j1", self.w.session.text.toPlainText())
        self.w.session.save()

    def test_a_command_is_found_by_parts_of_its_name(self):
        ran = []
        self.w.find_command()
        (found,) = self.w.findChildren(PickList)
        QTest.keyClicks(found.field, "next find")
        self.assertEqual(found.list.count(), 1)
        with mock.patch.object(type(self.w.film.presenter), "next_finding",
                               lambda _self, by: ran.append(by)):  # fmt: skip
            QTest.keyClick(found.field, Qt.Key.Key_Return)
        self.assertEqual(ran, [1])
        found.field.setText("no such thing")
        self.assertEqual(found.list.count(), 0)
        found._run()
        self.w.activateWindow()  # as a desktop does when a dialog goes

    def test_themes_take_turns_and_are_remembered(self):
        first = theme.current()
        self.w.change_theme()
        self.assertIsNot(theme.current(), first)
        self.assertEqual(self.w.settings.value("theme"), theme.current().name)
        self.w.change_theme()
        self.assertIs(theme.current(), first)

    def test_what_cannot_be_taken_back_is_said(self):
        with mock.patch.object(self.w.film.presenter, "undo", side_effect=ClubError("locked")):
            self.w.undo()
        self.assertEqual(self.says, "locked")
        self.w.undo()
        self.assertEqual(self.says, "nothing to undo")


class PickerTest(OpenWindow):
    def test_arrows_and_enter_take_one_in_hand(self):
        picker = AthletePicker(self.w)
        taken = []
        picker.picked.connect(taken.append)
        people = look_up.athletes(self.w.store)
        picker.ask(people, people[2].id)
        self.assertEqual(picker.list.currentRow(), 2)
        QTest.keyClick(picker.field, Qt.Key.Key_Down)
        QTest.keyClick(picker.field, Qt.Key.Key_Up)
        QTest.keyClick(picker.field, Qt.Key.Key_Down)
        QTest.keyClick(picker.field, Qt.Key.Key_Return)
        self.assertEqual(taken, [people[3].id])
        self.assertFalse(picker.isVisible())

    def test_letters_that_fit_nobody_take_nobody(self):
        picker = AthletePicker(self.w)
        taken = []
        picker.picked.connect(taken.append)
        picker.ask(look_up.athletes(self.w.store), None)
        picker.field.setText("zz")
        QTest.keyClick(picker.field, Qt.Key.Key_Return)
        self.assertEqual((picker.list.count(), taken), (0, []))
        picker.hide()

    def test_the_button_opens_it_below_itself(self):
        self.click(self.w.athlete_button)
        self.assertTrue(self.w.picker.isVisible())
        self.assertIsInstance(QApplication.focusWidget(), QLineEdit)
        self.w.picker.hide()


class PeopleFileTest(OpenWindow):
    def take(self, text, answer=QMessageBox.StandardButton.Yes):
        path = scratch() / "people.csv"
        path.write_text(text)
        with (
            mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")),
            mock.patch.object(QMessageBox, "question", return_value=answer) as asked,
        ):
            self.w.ask_people()
        return asked

    def names(self):
        return {a.name for a in look_up.athletes(self.w.store)}

    def test_good_rows_are_taken_without_a_question_and_taken_out_by_undo(self):
        asked = self.take("name,age\nRuna Falk,23\nOdd Lind,31\n")
        asked.assert_not_called()
        self.assertLessEqual({"Runa Falk", "Odd Lind"}, self.names())
        self.assertIn("2 athletes taken in", self.says)
        self.w.undo()
        self.assertEqual(self.names(), set(self.people))

    def test_bad_rows_are_told_before_the_good_ones_are_offered(self):
        asked = self.take("name,age\nRuna Falk,23\nOdd Lind,old\n")
        self.assertIn("line 3", asked.call_args.args[2])
        self.assertIn("Take the 1 good rows in?", asked.call_args.args[2])
        self.assertIn("Runa Falk", self.names())

    def test_a_no_takes_nobody_in(self):
        self.take("name,age\nRuna Falk,23\nOdd Lind,old\n", QMessageBox.StandardButton.No)
        self.assertEqual((self.names(), self.says), (set(self.people), "nothing was taken in"))

    def test_a_file_of_bad_rows_or_none_is_one_line(self):
        self.take("name,age\nOdd Lind,old\n")
        self.assertIn("age is 'old'", self.says)
        self.assertNotIn("\n", self.says)
        self.take("age\n3\n")
        self.assertIn("no column 'name'", self.says)


class DropTest(OpenWindow):
    def drop(self, *paths):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
        event = QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data,
                           Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)  # fmt: skip
        self.w.dropEvent(event)
        self.settle()

    def test_a_folder_without_films_is_said(self):
        folder = scratch()
        (folder / "notes.txt").write_text("x")
        self.drop(folder)
        self.assertIn("no film is in", self.says)

    def test_films_are_found_in_folders_and_given_files_are_kept(self):
        folder = scratch()
        for name in ("b.MOV", "a.mp4", "c.txt"):
            (folder / name).write_text("x")
        (folder / "deep").mkdir()
        self.assertEqual([p.name for p in films_in([folder])], ["a.mp4", "b.MOV"])
        self.assertEqual(films_in([folder / "c.txt"]), [folder / "c.txt"])
        self.assertEqual(films_in([scratch()]), [])

    def test_a_film_dropped_with_nobody_in_hand_asks_for_somebody(self):
        self.w.hold(-1)
        self.drop(film().path)
        self.assertIn("choose an athlete first", self.w.film.stage.message)
        self.hold("Sunniva Dale", "Today")


class SessionTest(OpenWindow):
    def view(self, name):
        self.hold(name, "Session")
        return self.w.session

    def test_each_day_has_its_own_text(self):
        place = self.view("Sunniva Dale")
        self.w.history.run(WriteSession(self.w.athlete.id, TODAY, "first"))
        self.w.history.run(WriteSession(self.w.athlete.id, TODAY + timedelta(days=1), "second"))
        place.hold(self.held(), TODAY)
        self.assertEqual(place.text.toPlainText(), "first")
        row = next(i for i in range(place.days.count())
                   if place.days.item(i).data(Qt.ItemDataRole.UserRole) == TODAY
                   + timedelta(days=1))  # fmt: skip
        place.days.setCurrentRow(row)
        self.assertEqual(place.text.toPlainText(), "second")

    def test_the_card_carries_the_cautions_of_the_day_s_drills_and_lifts(self):
        place = self.view("Sunniva Dale")
        drill = all_drills()["barrier-stick"]
        told = Proposal(drill, ("bar-away-from-hip",), "empty bar", (), "", "")
        self.w.history.run(Prescribe(self.w.athlete.id, None, told, TODAY))
        place.hold(self.held(), TODAY)
        care = place.content().care
        self.assertIn("held from the side", care[0])
        self.w.history.run(WriteSession(self.w.athlete.id, TODAY, "power snatch 3x2"))
        place.hold(self.held(), TODAY)
        self.assertIn("let go, not fought", " ".join(place.content().care))
        self.assertLessEqual(len(place.content().care), 3)

    def test_what_is_typed_is_kept_when_another_day_or_athlete_is_chosen(self):
        place = self.view("Sunniva Dale")
        day, who = place.day, self.w.athlete.id
        place.text.setPlainText("front squat 3x3")
        self.w.hold(self.people["Tova Reiss"].id)
        self.assertEqual(look_up.session_text(self.w.store, who, day), "front squat 3x3")
        self.assertNotEqual(place.text.toPlainText(), "front squat 3x3")

    def test_what_cannot_be_saved_is_said_and_stays_to_be_saved(self):
        place = self.view("Sunniva Dale")
        place.text.setPlainText("front squat 3x3")
        with mock.patch.object(place.history, "run", side_effect=ClubError("the disk is full")):
            place.save()
        self.assertEqual((self.says, place.state.text()), ("the disk is full", "not saved"))
        place.save()
        self.assertEqual(place.state.text(), "saved")

    def test_a_look_alone_writes_nothing(self):
        place = self.view("Sunniva Dale")
        for row in range(place.days.count()):
            place.days.setCurrentRow(row)
        place.save()
        self.assertEqual(self.w.history._done, [])

    def test_the_card_carries_lines_caution_and_the_day(self):
        place = self.view("Corin Hale")
        place.text.setPlainText("power clean 3x2 @ 50kg\n\nfront squat 3x5")
        content = place.content()
        self.assertEqual(content.athlete, "Corin Hale")
        self.assertEqual(content.lines[0], "power clean 3x2 @ 50kg")
        self.assertEqual(content.caution, self.held().caution)
        self.assertEqual(content.day, place.day)
        self.assertFalse(place.preview.pixmap().isNull())

    def test_the_card_is_printed_where_one_says(self):
        place = self.view("Corin Hale")
        folder = scratch()
        with mock.patch.object(QFileDialog, "getSaveFileName",
                               return_value=(str(folder / "card.pdf"), "")) as asked:  # fmt: skip
            self.w.print_card()
        self.assertIn("Corin Hale", Path(asked.call_args.args[2]).name)
        self.assertTrue((folder / "card.pdf").read_bytes().startswith(b"%PDF"))
        self.assertFalse(place.print_to(folder / "no" / "card.pdf"))
        self.assertIn("choose another folder", self.says)

    def test_nobody_in_hand_has_no_card(self):
        place = self.w.session
        place.hold(None)
        self.assertIsNone(place.content())
        self.assertFalse(place.print_to(scratch() / "card.pdf"))
        self.assertFalse(place.print_button.isEnabled())
        self.hold("Sunniva Dale", "Session")


if __name__ == "__main__":
    unittest.main()
