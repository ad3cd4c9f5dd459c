"""Frames made ahead in a thread: in order, with errors, and never two hands on one decoder."""

import threading
import unittest

import numpy as np

from keenkettle.film.ahead import DEPTH, Ahead
from keenkettle.film.clip import Clip
from tests.film.test_clip import write_moving
from tests.shared import scratch


def counting(most, made, gate=None):
    for n in range(most):
        if gate is not None:
            gate.wait()
        made.append(n)
        yield n


class AheadTest(unittest.TestCase):
    def test_all_comes_in_order(self):
        made = []
        self.assertEqual(list(Ahead(counting(50, made))), list(range(50)))
        self.assertEqual(made, list(range(50)))

    def test_no_more_is_made_than_the_depth(self):
        made = []
        ahead = Ahead(counting(50, made))
        for n, got in enumerate(ahead):
            self.assertEqual(got, n)
            self.assertLessEqual(len(made), n + DEPTH + 2)
            if n == 9:
                break
        ahead.stop()
        self.assertTrue(ahead.stopped)
        self.assertLess(len(made), 20)

    def test_what_waits_for_long_is_made_lighter(self):
        some = threading.Event()

        def items():
            for n in range(40):
                if n == 15:
                    some.set()
                yield n

        ahead = Ahead(items(), 20, lambda n: -n)
        some.wait()
        got = list(ahead)
        self.assertEqual([abs(n) for n in got], list(range(40)))
        self.assertEqual(got[:DEPTH], list(range(DEPTH)))
        self.assertTrue(all(n < 0 for n in got[DEPTH:15]))

    def test_an_error_comes_when_its_turn_comes(self):
        def failing():
            yield 1
            raise ValueError("torn")

        got = []
        with self.assertRaisesRegex(ValueError, "torn"):
            for x in Ahead(failing()):
                got.append(x)
        self.assertEqual(got, [1])

    def test_stopping_waits_for_the_thread(self):
        gate, made = threading.Event(), []
        ahead = Ahead(counting(5, made, gate))
        gate.set()
        ahead.stop()
        known = len(made)
        self.assertNotIn("ahead", [t.name for t in threading.enumerate()])
        self.assertLessEqual(known, DEPTH + 1)


class ClipAheadTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.path = scratch() / "film.mp4"
        write_moving(cls.path, gop=10)
        with Clip(cls.path) as clip:
            cls.grays = [clip.gray(n) for n in range(60)]

    def test_a_frame_asked_for_in_between_disturbs_nothing(self):
        with Clip(self.path) as clip:
            for number, luma, _ in clip.looks(3):
                self.assertTrue(np.array_equal(luma, self.grays[number]))
                if number % 7 == 0:
                    other = (number * 13) % 60
                    self.assertTrue(np.array_equal(clip.gray(other), self.grays[other]))
            self.assertEqual(number, 59)

    def test_left_early_or_closed_no_thread_is_left(self):
        clip = Clip(self.path)
        looks = clip.looks()
        next(looks)
        clip.close()
        with Clip(self.path) as clip:
            for number, _, _ in clip.looks():
                if number == 2:
                    break
            seen = [n for n, _ in clip.rgbs([5, 6, 40])]
        self.assertEqual(seen, [5, 6, 40])
        looks.close()
        self.assertNotIn("ahead", [t.name for t in threading.enumerate()])

    def test_backward_is_the_same_backward(self):
        with Clip(self.path) as clip:
            back = list(clip.looks_back(30))
        self.assertEqual([n for n, _, _ in back], list(range(29, -1, -1)))
        self.assertTrue(all(np.array_equal(g, self.grays[n]) for n, g, _ in back))
