"""Films taken in and analysed in the background, frames served; with helpers that only pretend."""

import hashlib
import shutil
import threading
import time
import unittest
from dataclasses import replace
from datetime import date
from functools import cache
from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import QEventLoop

from keenkettle.club import look_up
from keenkettle.club.commands import AddClip, History
from keenkettle.club.store import Store
from keenkettle.club.tables import Athlete
from keenkettle.coach.apart import AnalysisError
from keenkettle.coach.review import Request, review_clip
from keenkettle.film.apart import ClipApart
from keenkettle.film.clip import Clip
from keenkettle.film.looked import Looked
from keenkettle.ui.film.drawn import as_array
from keenkettle.ui.film.frames import FrameServer
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.film.queue import Queue
from keenkettle.ui.film.taking_in import TakingIn
from keenkettle.ui.jobs import Job, JobRunner
from keenkettle.ui.start import make_app
from tests.shared import film, scratch

TODAY = date(2026, 11, 23)
APP = make_app()
WAIT_S = 30.0


@cache
def reviewed():
    return review_clip(Request(film().path, lift="power-clean", auto=False))


class Pretender:
    """In the place of the helper processes: answers at once, or when it is let."""

    def __init__(self):
        self.asked = []
        self.bad = set()
        self.may = threading.Event()
        self.may.set()

    def review(self, request, tell, early=None):
        self.asked.append(request.clip.name)
        while not self.may.is_set():
            tell("waiting", 0.5)
            self.may.wait(0.01)
        if request.clip.name in self.bad:
            raise AnalysisError(f"{request.clip.name}: no disc was found")
        return replace(reviewed(), info=replace(reviewed().info, path=request.clip))

    def look(self, path, tell):
        while not self.may.is_set():
            tell("waiting", 0.5)
            self.may.wait(0.01)
        if path.name in self.bad:
            raise AnalysisError(f"{path.name} cannot be read as video")
        return Looked(path, f"hash of {path.name}", TODAY)

    def end(self):
        self.may.set()


def until(ready):
    end = time.monotonic() + WAIT_S
    while not ready() and time.monotonic() < end:
        APP.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 10)
    return ready()


class BackgroundCase(unittest.TestCase):
    def setUp(self):
        self.folder = scratch()
        self.store = Store(self.folder / "club")
        self.addCleanup(self.store.close)
        with self.store.session() as s:
            s.add(Athlete(name="Nell Harrow", facts={}))
        self.history = History(self.store)
        self.jobs = JobRunner()
        self.jobs.reviewers.end()
        self.helper = self.jobs.reviewers = Pretender()
        self.addCleanup(self.jobs.stop)

    def path(self, name):
        path = self.folder / name
        shutil.copy2(film().path, path)
        return path

    def add(self, *names):
        for name in names:
            self.history.run(AddClip(1, self.path(name), f"hash of {name}", TODAY))


class QueueTest(BackgroundCase):
    def setUp(self):
        super().setUp()
        self.queue = Queue(self.store, self.jobs)
        self.told, self.kept = [], []
        self.queue.told.connect(self.told.append)
        self.queue.kept.connect(self.kept.append)

    def rest(self):
        return until(lambda: not self.queue.running and not self.queue.waiting)

    def test_every_film_is_analysed_once_and_kept(self):
        self.add("a.mp4", "b.mp4", "c.mp4")
        self.queue.fill()
        self.assertIn("of 3 films analysed", self.queue.words())
        self.assertTrue(self.rest())
        self.assertEqual(sorted(self.helper.asked), ["a.mp4", "b.mp4", "c.mp4"])
        self.assertEqual(sorted(self.kept), [1, 2, 3])
        self.assertEqual(look_up.waiting_clips(self.store), [])
        self.assertEqual(self.queue.words(), "")
        self.queue.fill()
        self.assertEqual(len(self.helper.asked), 3)

    def test_the_one_that_is_open_is_left_out(self):
        self.add("a.mp4", "b.mp4")
        self.queue.fill(leave_out=1)
        self.assertTrue(self.rest())
        self.assertEqual(self.helper.asked, ["b.mp4"])

    def test_a_bad_film_is_named_and_the_others_go_on(self):
        self.add("a.mp4", "bad.mp4", "c.mp4")
        self.helper.bad.add("bad.mp4")
        self.queue.fill()
        self.assertTrue(self.rest())
        self.assertEqual(self.told, ["bad.mp4: no disc was found"])
        self.assertEqual(sorted(self.kept), [1, 3])
        self.queue.fill()
        self.assertTrue(self.rest())
        self.assertEqual(self.helper.asked.count("bad.mp4"), 1)

    def test_a_stop_lets_the_rest_wait_for_the_next_time(self):
        self.add("a.mp4", "b.mp4", "c.mp4", "d.mp4")
        self.helper.may.clear()
        self.queue.fill()
        until(lambda: self.helper.asked)
        self.queue.stop()
        self.assertTrue(self.rest())
        self.assertEqual(self.kept, [])
        self.assertEqual(len(look_up.waiting_clips(self.store)), 4)

    def test_a_film_that_was_taken_out_meanwhile_is_passed_over(self):
        self.add("a.mp4")
        self.helper.may.clear()
        self.queue.fill()
        self.add("b.mp4", "c.mp4")
        self.queue.fill()
        self.history.undo()
        self.helper.may.set()
        self.assertTrue(self.rest())
        self.assertNotIn("c.mp4", self.helper.asked[2:])
        self.assertNotIn(3, self.kept)


class TakingInTest(BackgroundCase):
    def setUp(self):
        super().setUp()
        self.presenter = FilmPresenter(self.store, self.history, lambda _what: None)
        self.presenter.hold(look_up.athlete(self.store, 1))
        self.taking = TakingIn(self.presenter, self.jobs)
        self.told, self.problems, self.many = [], [], []
        self.taking.told.connect(self.told.append)
        self.taking.problem.connect(self.problems.append)
        self.taking.many.connect(lambda: self.many.append(True))

    def take(self, *paths):
        self.taking.take(list(paths))
        until(lambda: not self.jobs.busy)
        until(lambda: True)

    def test_one_film_is_opened(self):
        path = self.path("a.mp4")
        self.take(path)
        self.assertEqual(self.presenter.state.clip.path, path)
        self.assertEqual(self.presenter.state.clip.sha256, "hash of a.mp4")
        self.assertEqual(self.many, [])

    def test_several_wait_for_the_background_and_bad_ones_are_named(self):
        self.helper.bad.add("bad.mp4")
        self.take(self.path("a.mp4"), self.path("bad.mp4"), self.path("c.mp4"))
        self.assertEqual(self.many, [True])
        self.assertEqual(
            self.told[-1],
            "2 films taken in, analysed in the background; "
            "bad.mp4 cannot be read as video; no consent to film is noted for Nell Harrow: "
            "ask, for a minor a guardian, and note it",
        )
        self.assertEqual(len(self.presenter.state.clips), 2)

    def test_only_bad_ones_are_a_problem_and_nothing_is_taken_in(self):
        self.helper.bad |= {"x.mp4", "y.mp4"}
        self.take(self.folder / "x.mp4", self.folder / "y.mp4")
        self.assertEqual(
            self.problems, ["x.mp4 cannot be read as video; y.mp4 cannot be read as video"]
        )
        self.assertEqual(self.presenter.state.clips, [])

    def test_a_film_off_a_card_is_copied_as_it_comes_in(self):
        card = scratch()
        path = card / "a.mp4"
        path.write_bytes(b"as long as it is there")
        sha = hashlib.sha256(path.read_bytes()).hexdigest()
        looked = Looked(path, sha, TODAY)
        with (
            patch.object(self.helper, "look", lambda _path, _tell: looked),
            patch("keenkettle.ui.film.taking_in.plugged_in", lambda: (card,)),
        ):
            self.take(path)
        copy = self.presenter.state.clip.path
        self.assertEqual(copy.parent, self.store.clips_folder.resolve())
        self.assertEqual(copy.read_bytes(), path.read_bytes())

    def test_a_stop_takes_nothing_in(self):
        self.helper.may.clear()
        self.taking.take([self.path("a.mp4"), self.path("b.mp4")])
        until(lambda: self.told)
        self.assertIn("looking at 1 of 2: a.mp4", self.told[0])
        self.assertTrue(self.taking.cancel())
        self.helper.may.set()
        until(lambda: not self.jobs.busy)
        until(lambda: len(self.told) > 1)
        self.assertEqual(self.told[-1], "stopped; no film was taken in")
        self.assertEqual(self.presenter.state.clips, [])
        self.assertFalse(self.taking.cancel())

    def test_nobody_in_hand_is_asked_for(self):
        self.presenter.hold(None)
        self.take(self.path("a.mp4"))
        self.assertIn("choose an athlete first", self.problems[0])
        self.assertEqual(look_up.waiting_clips(self.store), [])


class JobTest(unittest.TestCase):
    def setUp(self):
        self.jobs = JobRunner()
        self.addCleanup(self.jobs.stop)

    def run_job(self, work):
        job, said = Job(work), []
        for name in ("done", "failed", "cancelled", "ended"):
            getattr(job, name).connect(lambda *a, n=name: said.append((n, *a)))
        self.jobs.start(job)
        until(lambda: not self.jobs.busy)
        return said

    def test_each_end_is_told_once(self):
        def bad(_tell):
            raise ValueError("the file is damaged; copy it again")

        def huge(_tell):
            raise MemoryError

        self.assertEqual(self.run_job(lambda _tell: 5), [("done", 5), ("ended",)])
        self.assertEqual(
            self.run_job(bad), [("failed", "the file is damaged; copy it again"), ("ended",)]
        )
        self.assertIn("not enough memory", self.run_job(huge)[0][1])

    def test_progress_is_not_told_more_often_than_can_be_seen(self):
        told = []

        def work(tell):
            for i in range(2000):
                tell("counting", i / 2000)
            tell("counting", 1.0)

        job = Job(work)
        job.progressed.connect(lambda _word, share, left: told.append((share, left)))
        self.jobs.start(job)
        until(lambda: not self.jobs.busy)
        self.assertLess(len(told), 60)
        self.assertEqual(told[-1][0], 1.0)


class GarbageTest(unittest.TestCase):
    def test_what_the_window_left_is_taken_away_in_its_own_thread(self):
        class Left:
            def __init__(self):
                self.me = self

            def __del__(self):
                taken.append(threading.current_thread())

        def litter():
            while len(taken) < 20 and time.monotonic() < end:
                kept = [[] for _ in range(5000)]
                for one in kept:
                    one.append(kept)

        taken, end = [], time.monotonic() + WAIT_S
        busy = threading.Thread(target=litter)
        busy.start()
        for _ in range(20):
            Left()
        self.assertTrue(until(lambda: len(taken) == 20))
        busy.join()
        self.assertEqual(set(taken), {threading.main_thread()})


class FramesTest(unittest.TestCase):
    def setUp(self):
        self.server = FrameServer()
        self.addCleanup(self.server.close)
        self.got, self.thumbs, self.failed = {}, {}, []
        self.server.ready.connect(lambda n, picture: self.got.update({n: picture}))
        self.server.thumb.connect(lambda n, picture: self.thumbs.update({n: picture}))
        self.server.failed.connect(self.failed.append)

    def see(self, number):
        picture = self.server.want(number)
        if picture is not None:
            return picture
        self.assertTrue(until(lambda: number in self.got))
        return self.got[number]

    def test_what_is_shown_is_the_frame(self):
        self.server.open(film().path)
        with Clip(film().path) as clip:
            for number in (0, 20, 19, 21, 3):
                picture = self.see(number)
                colour = picture.pixelColor(100, 80)
                self.assertEqual(
                    (colour.red(), colour.green(), colour.blue()),
                    tuple(int(v) for v in clip.rgb(number)[80, 100]),
                )

    def test_the_newest_wish_wins(self):
        self.server.open(film().path)
        for number in range(0, 60, 3):
            self.server.want(number)
        self.assertTrue(until(lambda: 57 in self.got or self.server.want(57) is not None))
        self.assertLess(len(self.got), 20)

    def test_small_pictures_come_when_there_is_time(self):
        self.server.open(film().path)
        self.server.want_thumbs([5, 40, 5])
        self.assertTrue(until(lambda: set(self.thumbs) == {5, 40}))

    def test_small_pictures_of_all_frames_come_while_nothing_is_asked(self):
        self.server.open(film().path)
        whole = self.see(0)
        with Clip(film().path) as clip:
            self.assertTrue(until(lambda: self.server.small(clip.info.frames - 1) is not None))
            small = self.server.small(60)
            self.assertEqual(small.width() / small.height(), whole.width() / whole.height())
            want = clip.rgb(60)[::8, ::8].astype(int)
        full = small.scaled(whole.width(), whole.height())
        got = as_array(full)[::8, ::8, 0]
        self.assertLess(float(np.abs(got - want[..., 0]).mean()), 6.0)

    def test_a_hand_that_jumps_about_sees_small_pictures_and_at_rest_the_frame(self):
        self.server.open(film().path)
        self.see(0)
        self.assertTrue(until(lambda: self.server.small(100) is not None))
        self.got.clear()
        for number in (80, 20, 95, 40, 100):
            self.server.want(number)
            self.assertIsNotNone(self.server.small(number))
        self.assertTrue(until(lambda: 100 in self.got))
        self.assertLess(len(self.got), 3)

    def test_another_clip_forgets_the_first(self):
        self.server.open(film().path)
        self.see(10)
        other = scratch() / "other.mp4"
        shutil.copy2(film().path, other)
        self.server.open(other)
        self.got.clear()
        self.assertIsNone(self.server.want(10))
        self.assertFalse(self.see(10).isNull())

    def test_a_film_that_is_gone_is_told_and_the_next_is_shown(self):
        self.server.open(scratch() / "gone.mp4")
        self.assertTrue(until(lambda: self.failed))
        self.assertIn("gone.mp4 is not there any more", self.failed[0])
        self.server.open(film().path)
        self.assertFalse(self.see(0).isNull())

    def test_a_film_that_is_left_while_it_is_opened_says_nothing_of_its_file(self):
        begun, left = threading.Event(), threading.Event()

        def slowly(path, helper, ends):
            if path.name == "gone.mp4":
                begun.set()
                left.wait(WAIT_S)
            return ClipApart(path, helper, ends)

        with patch("keenkettle.ui.film.frames.ClipApart", slowly):
            self.server.open(scratch() / "gone.mp4")
            self.assertTrue(begun.wait(WAIT_S))
            self.server.open(film().path)
            left.set()
            self.assertFalse(self.see(0).isNull())
        self.assertEqual(self.failed, [])


if __name__ == "__main__":
    unittest.main()
