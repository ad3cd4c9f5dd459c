"""A film from the front in the window: both sides drawn, each finding with its lines."""

from dataclasses import replace
from unittest import mock

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QLabel, QPushButton

from keenkettle.club import look_up
from keenkettle.club.tracks import pack
from keenkettle.coach.faults import all_faults
from keenkettle.coach.judge import Evidence, Finding
from keenkettle.coach.review import judge_tracks
from keenkettle.measure.motion import JointTrack
from keenkettle.ui.film import evidence
from keenkettle.ui.film.view_box import fit_box
from tests.coach.test_front import findings
from tests.film.test_far_end import tracked
from tests.ui.window import OpenWindow

DIALLED = {
    "bar_slope": ("power-snatch", {"tilt_deg": 6.0}),
    "landing_width": ("power-snatch", {"landing": 2.1}),
    "knee_inside": ("snatch", {"knee_in_mm": 80.0}),
    "elbow_gap": ("power-snatch", {"lag_s": 0.15}),
}


def drawn(paint):
    """How many pixels a painter changes on an empty picture."""
    image = QImage(480, 854, QImage.Format.Format_RGB32)
    image.fill(0)
    p = QPainter(image)
    area = QRectF(image.rect())
    paint(p, fit_box(area, area, area))
    p.end()
    data = image.constBits()
    data.setsize(image.sizeInBytes())
    return sum(b not in (0, 255) for b in bytes(data)[::7])


class FrontViewTest(OpenWindow):
    def test_both_sides_are_drawn(self):
        review = findings(tilt_deg=6.0)[1]
        self.assertGreater(drawn(lambda p, box: evidence.skeleton(p, box, review, 100)), 100)

    def test_each_measure_has_its_lines(self):
        for metric, (lift, faults) in DIALLED.items():
            with self.subTest(metric):
                review = findings(lift, **faults)[1]
                found = [f for f in review.reps[0].verdict.findings
                         if f.evidence[0].metric == metric]  # fmt: skip
                self.assertEqual(all_faults()[found[0].fault].view, "front")
                self.assertGreater(
                    drawn(lambda p, box, r=review, f=found[0]: evidence.finding_lines(
                        p, box, r, f, f.at, words=False)), 30,
                )  # fmt: skip

    def test_the_feet_of_a_split_are_shown_where_they_are(self):
        review = findings(tilt_deg=6.0)[1]
        n = len(review.times_s)
        feet = {"heel": 100.0, "toe": 140.0, "heel_rear": 20.0, "toe_rear": 60.0, "hip": 90.0}
        tracks = {
            name: JointTrack(np.tile((x, 400.0 - 300.0 * (name == "hip")), (n, 1)), np.ones(n))
            for name, x in feet.items()
        }
        review = replace(review, joints=tracks)
        order = Evidence("foot_order", "", 90.0, 10.0, 40.0, "ms", "above")
        found = Finding("rear-foot-first", "note", 9, 5, 12, 0.9, (order,), "")
        self.assertEqual(evidence.drawn_middle(review, found), (80.0, 400.0))
        both = drawn(lambda p, box: evidence.finding_lines(p, box, review, found, 9, words=False))
        self.assertGreater(both, 30)
        gap = replace(
            found, fault="bar-away-from-hip", evidence=(replace(order, metric="bar_hip_gap"),)
        )
        self.assertIsNone(evidence.drawn_middle(review, gap))

    def said(self):
        return [t.text() for t in self.w.film.side.findChildren(QLabel)]

    def test_a_tilt_seen_from_aside_is_drawn_from_end_to_end(self):
        review = judge_tracks(*tracked(), {})
        (found,) = (f for f in review.reps[0].verdict.findings if f.fault == "bar-tilt")
        self.assertGreater(
            drawn(lambda p, box: evidence.finding_lines(
                p, box, review, found, found.at, words=False)), 30,
        )  # fmt: skip

    def test_a_kept_front_film_opens_as_one_and_another_view_asks_for_the_film_again(self):
        self.hold("Sunniva Dale", "Film")
        card = self.w.film.presenter.state.clips[0]
        before = look_up.tracks_of(self.w.store, card.id)
        self.addCleanup(look_up.keep_tracks, self.w.store, card.id, before, None)
        look_up.keep_tracks(
            self.w.store, card.id, pack(findings(tilt_deg=6.0)[1], 0.1, False), None
        )
        self.w.film.presenter.open(card)
        self.settle()
        self.assertIn("from the front", self.w.film.facts.whole)
        self.assertIn("About this film", self.said())
        self.assertFalse([t for t in self.said() if "Hips rise first" in t])
        (toggle,) = (b for b in self.w.film.side.findChildren(QPushButton)
                     if b.text().startswith("Not judged"))  # fmt: skip
        toggle.click()
        self.settle()
        self.assertEqual(self.said().count("Needs a side view."), 1)
        (named,) = (t for t in self.said() if "Hips rise first" in t)
        self.assertIn("Heels up early", named)
        with mock.patch.object(self.w.film, "analyse") as analyse:
            self.w.film.how.again.disconnect()
            self.w.film.how.again.connect(analyse)
            how = self.w.film.how
            how.ask(self.w.film.facts)
            how.view.setCurrentIndex(how.view.findData("side"))
            how.keep()
        analyse.assert_called_once()
        self.assertEqual(self.w.film.presenter.request().view, "side")
