"""Frames kept on the disk are those that were decoded, to the bit, and take bounded room."""

import os
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from unittest import mock

import av
import numpy as np

from keenkettle.film import ends as ends_module
from keenkettle.film.clip import Clip
from keenkettle.film.ends import Ends, forget
from tests.film.test_clip import write_moving


def write_deep(path):
    """Ten bits a sample, in groups of 8."""
    with av.open(str(path), "w") as box:
        video = box.add_stream("libx265", rate=30, options={"x265-params": "log-level=none"})
        video.width, video.height, video.pix_fmt = 128, 96, "yuv420p10le"
        video.codec_context.gop_size = 8
        for n in range(24):
            picture = np.random.default_rng(n).integers(0, 255, (96, 128, 3), np.uint8)
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame.pts, frame.time_base = n, Fraction(1, 30)
            box.mux(video.encode(frame))
        box.mux(video.encode())


class EndsTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "film.mp4"
        self.kept = self.folder / "frames" / "film"

    def go_through(self):
        with Clip(self.path, Ends(self.kept, self.path)) as clip:
            straight = [clip.rgb(n) for n in range(clip.info.frames)]
            return straight, [int(k) - 1 for k in clip.key_frames if k]

    def test_what_comes_from_the_disk_is_what_was_decoded(self):
        for write in (lambda p: write_moving(p, gop=10), write_deep):
            write(self.path)
            forget(self.kept)
            straight, before = self.go_through()
            self.assertGreaterEqual(len(before), 2)
            with Clip(self.path, Ends(self.kept, self.path)) as clip:
                for n in before:
                    with mock.patch.object(clip, "_decode_from", side_effect=AssertionError):
                        self.assertTrue(np.array_equal(clip.rgb(n), straight[n]))
                n = before[-1] - 1
                self.assertTrue(np.array_equal(clip.rgb(n), straight[n]))

    def test_a_kept_frame_that_is_damaged_is_decoded_again(self):
        write_moving(self.path, gop=10)
        straight, before = self.go_through()
        next(self.kept.rglob(f"{before[0]}.npy")).write_bytes(b"not a frame")
        with Clip(self.path, Ends(self.kept, self.path)) as clip:
            self.assertTrue(np.array_equal(clip.rgb(before[0]), straight[before[0]]))

    def test_a_file_that_was_replaced_has_no_frames_of_the_old_one(self):
        write_moving(self.path, gop=10)
        _, before = self.go_through()
        write_deep(self.path)
        ends = Ends(self.kept, self.path)
        self.assertNotIn(before[0], ends)
        ends.make_room()
        self.assertEqual(list(self.kept.rglob("*.npy")), [])

    def test_only_as_many_are_kept_as_there_is_room_for(self):
        write_moving(self.path, gop=10)
        with mock.patch.object(ends_module, "FILM_BYTES", 2 * 128 * 96 * 3):
            self.go_through()
        self.assertIn(len(list(self.kept.rglob("*.npy"))), (1, 2))

    def test_a_disk_that_takes_nothing_is_no_error(self):
        write_moving(self.path, gop=10)
        self.kept.parent.write_text("a file where the folder should be")
        straight, _ = self.go_through()
        self.assertEqual(len(straight), 60)

    def test_the_films_not_opened_for_longest_go_first(self):
        for age, name in enumerate(("new", "older", "oldest")):
            folder = self.folder / "frames" / name
            folder.mkdir(parents=True)
            (folder / "0.npy").write_bytes(b"x" * 1000)
            os.utime(folder, (1e9 - age, 1e9 - age))
        with mock.patch.object(ends_module, "ALL_BYTES", 2500):
            Ends(self.folder / "frames" / "older", self.path).make_room()
        left = sorted(f.name for f in (self.folder / "frames").iterdir())
        self.assertEqual(left, ["new", "older"])
