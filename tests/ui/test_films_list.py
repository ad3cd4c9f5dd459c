"""All films in one list, through the real window: found, said more of, taken out, put back."""

from datetime import date

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from keenkettle.club import look_up
from keenkettle.club.film_commands import SetFacts
from keenkettle.club.stale import stale_clips
from keenkettle.club.tables import ClipRow
from tests.shared import scratch, still_film
from tests.ui.test_film_path import WindowCase
from tests.ui.window import OpenWindow

KEY = Qt.Key
CTRL_SHIFT = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


class FilmsListTest(OpenWindow):
    def setUp(self):
        self.hold("Anselm Brook", "Film")
        self.list = self.w.day.films
        self.list.table.clearSelection()
        self.w.films.show_list()
        self.settle()

    def tearDown(self):
        self.list.field.clear()
        super().tearDown()

    def choose(self, *stems):
        rows = [i for i, x in enumerate(self.list.model.lines) if x.path.stem in stems]
        for n, row in enumerate(rows):
            self.list._take(row, also=n > 0)
        self.settle()

    def line(self, stem):
        (line,) = [x for x in self.list.model.lines if x.path.stem == stem]
        return line

    def shown(self, stem, column):
        row = self.list.model.lines.index(self.line(stem))
        return self.list.model.index(row, column).data()

    def test_what_wants_eyes_stands_first_and_enter_opens_it(self):
        self.assertEqual(self.list.chosen()[0].words, "1 to fix, 3 to note")
        self.press(KEY.Key_Return)
        self.assertEqual(self.w.place, "Film")
        self.assertEqual(self.w.athlete.name, "Maren Holt")
        self.assertEqual(self.w.film.presenter.state.clip.path.stem, "maren-1")

    def test_typing_narrows_and_the_day_comes_back(self):
        QTest.keyClicks(self.list.field, "holt power")
        self.assertEqual({x.athlete for x in self.list.model.lines}, {"Maren Holt"})
        self.assertIn("2 for your eyes", self.list.title.text())
        self.press(KEY.Key_Escape)
        self.assertEqual(self.w.day.pages.currentIndex(), 0)
        self.click(self.w.day.eyes.itemAt(0).widget())
        self.assertEqual(self.w.day.pages.currentIndex(), 1)

    def test_the_load_and_the_day_are_written_down(self):
        self.choose("maren-1", "maren-2")
        self.list.load.setFocus()
        QTest.keyClicks(self.list.load, "36,5 kg")
        self.press(KEY.Key_Return)
        self.assertEqual(self.shown("maren-1", 3), "36.5 kg")
        self.assertEqual(self.line("maren-2").load_kg, 36.5)
        self.assertIn("2 films kept as with 36.5 kg", self.says)
        self.choose("maren-1")
        self.list.day.show_day(date(2026, 10, 5))
        self.list.day.editingFinished.emit()
        self.assertEqual(self.shown("maren-1", 1), "5 Oct 2026")
        self.w.undo()
        self.w.undo()
        self.assertEqual(self.line("maren-2").load_kg, 32.5)

    def test_what_is_being_typed_outlives_a_film_that_is_done(self):
        self.choose("maren-1")
        self.list.load.setFocus()
        self.list.load.selectAll()
        QTest.keyClicks(self.list.load, "4")
        self.w.film.queue.moved.emit()
        QTest.keyClicks(self.list.load, "1")
        self.press(KEY.Key_Return)
        self.assertEqual(self.line("maren-1").load_kg, 41.0)

    def test_the_film_in_view_is_given_them_where_one_says_how_it_was_filmed(self):
        self.hold("Maren Holt", "Film")
        how = self.w.film.how
        self.w.film.ask_filmed()
        self.assertEqual(how.load.text(), "35")
        how.load.setText("37.5")
        how.day.show_day(date(2026, 11, 19))
        how.keep()
        self.assertIn("day and load are kept", self.says)
        self.assertEqual(self.w.film.clip_box.currentText(), "19 Nov: power snatch, 37.5 kg")
        self.w.film.ask_filmed()
        how.load.setText("much")
        how.keep()
        self.assertIn("the load is 'much'", self.says)
        how.hide()
        self.w.activateWindow()
        self.settle()

    def test_what_is_no_load_is_told_and_not_kept(self):
        self.choose("maren-1")
        for typed, says in (("heavy", "the load is 'heavy'"), ("-5", "give what was on the bar")):
            self.list.load.setFocus()
            self.list.load.selectAll()
            QTest.keyClicks(self.list.load, typed)
            self.press(KEY.Key_Return)
            self.assertIn(says, self.says)
        self.assertEqual(self.line("maren-1").load_kg, 35.0)

    def test_films_are_given_to_whom_they_belong(self):
        self.choose("sunniva-2", "sunniva-3")
        at = self.list.who.findText("Bram Oakhurst")
        self.list.who.setCurrentIndex(at)
        self.list.who.activated.emit(at)
        self.assertEqual(self.line("sunniva-2").athlete, "Bram Oakhurst")
        self.assertEqual(len(self.list.chosen()), 2)
        clips = look_up.clips_of(self.w.store, self.people["Bram Oakhurst"].id)
        self.assertIn("sunniva-3", [c.path.stem for c in clips])

    def test_a_film_is_taken_out_and_put_back(self):
        self.hold("Maren Holt", "Film")
        self.w.films.show_list()
        self.choose("maren-1")
        self.list.table.setFocus()
        self.press(KEY.Key_Delete)
        self.assertNotIn("maren-1", [x.path.stem for x in self.list.model.lines])
        self.assertIn("the file stays", self.says)
        self.assertEqual(self.w.film.presenter.state.clip.path.stem, "maren-2")
        self.w.undo()
        self.assertEqual(self.line("maren-1").words, "1 to fix, 3 to note")

    def test_one_whose_file_is_gone_says_so(self):
        line = self.line("maren-1")
        look_up.set_clip(self.w.store, line.clip_id, path=str(line.path.with_name("gone.mp4")))
        self.addCleanup(look_up.set_clip, self.w.store, line.clip_id, path=str(line.path))
        self.list.refresh()
        self.assertEqual(self.shown("gone", 4), "the file is not where it was")


class ComingInTest(WindowCase):
    def test_what_was_wrong_with_each_file_can_be_read(self):
        folder = scratch()
        (folder / "one.mp4").write_bytes(still_film())
        (folder / "bad.mp4").write_text("no film")
        (folder / "empty.mp4").write_bytes(b"")
        self.window.films.open([folder])
        self.until(lambda: self.window.film.taking.refused)
        self.window.films.show_list()
        refused = self.window.day.films.refused.text()
        self.assertIn("bad.mp4 cannot be read as video", refused)
        self.assertIn("empty.mp4 is empty", refused)
        queue, films = self.window.film.queue, self.window.day.films
        self.until(lambda: not queue.running and not queue.waiting and queue.total)
        self.window.film.cancel()
        (line,) = [x for x in films.model.lines if x.path.stem == "one"]
        self.assertEqual(line.words, "nothing is lifted")
        films._take(films.model.lines.index(line))
        films.copy.click()
        self.until(lambda: "kept in the club's folder" in self.window.status.text())
        own = self.window.store.clips_folder.resolve()
        self.assertEqual([x.path.parent for x in films.chosen()], [own])
        self.assertFalse(films.copy.isEnabled())


class JudgedAgainTest(WindowCase):
    def said(self, clip_id):
        with self.window.store.session() as s:
            return s.get(ClipRow, clip_id).said

    def settled(self):
        self.until(lambda: self.window.judging.job is None)
        self.assertEqual(stale_clips(self.window.store), [])

    def test_measures_follow_the_body_and_the_lift_and_undo(self):
        w = self.window
        clip_id = w.film.presenter.state.clip.id
        before = self.said(clip_id)
        bram = next(a.id for a in look_up.athletes(w.store) if a.name == "Bram Oakhurst")
        w.history.run(SetFacts((clip_id,), {"athlete_id": bram}))
        self.settled()
        self.assertNotEqual(self.said(clip_id), before)
        w.undo()
        self.settled()
        self.assertEqual(self.said(clip_id), before)
        w.history.run(SetFacts((clip_id,), {"lift": "clean-pull", "lift_guessed": False}))
        self.settled()
        self.assertNotIn("catch_drop", self.said(clip_id)[0]["measures"])
