"""Cameras: found, filmed with, unplugged; a test picture generator stands for one."""

import unittest

import numpy as np

from keenkettle.film.camera import CameraError, Device, cards, devices, film
from keenkettle.film.clip import Clip
from tests.shared import scratch

CAMERA = Device("testsrc=size=320x180:rate=50", "Test picture", "lavfi")


def for_frames(count):
    """Says go on for so many frames."""
    left = iter(range(count - 1))
    return lambda: next(left, None) is not None


class FilmTest(unittest.TestCase):
    def setUp(self):
        self.out = scratch() / "filmed.mp4"

    def test_the_file_has_the_camera_s_times_and_a_key_frame_a_second(self):
        shown = []
        self.assertEqual(film(CAMERA, self.out, for_frames(120), shown.append), 120)
        self.assertEqual(shown[0].shape, (180, 320, 3))
        with Clip(self.out) as clip, Clip(self.out) as other:
            self.assertEqual(clip.info.frames, 120)
            self.assertAlmostEqual(clip.times_s[100], 2.0, places=4)
            self.assertEqual(list(clip.key_frames), [0, 50, 100])
            in_order = {n: g.copy() for n, g in clip.grays()}
            self.assertTrue(np.array_equal(in_order[77], other.gray(77)))

    def test_what_was_filmed_before_the_plug_was_pulled_can_be_read(self):
        film(CAMERA, self.out, for_frames(200), lambda _: None)
        whole = self.out.read_bytes()
        self.out.write_bytes(whole[: len(whole) * 2 // 3])
        with Clip(self.out) as clip:
            self.assertGreaterEqual(clip.info.frames, 50)

    def test_a_camera_that_is_not_there_or_silent_is_named_and_leaves_no_file(self):
        for device in (
            Device("/dev/video99", "Webcam"),
            Device("testsrc=duration=0.01:rate=25", "Webcam", "lavfi"),
        ):
            with self.assertRaisesRegex(CameraError, "Webcam .* plugged in"):
                film(device, self.out, lambda: True, lambda _: None)
            self.assertFalse(self.out.exists())

    def test_looking_writes_nothing(self):
        seen = []
        film(CAMERA, None, for_frames(5), seen.append)
        self.assertTrue(seen)


class FoundTest(unittest.TestCase):
    def test_a_camera_is_listed_once_by_its_name(self):
        listed = scratch()
        for node, index, name in (("video10", 0, "Desk"), ("video2", 0, "Tripod"),
                                  ("video3", 1, "Tripod")):  # fmt: skip
            (listed / node).mkdir()
            (listed / node / "index").write_text(f"{index}\n")
            (listed / node / "name").write_text(f"{name}\n")
        found = devices(listed)
        self.assertEqual([d.name for d in found], ["Tripod", "Desk"])
        self.assertEqual(found[0].path, "/dev/video2")

    def test_cards_and_phones_have_a_folder_of_pictures(self):
        root = scratch()
        (root / "CARD" / "DCIM").mkdir(parents=True)
        (root / "phone" / "Storage" / "DCIM").mkdir(parents=True)
        (root / "stick" / "music").mkdir(parents=True)
        self.assertEqual(
            cards([root, root / "gone"]),
            [root / "CARD" / "DCIM", root / "phone" / "Storage" / "DCIM"],
        )
