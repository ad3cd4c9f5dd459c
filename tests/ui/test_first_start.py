"""The first start, a damaged or locked club at the start, and the name of the club."""

import contextlib
import gc
import io
import os
import sqlite3
import unittest
from datetime import date
from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QInputDialog, QMessageBox

from keenkettle.club import look_up
from keenkettle.club.commands import AddAthlete, History
from keenkettle.club.demo_people import CLUB
from keenkettle.club.store import DATABASE, Store, default_folder
from keenkettle.ui import start
from keenkettle.ui.shell.welcome import Welcome
from tests.shared import scratch
from tests.ui.window import shut

TODAY = date(2026, 11, 23)


class StartCase(unittest.TestCase):
    def setUp(self):
        self.app = start.make_app()
        patch = mock.patch.dict(os.environ, XDG_DATA_HOME=str(scratch()))
        patch.start()
        self.addCleanup(patch.stop)
        self.opened = []

    def run_app(self, answer, **how):
        """Start with this answer to the first question; returns (status, window or None)."""
        made = []

        def keep(folder, demo, today=None):
            made.append(window := start_window(folder, demo, TODAY))
            return window

        start_window = start.make_window
        with (
            mock.patch.object(Welcome, "exec", answer),
            mock.patch.object(start, "make_window", keep),
            mock.patch.object(type(self.app), "exec", lambda *_: 0),
        ):
            status = start.run_app(**how)
        for window in made:
            self.addCleanup(shut, window)
        return status, made[0] if made else None


class OneApplicationTest(unittest.TestCase):
    def test_it_lives_on_when_nobody_asks_for_it(self):
        start.make_app()
        gc.collect()
        self.assertIs(QApplication.instance(), start.make_app())


class FirstStartTest(StartCase):
    def test_an_own_club_begins_empty_and_under_its_name(self):
        def type_and_press_enter(asked):
            QTest.keyClicks(asked.name, " Harbour Lifters ")
            QTest.keyClick(asked.name, Qt.Key.Key_Return)
            return asked.result()

        status, window = self.run_app(type_and_press_enter)
        self.assertEqual(status, 0)
        self.assertEqual(look_up.athletes(window.store), [])
        self.assertEqual(look_up.club_name(window.store), "Harbour Lifters")
        self.assertTrue(window.windowTitle().startswith("Harbour Lifters"))
        self.assertEqual(window.store.folder, default_folder(False))
        window.undo()
        self.assertEqual(window.windowTitle(), "Keen Kettle")

    def test_a_look_round_opens_the_demo_club_in_its_own_folder(self):
        def click(asked):
            QTest.mouseClick(asked.look, Qt.MouseButton.LeftButton)
            return asked.result()

        _, window = self.run_app(click)
        self.assertEqual(window.store.folder, default_folder(True))
        self.assertEqual(look_up.club_name(window.store), CLUB)
        self.assertEqual(len(look_up.athletes(window.store)), 8)
        self.assertFalse((default_folder(False) / DATABASE).exists())

    def test_closing_the_question_starts_nothing(self):
        status, window = self.run_app(lambda asked: QDialog.DialogCode.Rejected.value)
        self.assertEqual((status, window), (0, None))
        self.assertFalse(default_folder(False).exists())

    def test_it_is_asked_only_once(self):
        Store(default_folder(False)).close()

        def never(asked):
            raise AssertionError("asked again")

        _, window = self.run_app(never)
        self.assertEqual(window.windowTitle(), "Keen Kettle")

    def test_no_display_is_said(self):
        said = io.StringIO()
        with mock.patch.dict(os.environ), contextlib.redirect_stderr(said):
            for name in ("QT_QPA_PLATFORM", "DISPLAY", "WAYLAND_DISPLAY"):
                os.environ.pop(name, None)
            self.assertEqual(start.run_app(), 1)
        self.assertIn("no display", said.getvalue())


class NameTest(StartCase):
    def window(self):
        store = Store(scratch())
        History(store).run(AddAthlete("Nell Harrow"))
        store.close()
        window = start.make_window(store.folder, demo=False, today=TODAY)
        self.addCleanup(shut, window)
        return window

    def test_the_card_carries_it_and_undo_takes_it_back(self):
        w = self.window()
        self.assertEqual(w.session.content().club, "")
        with mock.patch.object(QInputDialog, "getText", return_value=("Harbour Lifters", True)):
            w.ask_club()
        self.assertEqual(w.session.content().club, "Harbour Lifters")
        w.undo()
        self.assertEqual(w.session.content().club, "")
        self.assertEqual(w.windowTitle(), "Keen Kettle")

    def test_a_question_that_is_put_away_changes_nothing(self):
        w = self.window()
        with mock.patch.object(QInputDialog, "getText", return_value=("x", False)):
            w.ask_club()
        self.assertEqual(look_up.club_name(w.store), "")


class TroubleTest(StartCase):
    def damaged(self):
        folder = scratch()
        store = Store(folder)
        History(store).run(AddAthlete("Nell Harrow"))
        store.close()
        for copy in (folder / "backups").glob("*"):
            copy.unlink()
        Store(folder).close()  # a copy with the athlete in it
        for tail in ("-wal", "-shm"):
            (folder / f"{DATABASE}{tail}").unlink(missing_ok=True)
        (folder / DATABASE).write_bytes(b"no database" * 99)
        return folder

    def test_a_damaged_club_is_put_back_when_the_coach_says_so(self):
        yes = QMessageBox.StandardButton.Yes
        with mock.patch.object(QMessageBox, "question", return_value=yes) as asked:
            store = start.open_store(self.damaged())
        self.addCleanup(store.close)
        self.assertIn("copy of", asked.call_args.args[2])
        self.assertEqual([a.name for a in look_up.athletes(store)], ["Nell Harrow"])

    def test_a_no_leaves_the_file_as_it_is(self):
        folder = self.damaged()
        no = QMessageBox.StandardButton.No
        with mock.patch.object(QMessageBox, "question", return_value=no):
            self.assertIsNone(start.make_window(folder, demo=False))
        self.assertTrue((folder / DATABASE).read_bytes().startswith(b"no database"))

    def test_without_a_copy_it_is_only_said(self):
        folder = self.damaged()
        for copy in (folder / "backups").glob("*"):
            copy.unlink()
        with mock.patch.object(QMessageBox, "critical") as said:
            self.assertIsNone(start.open_store(folder))
        self.assertIn("no copy", said.call_args.args[2])

    def test_a_locked_club_is_said(self):
        folder = scratch()
        Store(folder).close()
        other = sqlite3.connect(folder / DATABASE, isolation_level=None)
        self.addCleanup(other.close)
        other.execute("PRAGMA locking_mode=EXCLUSIVE")
        other.execute("BEGIN EXCLUSIVE")
        with mock.patch.object(QMessageBox, "critical") as said:
            self.assertIsNone(start.open_store(folder))
        self.assertIn("another program", said.call_args.args[2])


if __name__ == "__main__":
    unittest.main()
