"""The film bench's views one by one: strip, rail, curves, gauge, measures over time, hand-outs."""

import json
import unittest
from dataclasses import replace
from datetime import date
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QWidget

from keenkettle.club import look_up
from keenkettle.club.commands import History
from keenkettle.club.demo import fill_demo
from keenkettle.club.store import Store
from keenkettle.coach.judge import Evidence
from keenkettle.measure.curves import CURVES
from keenkettle.measure.metrics import phase_bounds
from keenkettle.ui import theme
from keenkettle.ui.film.elastic import x_of
from keenkettle.ui.film.finding_card import how_sure
from keenkettle.ui.film.gauge import Gauge
from keenkettle.ui.film.graph import GraphView, _digits
from keenkettle.ui.film.handing_out import KINDS, HandingOut
from keenkettle.ui.film.key_frames import key_frames
from keenkettle.ui.film.over_time import OverTime, TimeGraph
from keenkettle.ui.film.phase_hues import phase_hue
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.film.rail import HeightRail
from keenkettle.ui.film.strip import ElasticStrip
from keenkettle.ui.film.view_box import fit_box, lift_area
from keenkettle.ui.jobs import JobRunner
from keenkettle.ui.start import make_app
from keenkettle.ui.widgets import ShortButton
from tests.shared import scratch

TODAY = date(2026, 11, 23)
LEFT = Qt.MouseButton.LeftButton


class ViewCase(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = make_app()
        cls.store = Store(scratch())
        fill_demo(cls.store, TODAY)
        people = {a.name: a for a in look_up.athletes(cls.store)}
        cls.p = FilmPresenter(cls.store, History(cls.store), lambda _what: None)
        cls.p.hold(people["Sunniva Dale"])
        cls.review, cls.rep = cls.p.state.review, cls.p.rep

    @classmethod
    def tearDownClass(cls):
        cls.store.close()

    def shown(self, view, width=900):
        view.review, view.rep = self.review, self.rep
        view.frames, view.frame = self.review.info.frames, self.rep.events["extension"]
        view.resize(width, view.height())
        view.show()
        self.addCleanup(view.hide)
        self.app.processEvents()
        return view

    def caught(self, signal):
        """What a signal carries from now on."""
        got = []
        signal.connect(lambda *a: got.append(a[0] if len(a) == 1 else a))
        return got


class StripTest(ViewCase):
    def test_a_press_scrubs_to_the_frame_under_it(self):
        strip = self.shown(ElasticStrip())
        got = self.caught(strip.scrubbed)
        for frame in (10, 70, self.rep.span.end - 3):
            x = round(x_of(strip.cells(), frame)) + 1
            if strip.event_near(x) is None:
                QTest.mousePress(strip, LEFT, pos=QPoint(x, 30))
                QTest.mouseRelease(strip, LEFT, pos=QPoint(x, 30))
                self.assertAlmostEqual(got[-1], frame, delta=2)

    def test_bounds_are_found_by_their_event(self):
        strip = self.shown(ElasticStrip())
        for name in ("knee_pass", "catch", "bottom"):
            cell = next(c for c in strip.cells() if c.first == self.rep.events[name])
            self.assertIn(strip.event_near(cell.x0), self.rep.events)
        self.assertIsNone(strip.event_near(-50.0))

    def test_a_bound_let_go_where_it_was_moves_nothing(self):
        strip = self.shown(ElasticStrip())
        got = self.caught(strip.moved)
        cell = next(c for c in strip.cells() if c.first == self.rep.events["catch"])
        at = QPoint(round(cell.x0 - 1), 30)
        QTest.mousePress(strip, LEFT, pos=at)
        QTest.mouseRelease(strip, LEFT, pos=at)
        self.assertEqual([g for g in got if abs(g[1] - self.rep.events["catch"]) > 1], [])

    def test_true_time_gives_each_frame_the_same_room(self):
        strip = self.shown(ElasticStrip())
        strip.true_time = True
        widths = [(c.x1 - c.x0) / max(c.last - c.first, 1) for c in strip.cells()]
        self.assertLess(max(widths) / min(widths), 1.05)
        strip.true_time = False
        widths = [(c.x1 - c.x0) / max(c.last - c.first, 1) for c in strip.cells()]
        self.assertGreater(max(widths) / min(widths), 3.0)

    def test_an_empty_strip_is_still(self):
        strip = ElasticStrip()
        strip.resize(400, 56)
        got = self.caught(strip.scrubbed)
        QTest.mousePress(strip, LEFT, pos=QPoint(50, 30))
        self.assertEqual(got, [])
        self.assertIsNone(strip.event_near(50.0))
        self.assertFalse(strip.grab().isNull())


class RailTest(ViewCase):
    def rail(self):
        rail = HeightRail()
        rail.resize(148, 600)
        rail.stature_mm = 1700.0
        self.shown(rail, 148)
        picture = QRectF(0, 0, self.review.info.width, self.review.info.height)
        rail.box = fit_box(QRectF(0, 0, 900, 600), picture, lift_area(self.review))
        return rail

    def test_a_drag_on_the_path_leads_to_its_frame(self):
        rail = self.rail()
        got = self.caught(rail.scrubbed)
        path = rail._path()
        for share in (0.2, 0.4):
            k = round(share * (path.count() - 1))
            QTest.mousePress(rail, LEFT, pos=path.at(k).toPoint())
            frame = got[-1] - self.rep.span.lift_off
            there = path.at(frame)
            self.assertLess((there - path.at(k)).manhattanLength(), 12)

    def test_the_path_has_the_hues_of_its_phases(self):
        rail = self.rail()
        picture, path = rail.grab().toImage(), rail._path()
        bounds = {name: (a + b) // 2 for name, a, b in phase_bounds(self.rep.events)}
        for name in ("first pull", "transition", "second pull"):
            at = path.at(bounds[name] - self.rep.span.lift_off)
            wanted, x, y = phase_hue(name, theme.current()), round(at.x()), round(at.y())
            near = [picture.pixelColor(x + a, y + b) for a in range(-2, 3) for b in range(-2, 3)]
            off = [
                abs(c.red() - wanted.red()) + abs(c.green() - wanted.green())
                + abs(c.blue() - wanted.blue())
                for c in near
            ]  # fmt: skip
            self.assertLess(min(off), 30, name)

    def test_heights_are_off_the_floor(self):
        rail = self.rail()
        cal = self.review.calibration
        floor = rail.box.at(0.0, cal.floor_y_px).y()
        self.assertAlmostEqual(rail._height_mm(floor), 0.0, delta=1.0)
        resting = rail._path().at(0).y()
        self.assertAlmostEqual(rail._height_mm(resting), 225.0, delta=20.0)

    def test_it_is_drawn_with_and_without_a_lift(self):
        rail = self.rail()
        full = rail.grab().toImage()
        rail.review = None
        empty = rail.grab().toImage()
        self.assertNotEqual(full, empty)


class GraphTest(ViewCase):
    def test_nothing_is_not_less_than_nothing(self):
        self.assertEqual(_digits(-0.001, "m/s"), _digits(0.0, "m/s"))
        self.assertNotEqual(_digits(-0.3, "m/s"), _digits(0.3, "m/s"))

    def test_every_curve_is_drawn_and_says_its_numbers(self):
        view = self.shown(GraphView())
        names = set()
        for graph in CURVES:
            view.name = graph
            view.grab()
            names.add(view.accessibleName())
            self.assertNotIn("nan", view.accessibleName())
        self.assertEqual(len(names), len(CURVES))

    def test_the_speed_says_its_peak_with_the_error(self):
        view = self.shown(GraphView())
        view.name = "speed"
        view.grab()
        peak = self.rep.metrics["bar_peak_velocity"].value
        self.assertIn(f"peak {peak:.2f} ±", view.accessibleName())

    def test_a_click_goes_to_the_frame(self):
        view = self.shown(GraphView())
        got = self.caught(view.scrubbed)
        x = round(x_of(view.cells(), 60)) + 1
        QTest.mousePress(view, LEFT, pos=QPoint(x, 60))
        self.assertAlmostEqual(got[-1], 60, delta=1)

    def test_a_second_clip_is_laid_over_in_another_hue(self):
        view = self.shown(GraphView())
        view.name = "speed"
        alone = view.grab().toImage()
        frames = np.arange(self.review.info.frames) + 8.0
        view.other = (self.rep.motion, frames)
        self.assertNotEqual(view.grab().toImage(), alone)


class GaugeTest(ViewCase):
    def gauge(self, value, relation="above"):
        made = Gauge(Evidence("trunk_drop", "trunk drop", value, 0.5, 5.0, "deg", relation))
        made.resize(200, 22)
        return made

    def test_it_says_number_and_limit(self):
        self.assertEqual(self.gauge(8.0).accessibleName(), "trunk drop 8°, limit 5°")

    def test_sureness_is_in_words(self):
        words = [how_sure(c) for c in (0.76, 0.9, 0.99)]
        self.assertEqual(len(set(words)), len(words))


class TimeTest(ViewCase):
    def test_the_measure_of_the_finding_in_hand_is_shown(self):
        view = OverTime(self.p)
        view.show_state()
        self.assertEqual(view.graph.metric, self.p.chosen.evidence[0].metric)
        self.assertGreater(len(view._clips), 5)
        self.assertIn("over time", view.heading.text())

    def test_a_click_on_a_point_opens_its_clip(self):
        view = OverTime(self.p)
        view.show_state()
        view.graph.resize(420, 190)
        got = self.caught(view.opens)
        clip, at = view.graph._spots()[0]
        QTest.mousePress(view.graph, LEFT, pos=at.toPoint())
        self.assertEqual(got, [clip.clip_id])
        QTest.mousePress(view.graph, LEFT, pos=QPoint(2, 2))
        self.assertEqual(len(got), 1)

    def test_days_stand_in_order_and_inside(self):
        view = OverTime(self.p)
        view.show_state()
        view.graph.resize(420, 190)
        xs = [at.x() for _, at in view.graph._spots()]
        self.assertEqual(xs, sorted(xs))
        self.assertTrue(all(20 <= x <= 400 for x in xs))

    def test_nothing_measured_is_said(self):
        graph = TimeGraph()
        graph.resize(420, 190)
        self.assertEqual(graph._spots(), [])
        self.assertFalse(graph.grab().isNull())
        nobody = FilmPresenter(self.store, History(self.store), lambda _what: None)
        view = OverTime(nobody)
        view.show_state()
        self.assertEqual(view.heading.text(), "Nothing reviewed yet")


class HandOutTest(ViewCase):
    def setUp(self):
        self.jobs = JobRunner()
        self.addCleanup(self.jobs.stop)
        self.owner = QWidget()
        self.out = HandingOut(self.p, self.jobs, self.owner)
        self.told = self.caught(self.out.told)

    def finish(self):
        self.jobs._pool.waitForDone(60000)
        for _ in range(10):
            self.app.processEvents()

    def ask(self, kind, path, chosen=""):
        with mock.patch.object(
            QFileDialog, "getSaveFileName", return_value=(path, chosen)
        ) as asked:
            self.out.ask(kind, False)
        self.finish()
        return asked

    def test_the_question_names_whom_and_what(self):
        for kind, (word, _, suffix) in KINDS.items():
            asked = self.ask(kind, "")
            self.assertIn(f"{word} of Sunniva Dale", asked.call_args.args[1])
            self.assertTrue(asked.call_args.args[2].endswith(suffix))
        self.assertEqual(self.told, [])

    def test_numbers_go_out_as_table_or_whole(self):
        folder = scratch()
        self.ask("data", str(folder / "a"))
        self.assertTrue((folder / "a.csv").read_text().startswith("frame,t_s,point"))
        self.ask("data", str(folder / "a.json"))
        doc = json.loads((folder / "a.json").read_text())
        self.assertEqual(doc["schema"], "keenkettle.analysis/1")
        self.assertEqual(self.told, ["written: a.csv", "written: a.json"])

    def test_a_report_needs_nothing_beside_itself(self):
        folder = scratch()
        self.ask("report", str(folder / "r"), "HTML (*.html)")
        html = (folder / "r.html").read_text()
        self.assertIn("Sunniva Dale", html)
        self.assertIn("data:image/png;base64,", html)
        self.assertNotIn("http", html.replace("http-equiv", ""))
        self.assertIn("&plusmn;", html)

    def test_a_place_that_cannot_be_written_is_told(self):
        self.ask("data", str(scratch() / "no" / "a.csv"))
        self.assertIn("a.csv cannot be written", self.told[-1])

    def test_nothing_to_hand_out_is_said(self):
        nobody = FilmPresenter(self.store, History(self.store), lambda _what: None)
        out = HandingOut(nobody, self.jobs, self.owner)
        told = self.caught(out.told)
        out.ask("film", False)
        self.assertIn("nothing to hand out yet", told[0])


class KeyFrameTest(ViewCase):
    def test_key_frames_come_in_order_of_time(self):
        keys = key_frames(self.rep)
        frames = [i for _, i in keys]
        self.assertEqual(frames, sorted(frames))
        self.assertGreaterEqual(len(keys), 6)
        self.assertEqual(key_frames(None), [])
        press = replace(self.rep, events={"drive_end": 40, "peak_height": 90, "recovered": 90})
        self.assertEqual(key_frames(press), [("drive", 40), ("recovered", 90)])

    def test_the_lift_s_area_holds_bar_and_joints(self):
        area = lift_area(self.review)
        for x, y in self.review.bar.xy_px:
            self.assertTrue(area.contains(QPointF(float(x), float(y))))


class ShortButtonTest(ViewCase):
    def test_a_long_text_is_cut_and_asks_for_no_room(self):
        made = ShortButton()
        made.resize(120, 32)
        made.say("lift guessed, rep 2 of 12, 240 frames/s, a known length")
        self.assertTrue(made.text().endswith("…"))
        self.assertLess(made.minimumSizeHint().width(), 400)
        made.resize(900, 32)
        made.show()
        self.app.processEvents()
        self.assertEqual(made.text(), made.whole)
        made.hide()


if __name__ == "__main__":
    unittest.main()
