"""A coach's whole way through the real window, with mouse and keys."""

import logging
import time
import unittest
from datetime import date, timedelta

from PyQt6.QtCore import (
    QEventLoop,
    QMimeData,
    QPoint,
    QPointF,
    Qt,
    QtMsgType,
    QUrl,
    qInstallMessageHandler,
)
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from keenkettle.club import look_up
from keenkettle.ui.film.presenter import JUMP
from keenkettle.ui.start import make_app, make_window
from tests.shared import film, scratch
from tests.ui.window import shut

TODAY = date(2026, 11, 23)
WAIT_S = 60.0
#: The offscreen platform says this of itself; it is no fault of ours.
HARMLESS = ("This plugin does not support",)


class WindowCase(unittest.TestCase):
    """Opens the demo club in a real window and fails on Qt's warnings."""

    def setUp(self):
        self.warnings = []
        self.app = make_app()
        self._handler = qInstallMessageHandler(self._qt_says)
        self.folder = scratch()
        self.window = self.open_window()
        self.addCleanup(self.close_window)

    def _qt_says(self, kind, _context, text):
        if kind != QtMsgType.QtDebugMsg and not any(h in text for h in HARMLESS):
            self.warnings.append(text)

    def open_window(self):
        window = make_window(self.folder, demo=True, today=TODAY)
        window.resize(1280, 800)
        window.show()
        window.activateWindow()
        self.until(lambda: QApplication.activeWindow() is window)
        window.go("Film")
        people = {a.name: a.id for a in look_up.athletes(window.store)}
        window.hold(people["Sunniva Dale"])
        window.film.setFocus()
        return window

    def close_window(self):
        shut(self.window)
        qInstallMessageHandler(self._handler)
        self.assertEqual(self.warnings, [])
        left = [w for w in self.app.topLevelWidgets() if w.isVisible()]
        self.assertEqual(left, [])

    def until(self, ready):
        """Run the event loop until something holds."""
        end = time.monotonic() + WAIT_S
        while not ready() and time.monotonic() < end:
            self.app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)
            QTest.qWait(1)
        self.assertTrue(ready())

    def key(self, key, modifier=Qt.KeyboardModifier.NoModifier):
        QTest.keyClick(self.window.windowHandle(), key, modifier)

    @property
    def state(self):
        return self.window.film.presenter.state

    def button(self, text, owner=None):
        found = [
            b
            for b in (owner or self.window).findChildren(QPushButton)
            if b.isVisible() and b.text().startswith(text)
        ]
        self.assertTrue(found, text)
        return found[0]


class PathTest(WindowCase):
    def test_from_the_newest_clip_to_the_card_and_back_after_a_restart(self):
        film_place = self.window.film
        self.until(lambda: not film_place.stage.image.isNull())
        self.assertGreaterEqual(len(film_place.side.cards), 2)
        self.until(lambda: all(not c.picture.pixmap().isNull() for c in film_place.side.cards))
        first = film_place.presenter.findings[0]
        self.assertEqual(self.state.frame, first.at)
        before = self.state.frame
        self.key(Qt.Key.Key_Right)
        self.assertEqual(self.state.frame, before + 1)
        self.key(Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self.state.frame, before - 9)
        self.key(Qt.Key.Key_E)
        self.assertTrue(film_place.presenter.event_here())
        QTest.mouseClick(
            self.button("Mend this", film_place.side.cards[0]), Qt.MouseButton.LeftButton
        )
        self.assertEqual(film_place.presenter.answer_to(first), "confirmed")
        self.assertTrue(self.state.proposals)
        line = self.state.proposals[0].session_line
        self.app.processEvents()
        QTest.mouseClick(self.button("Into "), Qt.MouseButton.LeftButton)
        day = TODAY + timedelta(days=3)
        athlete = self.state.athlete
        self.assertIn(line, look_up.session_text(self.window.store, athlete.id, day))
        self.key(Qt.Key.Key_2, Qt.KeyboardModifier.ControlModifier)
        self.window.go("Session")
        self.assertIn(line, self.window.session.text.toPlainText())
        pdf = self.folder / "card.pdf"
        self.assertTrue(self.window.session.print_to(pdf))
        self.assertTrue(pdf.read_bytes().startswith(b"%PDF"))
        self.assertIn(line, [d[0] for d in self.window.session.content().drills])
        shut(self.window)
        self.window = self.open_window()
        self.assertEqual(self.window.film.presenter.answer_to(first), "confirmed")
        self.window.go("Session")
        self.assertIn(line, self.window.session.text.toPlainText())

    def test_keys_alone_confirm_prescribe_and_undo(self):
        presenter = self.window.film.presenter
        second = presenter.findings[1]
        self.key(Qt.Key.Key_F)
        self.assertEqual(presenter.chosen, second)
        self.key(Qt.Key.Key_Return)
        self.assertEqual(presenter.answer_to(second), "confirmed")
        self.key(Qt.Key.Key_1)
        athlete, day = self.state.athlete, TODAY + timedelta(days=3)
        line = self.state.proposals[0].session_line
        self.assertIn(line, look_up.session_text(self.window.store, athlete.id, day))
        self.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertNotIn(line, look_up.session_text(self.window.store, athlete.id, day))
        self.window.undo()
        self.assertEqual(presenter.answer_to(second), "open")
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual(presenter.answer_to(second), "dismissed")

    def test_a_dropped_film_is_analysed_in_the_background(self):
        place = self.window.film
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(film().path))])
        drop = QDropEvent(
            QPointF(200, 200), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        self.window.dropEvent(drop)
        self.until(lambda: place.job is not None)
        self.assertTrue(place.progress_row.isVisible())
        self.until(lambda: place.job is None)
        self.assertEqual(len(self.state.review.reps), 1)
        self.assertTrue(self.state.clip.analysed)
        presenter, lift = place.presenter, self.state.review.lift.id
        for source in ("guessed", "given"):  # as the clip is opened again, and once it is said
            presenter.open(self.state.clip)
            self.assertEqual(self.state.review.lift_source, source)
            self.assertEqual((self.state.review.lift.id, self.state.clip.lift), (lift, lift))
            presenter.set_lift(lift)

    def test_an_analysis_can_be_cancelled(self):
        place = self.window.film
        place.taking.take([film().path])
        self.until(lambda: place.job is not None)
        self.assertEqual(place.lift_box.currentText(), "")  # not that of the film before
        place.cancel_button.click()
        self.until(lambda: place.job is None)
        self.assertIsNone(self.state.review)

    def test_bad_files_are_told_on_the_stage_and_the_work_goes_on(self):
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)
        bad = scratch() / "bad.mp4"
        bad.write_text("no film")
        shown = self.state.clip
        self.window.films.open([bad])
        self.until(lambda: "bad.mp4 cannot be read" in self.window.film.stage.message)
        self.assertEqual(self.state.clip, shown)
        self.key(Qt.Key.Key_Right)
        self.assertEqual(len(look_up.clips_of(self.window.store, self.state.athlete.id)), 2)

    def test_a_moved_clip_is_told_and_found_again(self):
        path = self.state.clip.path
        path.rename(path.with_name("elsewhere.mp4"))
        self.window.hold(self.state.athlete.id)
        self.assertIn("not where it was", self.window.film.stage.message)
        self.window.film.relink(path.with_name("elsewhere.mp4"))
        self.until(lambda: not self.window.film.stage.image.isNull())
        self.assertTrue(self.state.clip.there)

    def test_scrubbing_on_strip_and_rail(self):
        place = self.window.film
        self.until(lambda: not place.stage.image.isNull())
        QTest.mouseClick(place.strip, Qt.MouseButton.LeftButton, pos=QPoint(3, 20))
        self.assertLess(self.state.frame, 5)
        rep = place.presenter.rep
        path = place.rail._path()
        at = rep.events["knee_pass"] - rep.span.lift_off
        QTest.mouseClick(place.rail, Qt.MouseButton.LeftButton, pos=path.at(at).toPoint())
        self.assertAlmostEqual(self.state.frame, rep.events["knee_pass"], delta=3)

    def test_the_athlete_changes_with_one_key_and_two_letters(self):
        self.key(Qt.Key.Key_Slash)
        self.assertTrue(self.window.picker.isVisible())
        QTest.keyClicks(self.window.picker.field, "jp")
        QTest.keyClick(self.window.picker.field, Qt.Key.Key_Return)
        self.assertEqual(self.state.athlete.name, "Jory Penhale")

    def test_joints_are_marked_by_clicking_and_undone(self):
        place = self.window.film
        self.until(lambda: not place.stage.image.isNull())
        self.key(Qt.Key.Key_J)
        QTest.mouseClick(place.stage, Qt.MouseButton.LeftButton, pos=QPoint(300, 200))
        self.assertIn("ear", place.presenter.marks_here())
        self.assertEqual(place.tools.joint, "shoulder")
        self.window.undo()
        x = place.presenter.marks_here().get("ear", (0.0, 0.0))[0]
        spot = place.stage.box().back(QPointF(300, 200))
        self.assertNotAlmostEqual(x, spot[0], delta=0.5)

    def test_the_back_and_the_rear_leg_are_marked_each_by_itself(self):
        place = self.window.film
        self.until(lambda: not place.stage.image.isNull())
        at = self.state.frame
        place.tools.take("back")
        self.assertIn("middle of the back", place.stage.message)
        self.assertEqual(place.joints_button.text(), "Done marking")
        QTest.mouseClick(place.stage, Qt.MouseButton.LeftButton, pos=QPoint(300, 200))
        self.assertEqual(self.state.frame, at + JUMP)
        self.assertEqual(place.tools.joint, "back")
        self.assertIn("back", look_up.marks_of(self.window.store, self.state.clip.id))
        place.tools.take("rear leg")
        self.assertIn("knee of the rear leg", place.stage.message)
        QTest.mouseClick(place.stage, Qt.MouseButton.LeftButton, pos=QPoint(310, 200))
        self.assertEqual(place.tools.joint, "ankle_rear")
        place.tools.put_down()

    def test_the_text_of_a_session_is_kept_as_it_is_typed(self):
        self.window.go("Session")
        session = self.window.session
        session.text.setFocus()
        QTest.keyClicks(session.text, "box jump 4x3 ")
        self.until(lambda: session.state.text() == "saved")
        kept = look_up.session_text(self.window.store, self.state.athlete.id, session.day)
        self.assertIn("box jump 4x3", kept)

    def test_nothing_is_cut_at_1280_by_800_in_both_themes(self):
        self.assertEqual((self.window.width(), self.window.height()), (1280, 800))
        self.window.change_theme()
        self.app.processEvents()
        for b in self.window.findChildren(QPushButton):
            if b.isVisible() and b.visibleRegion().boundingRect().height() >= b.height():
                self.assertGreaterEqual(b.height(), 32, b.text())
                self.assertGreaterEqual(b.width(), b.minimumSizeHint().width(), b.text())
