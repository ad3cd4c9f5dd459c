"""Pieces of the interface that need no window of their own."""

import itertools
import unittest
from datetime import date
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF

from keenkettle.club.look_up import ClipCard
from keenkettle.files import CannotWriteError, write_whole
from keenkettle.measure.events import EVENT_NAMES
from keenkettle.ui import theme
from keenkettle.ui.film.clip_box import ClipBox
from keenkettle.ui.film.elastic import cells_of, frame_at, x_of
from keenkettle.ui.film.phase_hues import HUES, phase_hue
from keenkettle.ui.film.view_box import fit_box
from keenkettle.ui.jobs import Job, JobRunner
from keenkettle.ui.session.card import CardContent, card_image, write_pdf
from keenkettle.ui.shell.athlete_picker import matches
from keenkettle.ui.start import make_app
from tests.shared import scratch

APP = make_app()  # kept: an application that nobody holds is gone at once
EVENTS = dict.fromkeys(EVENT_NAMES) | {
    "lift_off": 40, "knee_pass": 66, "power_position": 75, "extension": 80,
    "peak_velocity": 79, "peak_height": 98, "catch": 106, "bottom": 117, "standing": 160,
}  # fmt: skip


def contrast(a, b):
    """Contrast of two colours after WCAG 2."""

    def light(value):
        parts = [int(value[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        lin = [p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
        return 0.2126 * lin[0] + 0.7152 * lin[1] + 0.0722 * lin[2]

    hi, lo = sorted((light(a), light(b)), reverse=True)
    return (hi + 0.05) / (lo + 0.05)


class ElasticTest(unittest.TestCase):
    def test_short_phases_have_room(self):
        cells = {c.name: c.x1 - c.x0 for c in cells_of(EVENTS, 219, 900.0, False)}
        self.assertGreater(cells["second pull"], 70)
        true = {c.name: c.x1 - c.x0 for c in cells_of(EVENTS, 219, 900.0, True)}
        self.assertLess(true["second pull"], 30)

    def test_every_frame_has_its_place_and_comes_back(self):
        for true_time in (False, True):
            cells = cells_of(EVENTS, 219, 1800.0, true_time)
            xs = [x_of(cells, n) for n in range(219)]
            self.assertEqual(xs, sorted(xs))
            for n in range(0, 219, 7):
                self.assertAlmostEqual(frame_at(cells, xs[n]), n, delta=1)

    def test_a_clip_without_events_is_one_cell(self):
        jerk = {
            "lift_off": None,
            "dip_start": 70,
            "dip_bottom": 87,
            "drive_end": 104,
            "recovered": 220,
        }
        names = [c.name for c in cells_of(jerk, 294, 900.0, False)]
        self.assertEqual(names, ["set", "dip", "drive", "push under", "after"])
        cells = cells_of(None, 100, 500.0, False)
        self.assertEqual([c.name for c in cells], ["whole clip"])
        self.assertEqual(frame_at(cells, 9999.0), 99)


class BoxTest(unittest.TestCase):
    def test_there_and_back_is_the_same_point(self):
        box = fit_box(QRectF(0, 0, 700, 440), QRectF(0, 0, 1280, 720), QRectF(400, 100, 300, 500))
        x, y = box.back(box.at(512.25, 300.75))
        self.assertAlmostEqual(x, 512.25)
        self.assertAlmostEqual(y, 300.75)

    def test_the_whole_picture_is_never_stretched(self):
        box = fit_box(QRectF(0, 0, 700, 700), QRectF(0, 0, 1280, 720), None)
        across = box.at(100, 0).x() - box.at(0, 0).x()
        down = box.at(0, 100).y() - box.at(0, 0).y()
        self.assertAlmostEqual(across, down)

    def test_an_area_stays_inside_the_picture(self):
        box = fit_box(QRectF(0, 0, 700, 440), QRectF(0, 0, 1280, 720), QRectF(-300, -200, 500, 400))
        self.assertGreaterEqual(box.source.left(), 0.0)
        self.assertGreaterEqual(box.source.top(), 0.0)
        self.assertIsInstance(box.at(0, 0), QPointF)


class ThemeTest(unittest.TestCase):
    def test_text_is_readable_in_both_themes(self):
        for worn in (theme.CHALK, theme.RUBBER):
            for ink in (worn.ink, worn.quiet, worn.accent, worn.other, worn.held):
                for ground in (worn.ground, worn.card):
                    self.assertGreaterEqual(contrast(ink, ground), 4.5, (worn.name, ink, ground))
            self.assertGreaterEqual(contrast(worn.accent_ink, worn.accent), 4.5)

    def test_hues_of_phases_show_and_are_neither_the_accent_nor_the_other_clip(self):
        for worn in (theme.CHALK, theme.RUBBER):
            for name in (*HUES, "set"):
                hue = phase_hue(name, worn).name()
                self.assertGreaterEqual(contrast(hue, worn.card), 3.0, (worn.name, name))
                self.assertNotIn(hue.upper(), (worn.accent, worn.other, worn.held))
        pull = ["set", "first pull", "transition", "second pull", "turnover", "catch", "recovery"]
        for a, b in itertools.pairwise(pull):
            self.assertNotEqual(phase_hue(a, theme.CHALK), phase_hue(b, theme.CHALK))


class PickerTest(unittest.TestCase):
    def test_two_letters_are_enough(self):
        self.assertTrue(matches("Sunniva Dale", "su"))
        self.assertTrue(matches("Sunniva Dale", "da"))
        self.assertTrue(matches("Sunniva Dale", "sd"))
        self.assertTrue(matches("Sunniva Dale", "s d"))
        self.assertFalse(matches("Sunniva Dale", "nn"))


class CardTest(unittest.TestCase):
    CONTENT = CardContent(
        "Tern Quay Barbell", "Nell Harrow", date(2026, 11, 26), ("front squat 3x5 @ 60kg",),
        (("jump shrug 5x3 @ 30kg", "arms stay long", "Worked if: 165° or more."),), "",
    )  # fmt: skip

    def test_the_card_is_a_page_with_ink_on_it(self):
        image = card_image(self.CONTENT, 420)
        self.assertAlmostEqual(image.height() / image.width(), 210 / 148, places=2)
        dark = sum(
            image.pixelColor(x, y).lightness() < 90
            for x in range(0, 420, 2)
            for y in range(0, 300, 2)
        )
        self.assertGreater(dark, 50)

    def test_a_pdf_that_cannot_be_written_is_told_and_leaves_nothing(self):
        folder = scratch()
        with self.assertRaisesRegex(CannotWriteError, "card.pdf"):
            write_pdf(self.CONTENT, folder / "gone" / "card.pdf")
        write_pdf(self.CONTENT, folder / "card.pdf")
        self.assertEqual([p.name for p in folder.iterdir()], ["card.pdf"])


class FileTest(unittest.TestCase):
    def test_a_file_is_whole_or_not_there(self):
        folder = scratch()
        write_whole(folder / "a.json", b"one")
        write_whole(folder / "a.json", b"two")
        self.assertEqual((folder / "a.json").read_bytes(), b"two")
        with self.assertRaisesRegex(CannotWriteError, "choose another folder"):
            write_whole(folder / "none" / "a.json", b"x")
        self.assertEqual([p.name for p in folder.iterdir()], ["a.json"])


class JobTest(unittest.TestCase):
    def run_job(self, work):
        app, runner, said = APP, JobRunner(), []
        job = Job(work)
        job.done.connect(lambda r: said.append(("done", r)))
        job.failed.connect(lambda t: said.append(("failed", t)))
        job.cancelled.connect(lambda: said.append(("cancelled", None)))
        runner.start(job)
        return app, runner, job, said

    def finish(self, app, runner):
        runner._pool.waitForDone(10000)
        for _ in range(5):
            app.processEvents()

    def test_a_result_comes_back(self):
        app, runner, _, said = self.run_job(lambda tell: tell("half", 0.5) or 42)
        self.finish(app, runner)
        self.assertEqual(said, [("done", 42)])

    def test_an_error_becomes_its_sentence(self):
        def work(_tell):
            raise ValueError("film.mp4 is empty; copy it again")

        app, runner, _, said = self.run_job(work)
        self.finish(app, runner)
        self.assertEqual(said, [("failed", "film.mp4 is empty; copy it again")])

    def test_what_a_stopped_job_has_still_to_say_goes_nowhere(self):
        runner, said = JobRunner(), []
        job = Job(lambda _tell: 7)
        job.done.connect(said.append)
        runner.start(job)
        runner._pool.waitForDone(5000)  # done, and told: the word waits for the event loop
        runner.stop()
        for _ in range(5):
            APP.processEvents()
        self.assertEqual(said, [])
        self.assertFalse(runner.busy)

    def test_cancel_stops_at_the_next_step(self):
        import threading

        begun = threading.Event()

        def work(tell):
            begun.set()
            while True:
                tell("working", 0.1)

        app, runner, job, said = self.run_job(work)
        self.assertTrue(begun.wait(10))
        job.cancel()
        self.finish(app, runner)
        self.assertEqual(said, [("cancelled", None)])


class ClipBoxTest(unittest.TestCase):
    def test_clips_alike_are_told_by_their_files(self):
        box = ClipBox()
        day = date(2026, 11, 23)
        clips = [
            ClipCard(i, Path(f"/films/{stem}.mp4"), stem, day, lift, load, True, True, None)
            for i, (stem, lift, load) in enumerate(
                [
                    ("a", "clean", 60.0),
                    ("b", "clean", 60.0),
                    ("c", "clean", 65.0),
                    ("d", None, None),
                ]
            )
        ]
        box.show_clips(clips, clips[2])
        names = [box.itemText(i) for i in range(box.count())]
        self.assertEqual(names, ["23 Nov: clean, 60 kg (a)", "23 Nov: clean, 60 kg (b)",
                                 "23 Nov: clean, 65 kg", "23 Nov: d"])  # fmt: skip
        self.assertEqual(box.currentIndex(), 2)
