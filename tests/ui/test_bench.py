"""The film bench's tools through the real window: rulers, events, loops, comparing, handing out."""

import json
import time
from datetime import date
from unittest.mock import Mock, patch

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt, qInstallMessageHandler
from PyQt6.QtGui import QImage, QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

from keenkettle.club import look_up
from keenkettle.coach.what_if import can_ask
from keenkettle.film.apart import ClipApart
from keenkettle.film.clip import Clip, ClipError
from keenkettle.film.looked import Looked
from keenkettle.ui.film.comparing import MODEL, USUAL
from keenkettle.ui.film.drawn import as_array, as_image
from keenkettle.ui.film.set_view import RepDots
from keenkettle.ui.start import make_app
from keenkettle.ui.widgets import ShortCombo
from tests.shared import scratch, still_film
from tests.ui.test_film_path import WindowCase
from tests.ui.window import shut

LEFT = Qt.MouseButton.LeftButton


class BenchCase(WindowCase):
    @property
    def place(self):
        return self.window.film

    def setUp(self):
        super().setUp()
        self.until(lambda: not self.place.stage.image.isNull())

    def click(self, x, y):
        QTest.mouseClick(self.place.stage, LEFT, pos=QPoint(x, y))

    def jobs_end(self):
        self.until(lambda: not self.window.jobs.busy)


class SharedBenchCase(BenchCase):
    """One window for all tests of a class, as opening one is slow; each finds it as it was."""

    window = None

    def setUp(self):
        self.warnings = []
        self.app = make_app()
        self._handler = qInstallMessageHandler(self._qt_says)
        cls = type(self)
        if cls.window is None:
            cls.folder = scratch()
            cls.window = self.open_window()
            cls.addClassCleanup(cls.shut)
        self.window.go("Film")
        self.window.hold(self.window.athlete.id)
        self.window.activateWindow()
        self.until(lambda: not self.place.stage.image.isNull())
        self.until(lambda: QApplication.activeWindow() is self.window)
        self.place.setFocus()

    def tearDown(self):
        self.place.put_down()
        while self.window.history._done:
            self.window.undo()
        self.place.cancel()
        self.place.presenter.laid.clear()  # the stage shares it
        self.place.presenter.laid.add("plumb")
        self.place.shelf.show_one("speed")
        self.place.sides.show_one("Findings")
        self.jobs_end()
        qInstallMessageHandler(self._handler)
        self.assertEqual(self.warnings, [])

    @classmethod
    def shut(cls):
        shut(cls.window)
        cls.window = None


class ToolTest(SharedBenchCase):
    def test_a_distance_and_an_angle_are_laid_and_taken_off_by_undo(self):
        self.key(Qt.Key.Key_D)
        self.assertIn("both ends", self.place.stage.message)
        self.click(300, 200)
        self.click(360, 280)
        (note,) = self.state.notes
        box = self.place.stage.box()
        across = np.hypot(60, 80) / box.scale * self.state.review.calibration.mm_per_px
        (a, b) = note.points
        laid = np.hypot(a[0] - b[0], a[1] - b[1]) * self.state.review.calibration.mm_per_px
        self.assertAlmostEqual(laid, across, delta=2.0)
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_A)
        for x, y in ((300, 200), (300, 300), (400, 300)):
            self.click(x, y)
        self.assertEqual([n.kind for n in self.state.notes], ["distance", "angle"])
        self.window.undo()
        self.assertEqual([n.kind for n in self.state.notes], ["distance"])
        self.window.redo()
        self.assertEqual(len(self.state.notes), 2)

    def test_a_known_length_is_clicked_and_typed(self):
        scale = self.state.review.calibration.mm_per_px
        self.key(Qt.Key.Key_H)
        how = self.place.how
        self.assertTrue(how.isVisible())
        self.assertEqual(how.disc.currentText(), "45")
        QTest.mouseClick(self.button("Click a known length", how), LEFT)
        self.assertIn("whose length you know", self.place.stage.message)
        self.click(300, 200)
        self.click(300, 300)
        self.until(lambda: self.place.tools.words.isVisible())
        cm = 2.0 * 100.0 / self.place.stage.box().scale * scale / 10.0
        QTest.keyClicks(self.place.tools.words, f"{cm:.1f}".replace(".", ","))
        QTest.keyClick(self.place.tools.words, Qt.Key.Key_Return)
        self.assertAlmostEqual(self.state.review.calibration.mm_per_px, 2.0 * scale, delta=0.02)
        self.assertIn("a known length", self.place.facts.whole)
        self.place.how.ask(self.place.facts)
        self.place.how.facing.setCurrentIndex(2)
        self.place.how.keep()
        self.assertIsNotNone(self.place.presenter.filmed.known)
        self.place.how.ask(self.place.facts)
        self.place.how.disc.setCurrentText("40")
        self.place.how.keep()
        self.assertIn("disc 40 cm", self.place.facts.whole)
        self.place.how.ask(self.place.facts)
        for field, text, says in (
            (how.rate, "fast", "frames a second is 'fast'"),
            (how.camera, "300", "300 m; give 0.5 to 50 m"),
        ):
            field.setText(text)
            how.keep()
            self.assertIn(says, self.window.status.text())
            field.clear()
        how.hide()
        for _ in range(3):
            self.window.undo()
        self.assertAlmostEqual(self.state.review.calibration.mm_per_px, scale, places=4)

    def test_words_are_written_on_a_frame_and_kept(self):
        frame = self.state.frame
        self.key(Qt.Key.Key_N)
        self.click(320, 180)
        self.until(lambda: self.place.tools.words.isVisible())
        QTest.keyClicks(self.place.tools.words, "elbows long")
        QTest.keyClick(self.place.tools.words, Qt.Key.Key_Return)
        self.assertFalse(self.place.tools.words.isVisible())
        (note,) = look_up.notes_of(self.window.store, self.state.clip.id)
        self.assertEqual((note.kind, note.text, note.first), ("text", "elbows long", frame))
        self.assertEqual(self.place.strip.flags, [(frame, frame)])
        self.key(Qt.Key.Key_Right)
        self.assertEqual(self.place.stage.notes, [])

    def test_a_bound_is_dragged_and_what_hangs_on_it_follows(self):
        rep = self.place.presenter.rep
        before, turnover = rep.events["catch"], rep.metrics["turnover_time"].value
        cell = next(c for c in self.place.strip.cells() if c.first == before)
        start = QPoint(round(cell.x0 - 1), 10)
        self.assertEqual(self.place.strip.event_near(start.x()), "catch")
        QTest.mousePress(self.place.strip, LEFT, pos=start)
        QTest.mouseMove(self.place.strip, start + QPoint(30, 0))
        QTest.mouseRelease(self.place.strip, LEFT, pos=start + QPoint(30, 0))
        rep = self.place.presenter.rep
        self.assertGreater(rep.events["catch"], before)
        self.assertGreater(rep.metrics["turnover_time"].value, turnover)
        self.window.undo()
        self.assertEqual(self.place.presenter.rep.events["catch"], before)

    def test_an_event_stays_between_its_neighbours(self):
        presenter = self.place.presenter
        presenter.move_event("catch", 10_000)
        events = presenter.rep.events
        self.assertEqual(events["catch"], events["bottom"] - 1)

    def test_a_joint_that_is_dragged_asks_for_a_new_analysis(self):
        review, frame = self.state.review, self.state.frame
        at = self.place.stage.box().at(*review.joints["ear"].xy_px[frame])
        spot = at.toPoint()
        QTest.mousePress(self.place.stage, LEFT, pos=spot)
        QTest.mouseMove(self.place.stage, spot + QPoint(12, 0))
        QTest.mouseRelease(self.place.stage, LEFT, pos=spot + QPoint(12, 0))
        moved = look_up.marks_of(self.window.store, self.state.clip.id)["ear"][frame]
        want = self.place.stage.box().back(QPointF(spot + QPoint(12, 0)))
        self.assertAlmostEqual(moved[0], want[0], delta=1.5)
        for _ in range(2):  # as it is dragged, and as that is undone
            self.assertIsNotNone(self.place.job)
            self.place.cancel()
            self.until(lambda: self.place.job is None)
            self.window.undo()


class PlayTest(SharedBenchCase):
    def test_a_loop_stays_in_its_phase(self):
        player = self.place.player
        self.key(Qt.Key.Key_O)
        self.assertEqual(player.loop, "phase")
        first, last = player.span()
        seen = set()
        self.key(Qt.Key.Key_Space)
        end = time.monotonic() + 5
        while time.monotonic() < end and not {first, last - 1} <= seen:
            self.app.processEvents()
            seen.add(self.state.frame)
        self.key(Qt.Key.Key_Space)
        self.assertFalse(player.playing)
        self.assertGreaterEqual(min(seen), first)
        self.assertLessEqual(max(seen), last)
        self.assertLessEqual({first, last - 1}, seen)

    def test_a_held_arrow_runs_and_letting_go_stops(self):
        window, start = self.window.windowHandle(), self.state.frame
        kinds = QKeyEvent.Type
        plain = Qt.KeyboardModifier.NoModifier
        held = QKeyEvent(kinds.KeyPress, Qt.Key.Key_Left, plain, "", True)
        QApplication.sendEvent(window, held)
        self.assertTrue(self.place.player.playing)
        self.until(lambda: self.state.frame < start)
        QApplication.sendEvent(window, QKeyEvent(kinds.KeyRelease, Qt.Key.Key_Left, plain))
        self.assertFalse(self.place.player.playing)

    def test_speed_keeps_true_time(self):
        player = self.place.player
        for _ in range(10):
            self.key(Qt.Key.Key_Minus)
        self.assertEqual(self.place.shelf.play.text(), "play 1/16")
        self.place.presenter.go(0)
        began = time.monotonic()
        self.key(Qt.Key.Key_Space)
        self.until(lambda: self.state.frame >= 2)
        took = time.monotonic() - began
        player.pause()
        self.assertGreater(took, 1.5 * 16 / 60)

    def test_curves_and_key_frames_take_turns(self):
        shelf = self.place.shelf
        for name in ("height", "forward", "angles", "key frames"):
            self.key(Qt.Key.Key_C)
            self.assertEqual(shelf.name, name)
        boxes = shelf.keys._boxes()
        self.assertGreaterEqual(len(boxes), 6)
        self.until(lambda: len(shelf.keys.drawn) == len(boxes))
        QTest.mouseClick(shelf.keys, LEFT, pos=boxes[0][2].center().toPoint())
        self.assertEqual(self.state.frame, boxes[0][1])


class CompareTest(SharedBenchCase):
    def choose(self, kind):
        box = self.place.comparing.choice_box
        index = next(i for i in range(box.count()) if box.itemData(i).kind == kind)
        box.setCurrentIndex(index)
        box.activated.emit(index)

    def test_two_clips_step_together_and_end(self):
        comparing = self.place.comparing
        self.key(Qt.Key.Key_K)
        made = comparing.comparison
        self.assertTrue(comparing.second.isVisible())
        self.place.presenter.go(made.first.rep.events["extension"])
        comparing._again("extension")
        made = comparing.comparison
        self.assertEqual(comparing.second.frame, made.second.rep.events["extension"])
        self.assertIsNotNone(self.place.shelf.graph.other)
        self.key(Qt.Key.Key_V)
        self.assertFalse(comparing.second.isVisible())
        self.assertTrue(self.place.stage.ghost.blend)
        start = self.state.review.bar.xy_px[made.first.rep.span.lift_off]
        np.testing.assert_allclose(self.place.stage.ghost.path[0], start, atol=0.5)
        # A moved event judges the film anew; what it is compared with stays.
        chosen = comparing.choice_box.currentIndex()
        self.place.presenter.move_event("catch", self.place.presenter.rep.events["catch"] + 3)
        self.assertEqual(comparing.choice_box.currentIndex(), chosen)
        self.assertIs(comparing.comparison.first.rep, self.place.presenter.rep)
        self.key(Qt.Key.Key_K)
        self.assertFalse(comparing.on)
        self.assertIsNone(self.place.stage.ghost)

    def test_the_usual_path_says_what_it_lacks(self):
        self.key(Qt.Key.Key_K)
        self.choose(USUAL)
        self.assertIn("three are needed", self.window.status.text())

    def test_the_model_lifts_in_the_athlete_s_proportions(self):
        self.key(Qt.Key.Key_K)
        rep = "keenkettle.coach.model_rep"
        with patch(f"{rep}.SIZE", (320, 180)), patch(f"{rep}.FPS", 50.0):
            self.choose(MODEL)
            self.jobs_end()
        self.until(lambda: self.place.comparing.comparison is not None)
        review = self.place.comparing.comparison.second.review
        self.assertEqual(review.lift.id, "power-clean")
        self.assertEqual(review.reps[0].verdict.findings, ())


class HandingOutTest(SharedBenchCase):
    def write(self, kind, name, blur=False):
        out = scratch() / name
        self.place.out.write(kind, out, blur)
        self.jobs_end()
        self.app.processEvents()
        self.assertIn("written", self.window.status.text())
        return out

    def test_pictures_carry_lines_and_hidden_faces(self):
        frame = self.state.frame
        with Clip(self.state.clip.path) as clip:
            bare = clip.rgb(frame).astype(int)
        drawn = as_array(QImage(str(self.write("still", "a.png")))).astype(int)
        hidden = as_array(QImage(str(self.write("still", "b.png", blur=True)))).astype(int)
        self.assertEqual(drawn.shape, bare.shape)
        x, y = self.state.review.bar.xy_px[frame].round().astype(int)
        self.assertGreater(np.abs(drawn - bare)[y - 4 : y + 4, x - 4 : x + 4].max(), 60)
        ex, ey = self.state.review.joints["ear"].xy_px[frame].round().astype(int)
        near = (slice(ey - 12, ey + 12), slice(ex + 6, ex + 18))
        self.assertGreater(np.abs(hidden - drawn)[near].mean(), 5)
        self.assertIn("look through it", self.window.status.text())

    def test_the_sheet_has_a_tile_for_each_key_frame(self):
        sheet = QImage(str(self.write("sheet", "a.png")))
        self.assertEqual(sheet.width() % 300, 0)
        self.assertGreaterEqual(sheet.width() // 300, 6)

    def test_report_and_numbers(self):
        self.place.answering.answer("confirmed")
        html = self.write("report", "a.html").read_text()
        self.assertIn("Sunniva Dale: power clean", html)
        self.assertIn(self.place.presenter.findings[0].evidence[0].label, html)
        self.assertTrue(self.write("report", "a.pdf").read_bytes().startswith(b"%PDF"))
        rows = self.write("data", "a.csv").read_text().splitlines()
        self.assertEqual(rows[0], "frame,t_s,point,x_px,y_px,x_mm,y_mm,quality")
        document = json.loads(self.write("data", "a.json").read_text())
        self.assertEqual(document["lift"]["id"], "power-clean")

    def test_the_film_keeps_its_times(self):
        out = self.write("film", "a.mp4")
        review, rep = self.state.review, self.place.presenter.rep
        with Clip(out) as clip:
            span = review.times_s[rep.span.end] - review.times_s[rep.span.lift_off]
            self.assertGreaterEqual(clip.info.duration_s, span)
            self.assertAlmostEqual(clip.info.fps_nominal, review.info.fps_nominal, delta=0.5)

    def test_a_folder_that_is_not_there_is_said(self):
        self.place.out.write("still", scratch() / "no" / "a.png", False)
        self.jobs_end()
        self.app.processEvents()
        self.assertIn("cannot be written", self.window.status.text())


class WordsTest(SharedBenchCase):
    def test_the_draft_is_kept_edited_and_undone(self):
        self.place.answering.answer("confirmed")
        self.key(Qt.Key.Key_G)
        self.assertEqual(self.place.sides.name, "Words")
        self.place.words.draft_button.click()
        text = self.place.words.text.toPlainText()
        self.assertIn("First to mend", text)
        self.assertEqual(self.place.presenter.notes.written, text)
        self.window.undo()
        self.assertEqual(self.place.words.text.toPlainText(), "")

    def test_what_is_typed_stays_with_its_clip_also_when_another_is_opened(self):
        first, second = self.state.clips
        self.place.sides.show_one("Words")
        self.place.words.text.setFocus()
        QTest.keyClicks(self.place.words.text, "long arms")
        self.place.presenter.open(second)
        self.assertEqual(self.place.words.text.toPlainText(), "")
        store = self.window.store
        self.assertEqual(look_up.written_of(store, first.id), "long arms")
        self.assertEqual(look_up.written_of(store, second.id), "")
        QTest.keyClicks(self.place.words.text, "and knees")
        self.until(lambda: look_up.written_of(store, second.id) == "and knees")

    def test_a_click_on_the_film_gives_it_the_keys_back(self):
        self.place.sides.show_one("Words")
        self.place.words.text.setFocus()
        frame = self.state.frame
        self.click(30, 300)
        self.key(Qt.Key.Key_Right)
        self.assertEqual(self.state.frame, frame + 1)
        self.assertEqual(self.place.words.text.toPlainText(), "")

    def test_over_time_tells_what_helped(self):
        self.place.sides.show_one("Over time")
        answers = {e.drill: e.moved.answer for e in self.place.over_time._effects}
        self.assertEqual(answers, {"lift-to-knee-hold": "yes", "held-finish-pull": "no"})
        box = self.place.over_time.metric_box
        box.setCurrentIndex(box.findData("trunk_drop"))
        box.activated.emit(box.currentIndex())
        spots = self.place.over_time.graph._spots()
        self.assertEqual(len(spots), 11)
        other = spots[-2][0]
        clip = next(c for c in self.state.clips if c.id != self.state.clip.id)
        at = next(at for c, at in spots if c.clip_id == clip.id)
        QTest.mouseClick(self.place.over_time.graph, LEFT, pos=at.toPoint())
        self.assertEqual(self.state.clip.id, clip.id)
        self.assertNotEqual(other.clip_id, 0)


class TakeMarksTest(SharedBenchCase):
    def test_tracks_from_a_file_count_as_marks_and_are_undone(self):
        before = look_up.marks_of(self.window.store, self.state.clip.id)
        x, y = self.state.review.joints["hip"].xy_px[50] + 6.0
        path = scratch() / "tracks.csv"
        path.write_text(f"frame,joint,x,y\n50,hip,{x:.2f},{y:.2f}\n51,hip,{x:.2f},{y:.2f}\n")
        with patch.object(self.place, "analyse") as analyse:
            self.place.take_marks(path)
        analyse.assert_called_once()
        self.assertIn("2 marks taken in", self.window.status.text())
        taken = look_up.marks_of(self.window.store, self.state.clip.id)["hip"]
        self.assertAlmostEqual(taken[50][0], x, delta=0.01)
        self.assertIn(51, taken)
        self.window.undo()
        self.assertEqual(look_up.marks_of(self.window.store, self.state.clip.id), before)
        path.write_text("frame,joint,x,y\n50,nose,1,1\n")
        self.place.take_marks(path)
        self.assertIn("row 2: joint 'nose' is unknown", self.window.status.text())
        self.assertEqual(look_up.marks_of(self.window.store, self.state.clip.id), before)


class WhatIfTest(BenchCase):
    def test_what_mending_gives_is_asked_and_told(self):
        found = self.place.presenter.findings
        self.assertTrue(can_ask(found))
        ask = self.button("What would mending each give?", self.place.side)
        QTest.mouseClick(ask, LEFT)
        self.jobs_end()
        self.app.processEvents()
        words = [x.text() for x in self.place.side.findChildren(QLabel)]
        self.assertIn("What mending each would give", words)
        told = [w for w in words if w.startswith("Without: ")]
        self.assertEqual(len(told), len(can_ask(found)))


class ShelfTest(BenchCase):
    def test_chosen_frames_are_shown_large_stepped_through_played_and_taken_off(self):
        self.window.show_shelf()
        self.assertIn("the shelf is empty", self.window.status.text())
        self.place.presenter.choose(0)
        self.key(Qt.Key.Key_S)
        self.assertIn("on the shelf: ", self.window.status.text())
        says = self.place.presenter.chosen.says
        self.place.presenter.go(5)
        self.key(Qt.Key.Key_S)
        self.assertEqual([n.kind for n in self.state.notes], [])
        self.window.show_shelf()
        show = self.window.group
        self.until(lambda: not show.picture.image.isNull())
        self.assertEqual(show.words.text(), f"Power clean: {says}")
        self.assertNotIn(self.state.athlete.name, show.words.text())
        first = show.picture.image
        self.assertEqual(first.width(), self.state.review.info.width)
        QTest.keyClick(show, Qt.Key.Key_Right)
        self.until(lambda: show.picture.image != first)
        self.assertEqual(show.count.text(), "2 of 2")
        still = show.picture.image
        QTest.keyClick(show, Qt.Key.Key_Space)
        self.until(lambda: show.picture.image != still)
        QTest.keyClick(show, Qt.Key.Key_Delete)
        self.assertEqual(show.count.text(), "1 of 1")
        self.window.undo()
        self.assertEqual(len(look_up.shelf(self.window.store)), 2)
        QTest.keyClick(show, Qt.Key.Key_Escape)
        self.assertFalse(show.isVisible())


class SetTest(BenchCase):
    def test_a_set_shows_its_reps_and_the_last_good_one(self):
        self.assertTrue(self.place.sides.buttons[3].isHidden())
        people = {a.name: a.id for a in look_up.athletes(self.window.store)}
        self.window.hold(people["Jory Penhale"])
        (clip,) = [c for c in self.state.clips if c.lift == "clean-above-knee-pull"]
        self.place.presenter.open(clip)
        self.assertFalse(self.place.sides.buttons[3].isHidden())
        self.place.sides.show_one("Set")
        self.assertIn("clean pull from above the knee", self.place.clip_box.toolTip())
        self.assertRegex(self.place.clip_box.currentData(ShortCombo.BRIEF), r"^\d+ \w+, 110 kg$")
        lift = self.place.lift_box
        self.assertEqual(lift.currentText(), "clean pull from above the knee")
        text_px = lift.fontMetrics().horizontalAdvance(lift.currentText())
        self.assertGreater(lift.width(), text_px + 40)
        self.assertTrue(self.place.stage.caption.startswith("rep 1 of 5"))
        page = self.place.set_view
        words = [x.text() for x in page.findChildren(QLabel)]
        self.assertIn("Last good rep: 4 of 5", words)
        self.assertIn("Rep 5 has lost 17% of the best speed.", words)
        dots = page.findChildren(RepDots)[0]
        self.assertEqual(dots.measure.metric, "bar_peak_velocity")
        self.assertTrue(dots.measure.fades)
        QTest.mouseClick(dots, LEFT, pos=QPoint(int(dots.width() * 0.7), 40))
        self.assertEqual(self.state.rep, 3)
        self.assertEqual(self.state.frame, self.state.review.reps[3].span.lift_off)
        self.window.hold(people["Sunniva Dale"])
        self.assertEqual(self.place.sides.name, "Findings")


class ApartTest(BenchCase):
    def test_a_decoder_that_dies_takes_nothing_with_it(self):
        server = self.place.server
        server._helper._child._process.kill()
        server._helper._child._process.wait()
        self.place.presenter.go(3)
        self.until(lambda: "broke down" in self.window.status.text())
        self.place.presenter.go(40)
        self.until(lambda: server._kept.get(40) is not None)

    def test_nor_does_one_that_dies_while_frames_behind_are_made_ready(self):
        broken = Mock(side_effect=ClipError("its decoder broke down"))
        with patch.object(ClipApart, "fill_behind", broken):
            self.place.presenter.go(7)
            self.until(lambda: "broke down" in self.window.status.text())
        self.place.presenter.go(44)
        self.until(lambda: self.place.server._kept.get(44) is not None)

    def test_a_folder_of_films_is_analysed_in_the_background(self):
        folder = scratch()
        (folder / "one.mp4").write_bytes(still_film())
        (folder / "bad.mp4").write_text("no film")
        (folder / "notes.txt").write_text("not asked for")
        self.window.films.open([folder])
        queue = self.place.queue
        self.until(lambda: queue.running)
        self.assertIn("bad.mp4 cannot be read", self.window.status.text())
        self.until(lambda: not queue.running and not queue.waiting)
        clips = look_up.clips_of(self.window.store, self.state.athlete.id)
        self.assertEqual(len(clips), 3)
        self.assertTrue(all(c.analysed for c in clips))

    def test_what_was_not_reached_waits_for_the_next_start(self):
        source = next(self.folder.rglob("liv-1.mp4"))
        copy = scratch() / "again.mp4"
        copy.write_bytes(source.read_bytes())
        self.place.presenter.add_clips([Looked(copy, "0" * 64, date.today())])
        self.close_window()
        self.window = self.open_window()
        self.until(lambda: self.place.queue.running or self.place.job is not None)
        self.place.queue.stop()
        self.place.cancel()
        self.jobs_end()
        self.assertEqual(len(look_up.waiting_clips(self.window.store)), 1)


class PictureTest(BenchCase):
    def test_arrays_survive_the_way_through_qt(self):
        picture = np.random.default_rng(0).integers(0, 255, (37, 53, 3)).astype(np.uint8)
        np.testing.assert_array_equal(as_array(as_image(picture)), picture)
