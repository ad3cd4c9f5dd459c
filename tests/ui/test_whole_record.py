"""The whole record of the athlete in hand: handed out, taken in, erased, from the window."""

from unittest import mock

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox

from keenkettle.club import look_up
from tests.shared import scratch
from tests.ui.window import OpenWindow


class WholeRecordTest(OpenWindow):
    def do(self, name):
        next(a for a in self.w.actions_table if a.name == name).run()
        self.settle()

    def until(self, ready):
        loop, timer = QEventLoop(), QTimer()
        timer.timeout.connect(lambda: ready() and loop.quit())
        timer.start(5)
        QTimer.singleShot(20_000, loop.quit)
        loop.exec()
        self.assertTrue(ready())

    def names(self):
        return {a.name for a in look_up.athletes(self.w.store)}

    def test_a_record_goes_out_is_refused_beside_itself_and_comes_in_again(self):
        self.hold("Liv Sandvik", "Athlete")
        out = scratch() / "liv.zip"
        with mock.patch(
            "keenkettle.ui.shell.whole_record.QFileDialog.getSaveFileName",
            return_value=(str(out), ""),
        ) as asked:
            self.do("Hand out the whole record")
        self.assertIn("Liv Sandvik", asked.call_args.args[1])
        self.until(out.exists)
        self.until(lambda: "written: liv.zip" in self.says)
        self.w.whole.take(out)
        self.assertIn("somebody called Liv Sandvik is in the club", self.says)
        liv = self.w.athlete.id
        sessions = look_up.session_days(self.w.store, liv)
        clips = look_up.clips_of(self.w.store, liv)
        self.w.whole.erase()
        self.until(lambda: self.says == "Liv Sandvik is erased")
        self.assertNotIn("Liv Sandvik", self.names())
        self.assertNotEqual(self.w.athlete.id, liv)
        self.assertEqual(self.w.history.undo(), "")
        self.assertFalse(any(c.path.exists() for c in clips))
        self.w.whole.take(out)
        self.until(lambda: "taken in" in self.says)
        self.assertEqual(self.w.athlete.name, "Liv Sandvik")
        self.assertEqual(look_up.session_days(self.w.store, self.w.athlete.id), sessions)
        again = look_up.clips_of(self.w.store, self.w.athlete.id)
        self.assertEqual([c.filmed_on for c in again], [c.filmed_on for c in clips])
        self.assertTrue(all(c.there for c in again))
        self.w.go("Film")
        self.until(lambda: not self.w.film.stage.image.isNull())

    def test_erasing_is_asked_in_words_and_escape_keeps(self):
        self.hold("Sunniva Dale", "Today")
        said = {}

        def answer():
            box = QApplication.activeModalWidget()
            assert isinstance(box, QMessageBox)
            said["text"] = box.text() + box.informativeText()
            said["default"] = box.defaultButton().text()
            box.reject()

        QTimer.singleShot(0, answer)
        self.do("Erase this athlete")
        for words in ("Erase Sunniva Dale for good?", "sessions", "films", "cannot be undone"):
            self.assertIn(words, said["text"])
        self.assertEqual(said["default"], "Keep")
        self.assertIn("Sunniva Dale", self.names())

    def test_with_nobody_in_hand_each_says_so(self):
        self.w.hold(-1)
        for name in ("Hand out the whole record", "Erase this athlete"):
            self.w.say("")
            self.do(name)
            self.assertIn("nobody is in hand", self.says)
        self.hold("Sunniva Dale", "Today")

    def test_what_is_no_record_is_said(self):
        bad = scratch() / "bad.zip"
        bad.write_bytes(b"x")
        self.w.whole.take(bad)
        self.assertIn("bad.zip is no record", self.says)
