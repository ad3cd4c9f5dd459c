"""What a coach lays and draws on the film through the real window, and going to a moment."""

import unittest
from itertools import pairwise

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from keenkettle.club import look_up
from keenkettle.ui.film.drawn import Drawing, as_array
from keenkettle.ui.film.moment import frame_at
from keenkettle.ui.typed import TypedError
from tests.ui.test_bench import LEFT, SharedBenchCase


class LinesTest(SharedBenchCase):
    def drag(self, *spots):
        stage, points = self.place.stage, [QPoint(*at) for at in spots]
        QTest.mousePress(stage, LEFT, pos=points[0])
        for at in points[1:]:
            QTest.mouseMove(stage, at)
        QTest.mouseRelease(stage, LEFT, pos=points[-1])

    def shown(self):
        self.app.processEvents()
        return as_array(self.place.stage.grab().toImage()).astype(int)

    def test_a_distance_is_dragged(self):
        self.key(Qt.Key.Key_D)
        self.drag((300, 200), (330, 240), (360, 280))
        (note,) = self.state.notes
        a, b = np.array(note.points)
        scale = self.place.stage.box().scale
        self.assertAlmostEqual(float(np.hypot(*(a - b))) * scale, 100.0, delta=2.0)

    def test_a_line_is_drawn_by_hand_and_stays_for_its_phase(self):
        frame = self.state.frame
        self.key(Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
        self.drag((300, 200), (301, 200), (320, 230), (350, 230), (380, 200))
        self.assertEqual(self.place.tools.tool, "draw")
        (note,) = look_up.notes_of(self.window.store, self.state.clip.id)
        self.assertEqual((note.kind, note.first, note.last), ("drawn", frame, frame))
        self.assertEqual(len(note.points), 4)  # a hand that rests gives no points
        self.key(Qt.Key.Key_Escape)
        with_it = self.shown()
        stays = []
        for _ in range(3):
            self.key(Qt.Key.Key_Y)
            (note,) = self.state.notes
            stays.append((note.first, note.last))
        first, last = self.place._phase()
        span = self.place.presenter.rep.span
        self.assertEqual(stays, [(first, last), (span.lift_off, span.end), (frame, frame)])
        self.key(Qt.Key.Key_Y)
        self.window.undo()
        self.window.undo()
        self.assertEqual([(n.first, n.last) for n in self.state.notes], [stays[1]])
        while self.state.notes:
            self.window.undo()
        self.assertGreater(np.abs(self.shown() - with_it).max(), 60)
        self.key(Qt.Key.Key_Y)
        self.assertIn("no note", self.window.status.text())

    def test_squares_and_the_gap_are_laid_and_handed_out(self):
        plain = self.shown()
        self.key(Qt.Key.Key_X)
        self.assertIn("10 cm", self.window.status.text())
        squared = self.shown()
        box, review = self.place.stage.box(), self.state.review
        side = 100.0 / review.calibration.mm_per_px * box.scale
        changed = np.abs(squared - plain).sum(axis=2) > 12
        share = changed[20:-20, 20:-20].mean()
        self.assertGreater(share, 0.5 * 2.0 / side)
        self.assertLess(share, 4.0 * 2.0 / side)
        self.key(Qt.Key.Key_I)
        self.assertGreater(np.abs(self.shown() - squared).max(), 60)
        laid = set(self.place.presenter.laid)
        self.assertEqual(laid, {"plumb", "grid", "gap"})
        rep, frame = self.place.presenter.rep, self.state.frame
        rgb = np.full((review.info.height, review.info.width, 3), 90, np.uint8)
        handed = [
            as_array(Drawing(review, rep, [], laid=with_).picture(rgb, frame)).astype(int)
            for with_ in (set(), {"grid"}, laid)
        ]
        for one, other in pairwise(handed):
            self.assertGreater(np.abs(one - other).max(), 30)
        self.key(Qt.Key.Key_X)
        self.key(Qt.Key.Key_I)
        np.testing.assert_array_equal(self.shown(), plain)

    def test_the_disc_is_dragged_to_its_size(self):
        x, y, r = self.place.presenter.disc_here()
        self.key(Qt.Key.Key_R)
        self.assertEqual(self.place.stage.ring, (x, y, r))
        self.key(Qt.Key.Key_Right)
        self.assertEqual(self.place.stage.ring, self.place.presenter.disc_here())
        self.key(Qt.Key.Key_Left)
        box = self.place.stage.box()
        middle, rim = (box.at(at, y).toPoint() for at in (x, x + 1.04 * r))
        self.drag((middle.x(), middle.y()), (rim.x(), rim.y()))
        self.assertIsNone(self.place.stage.ring)
        shown = self.place.presenter.request().bar
        self.assertEqual(shown[0], self.state.frame)
        self.assertAlmostEqual(shown[3], 1.04 * r, delta=2.0 / box.scale)
        self.assertIsNotNone(self.place.job)  # the film is looked at again with it
        self.place.cancel()
        self.until(lambda: self.place.job is None)
        self.window.undo()
        self.assertIsNone(self.place.presenter.request().bar)

    def test_something_upright_is_clicked_and_gives_the_plumb(self):
        before = self.state.review.calibration.tilt_deg
        how, place = self.place.how, self.place
        self.key(Qt.Key.Key_H)
        self.assertIn(f"leans {before:+.1f}°", how.plumb.text())
        self.assertFalse(how.own_plumb.isVisible())
        QTest.mouseClick(self.button("Click something upright", how), LEFT)
        self.assertIn("door frame", place.stage.message)
        self.click(400, 300)
        self.click(400, 305)
        self.assertIn("short or does not stand", self.window.status.text())
        place.tools.take("upright")
        self.click(400, 350)
        self.click(410, 100)
        cal = self.state.review.calibration
        self.assertAlmostEqual(cal.tilt_deg, np.degrees(np.arctan2(10, 250)), delta=0.6)
        self.assertGreater(np.degrees(cal.vertical_sigma), 0.3)
        how.ask(place.facts)
        how.own_plumb.setChecked(False)
        how.keep()
        self.assertAlmostEqual(self.state.review.calibration.tilt_deg, before, places=6)
        self.window.undo()
        self.assertAlmostEqual(self.state.review.calibration.tilt_deg, cal.tilt_deg, places=6)
        self.window.undo()
        self.assertIsNone(place.presenter.filmed.upright)

    def test_tape_dots_are_looked_for_when_the_coach_says_so(self):
        how, place = self.place.how, self.place
        how.ask(place.facts)
        self.assertFalse(how.dots.isChecked())
        how.dots.setChecked(True)
        how.keep()
        self.assertTrue(place.presenter.request().dots)
        self.assertIsNotNone(place.job)  # the film itself is looked at again
        place.cancel()
        self.until(lambda: place.job is None)
        self.window.undo()
        self.assertFalse(place.presenter.request().dots)

    def test_a_time_is_typed(self):
        review = self.state.review
        for text, frame in (("f12", 12), (f"{review.times_s[30]:.3f}", 30), ("+0,1", None)):
            self.key(Qt.Key.Key_U)
            self.until(lambda: self.place.tools.words.isVisible())
            QTest.keyClicks(self.place.tools.words, text)
            QTest.keyClick(self.place.tools.words, Qt.Key.Key_Return)
            start = self.place.presenter.rep.span.lift_off
            after = int(np.abs(review.times_s - review.times_s[start] - 0.1).argmin())
            self.assertEqual(self.state.frame, after if frame is None else frame)
        self.key(Qt.Key.Key_U)
        self.key(Qt.Key.Key_Escape)
        self.assertEqual((self.place.tools.tool, self.place.tools.words.isVisible()), ("", False))
        self.key(Qt.Key.Key_U)
        QTest.keyClicks(self.place.tools.words, "99")
        QTest.keyClick(self.place.tools.words, Qt.Key.Key_Return)
        self.assertIn("'99' is outside", self.window.status.text())

    def test_curves_say_how_they_are_smoothed(self):
        self.app.processEvents()
        self.assertRegex(self.place.shelf.graph.accessibleName(), r"cut-off \d+ Hz")


class MomentTest(unittest.TestCase):
    def test_what_is_no_moment_is_said(self):
        times = np.arange(60) / 30.0
        for text, says in (
            ("f60", "frames 0 to 59"),
            ("f1.5", "frames 0 to 59"),
            ("soon", "give a number"),
            ("+0.1", "no lift-off"),
            ("-1", "no lift-off"),
            ("s", "empty"),
        ):
            with self.assertRaisesRegex(TypedError, says):
                frame_at(text, times, None)
        self.assertEqual(frame_at("-0.5 s", times, 30), 15)


if __name__ == "__main__":
    unittest.main()
