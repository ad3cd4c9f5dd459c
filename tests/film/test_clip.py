"""Frames are exact whichever way they are reached; bad files are named."""

import shutil
import struct
import unittest
from fractions import Fraction

import av
import numpy as np

from keenkettle.film.clip import Clip, ClipError
from keenkettle.film.ends import Ends
from keenkettle.film.planes import Tone
from tests.shared import film, scratch


def write_tone(path, pictures=0):
    """A file with sound and, where asked, a picture or two."""
    with av.open(str(path), "w") as box:
        if pictures:
            video = box.add_stream("libx264", rate=30)
            video.width, video.height, video.pix_fmt = 64, 64, "yuv420p"
            for _ in range(pictures):
                picture = np.zeros((64, 64, 3), np.uint8)
                box.mux(video.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
            box.mux(video.encode())
            return
        sound = box.add_stream("aac", rate=44100)
        samples = np.zeros((1, 1024), np.float32)
        frame = av.AudioFrame.from_ndarray(samples, format="fltp", layout="mono")
        frame.rate, frame.pts, frame.time_base = 44100, 0, Fraction(1, 44100)
        box.mux(sound.encode(frame))
        box.mux(sound.encode())


def write_moving(path, gop=250, jitter=0.0):
    """A bright bar that goes across in 60 pictures; returns their times, s."""
    ticks = np.arange(60) * 3000.0
    ticks[1:] += np.random.default_rng(2).uniform(-0.5, 0.5, 59) * jitter * 3000.0
    with av.open(str(path), "w") as box:
        video = box.add_stream("libx264", rate=30)
        video.width, video.height, video.pix_fmt = 128, 96, "yuv420p"
        video.codec_context.gop_size = gop
        video.codec_context.time_base = Fraction(1, 90000)
        for n, at in enumerate(ticks):
            picture = np.full((96, 128, 3), 60, np.uint8)
            picture[:, 2 * n : 2 * n + 8] = 200
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame.pts, frame.time_base = round(at), Fraction(1, 90000)
            box.mux(video.encode(frame))
        box.mux(video.encode())
    return np.round(ticks) / 90000.0


def with_decoding_times(source, out):
    """The same pictures under the times at which they are decoded, as some programs write them."""
    with av.open(str(source)) as read, av.open(str(out), "w") as box:
        stream = box.add_stream_from_template(read.streams.video[0])
        packets = [p for p in read.demux(video=0) if p.size]
        times = sorted(p.pts for p in packets)
        for packet, at in zip(packets, times, strict=True):
            packet.pts = packet.dts = at
            packet.stream = stream
            box.mux(packet)


class FrameTest(unittest.TestCase):
    def test_times_of_decoding_do_not_change_the_order(self):
        folder = scratch()
        write_moving(folder / "right.mp4", gop=20)
        with_decoding_times(folder / "right.mp4", folder / "decoding.mp4")
        with Clip(folder / "right.mp4") as right, Clip(folder / "decoding.mp4") as clip:
            self.assertEqual(clip.info.frames, 60)
            np.testing.assert_allclose(clip.times_s, right.times_s, atol=2e-3)
            for n in [*range(60), 43, 7, 21, 59, 20, 19, 0]:
                self.assertTrue(np.array_equal(clip.gray(n), right.gray(n)), n)
            self.assertEqual([n for n, _ in clip.grays()], list(range(60)))

    @classmethod
    def setUpClass(cls):
        cls.path = film().path
        with av.open(str(cls.path)) as box:
            cls.straight = [f.to_ndarray(format="rgb24") for f in box.decode(video=0)]

    def test_forward_backward_and_at_random_give_the_same_frames(self):
        count = len(self.straight)
        orders = (
            range(count),
            range(count - 1, -1, -1),
            np.random.default_rng(3).permutation(count)[:40],
        )
        with Clip(self.path) as clip:
            self.assertEqual(clip.info.frames, count)
            for order in orders:
                for n in order:
                    self.assertTrue(np.array_equal(clip.rgb(int(n)), self.straight[n]), n)

    def test_the_clip_knows_its_times(self):
        with Clip(self.path) as clip:
            np.testing.assert_allclose(clip.times_s, film().times_s, atol=2e-4)
            self.assertFalse(clip.info.variable_rate)
            self.assertEqual((clip.info.width, clip.info.height), (640, 360))

    def test_variable_rate_is_seen_and_kept(self):
        path = scratch() / "uneven.mp4"
        times_s = write_moving(path, jitter=0.5)
        with Clip(path) as clip:
            self.assertTrue(clip.info.variable_rate)
            np.testing.assert_allclose(clip.times_s, times_s, atol=2e-4)
            self.assertEqual(int(np.argmax(clip.gray(40)[50])) // 2, 40)

    def test_a_rotation_flag_is_applied(self):
        data = bytearray(film().path.read_bytes())
        matrix = data.index(b"tkhd") + 44
        turned = (0, 65536, 0, -65536, 0, 0, 360 << 16, 0, 1073741824)
        struct.pack_into(">9i", data, matrix, *turned)
        path = scratch() / "upright.mp4"
        path.write_bytes(data)
        with Clip(path) as clip, Clip(film().path) as plain:
            self.assertEqual((clip.info.rotation, clip.info.width), (90, 360))
            self.assertTrue(np.array_equal(clip.rgb(9), np.rot90(plain.rgb(9), -1)))

    def test_frames_held_before_a_key_frame_are_those_frames(self):
        path = scratch() / "short-groups.mp4"
        write_moving(path, gop=20)
        with Clip(path) as clip, Clip(path) as beside:
            key = int(clip.key_frames[-1])
            self.assertGreater(key, 3)
            want = clip.rgb(key - 1)
            self.assertEqual(beside.tail(key, 3, lambda: False), [])
            tail = beside.tail(key, 3, lambda: True)
            self.assertEqual([n for n, _ in tail], [key - 3, key - 2, key - 1])
            with Clip(path) as fresh:
                fresh.adopt(tail)
                self.assertTrue(fresh.cached(key - 1))
                np.testing.assert_array_equal(fresh.rgb(key - 1), want)

    def test_held_frames_are_those_frames_and_need_no_decoding(self):
        path = scratch() / "seldom.mp4"
        write_moving(path)
        with Clip(path) as clip, Clip(path) as other:
            wanted = [3, 20, 41]
            clip.hold(wanted)
            self.assertTrue(all(clip.cached(n) for n in wanted))
            for n in reversed(wanted):
                np.testing.assert_array_equal(clip.gray(n), other.gray(n))

    def test_a_frame_that_is_not_there_is_named(self):
        with Clip(self.path) as clip, self.assertRaisesRegex(ClipError, "there is no 9999"):
            clip.gray(9999)

    def test_another_reader_of_a_film_shows_the_same_and_goes_its_own_way(self):
        with Clip(self.path) as clip, clip.again() as other:
            clip.tone = Tone(0.5, 0.5, 0.0, 10.0)
            for n in (40, 7):
                self.assertTrue((clip.gray(n) == other.toned(n)).all(), n)
            self.assertFalse(clip.cached(100) or other.cached(100))
            other.gray(100)
            self.assertFalse(clip.cached(100))

    def test_a_rough_picture_is_nearly_the_same_and_is_not_kept(self):
        kept = Ends(scratch(), self.path)
        with Clip(self.path, kept) as clip:
            whole = clip.gray(50).astype(int)
            clip.let_go(rough=True)
            rough = clip.gray(50).astype(int)
            last = int(clip.key_frames[-1]) - 1
            for _ in clip.grays(max(last - 5, 0), last + 2):
                pass
        self.assertLess(np.abs(whole - rough).mean(), 1.0)
        self.assertTrue((whole != rough).any())
        self.assertIsNone(kept.get(last))

    def test_gray_is_the_luma_of_the_same_frame(self):
        with Clip(self.path) as clip:
            luma = clip.gray(50).astype(float)
            rgb = clip.rgb(50).astype(float) @ [0.299, 0.587, 0.114]
        self.assertGreater(np.corrcoef(luma.ravel(), rgb.ravel())[0, 1], 0.99)


class BadFileTest(unittest.TestCase):
    def test_each_bad_file_gets_one_plain_sentence(self):
        folder = scratch()
        (folder / "zero.mp4").touch()
        (folder / "notes.mp4").write_text("not a film at all")
        write_tone(folder / "sound.mp4")
        write_tone(folder / "one.mp4", pictures=1)
        for name, words in (
            ("gone.mp4", "not there"), ("zero.mp4", "empty"), ("notes.mp4", "cannot be read"),
            ("sound.mp4", "no pictures"), ("one.mp4", "1 picture"),
        ):  # fmt: skip
            with self.subTest(name), self.assertRaisesRegex(ClipError, words) as caught:
                Clip(folder / name)
            self.assertIn(name, str(caught.exception))
            self.assertNotIn("\n", str(caught.exception))

    def test_a_file_cut_short_is_used_as_far_as_it_goes(self):
        whole = film().path.read_bytes()
        path = scratch() / "short.mp4"
        path.write_bytes(whole[: len(whole) * 2 // 3])
        with Clip(path) as clip:
            self.assertLess(clip.info.frames, len(film().times_s))
            self.assertGreater(clip.info.frames, 20)
            self.assertIn("cut short", clip.info.warning)
            clip.gray(clip.info.frames // 2)

    def test_other_containers_are_read(self):
        folder = scratch()
        shutil.copy(film().path, folder / "plain.mov")
        for name, codec in (("film.mkv", "libx264"), ("film.avi", "mjpeg"), ("film.webm", "vp9")):
            with av.open(str(folder / name), "w") as box:
                stream = box.add_stream(codec, rate=25)
                stream.width, stream.height = 128, 96
                stream.pix_fmt = "yuvj420p" if codec == "mjpeg" else "yuv420p"
                for i in range(12):
                    picture = np.full((96, 128, 3), 20 * i, np.uint8)
                    box.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
                box.mux(stream.encode())
            with self.subTest(name), Clip(folder / name) as clip:
                self.assertEqual(clip.info.frames, 12)
                self.assertAlmostEqual(clip.gray(7).mean(), clip.rgb(7).mean(), delta=12)
                self.assertGreater(clip.rgb(9).mean(), clip.rgb(3).mean() + 60)


class InterlacedTest(unittest.TestCase):
    def test_a_film_woven_of_two_moments_is_shown_as_one_and_said(self):
        path = scratch() / "woven.mp4"
        with av.open(str(path), "w") as box:
            video = box.add_stream("libx264", rate=25, options={"x264-params": "interlaced=1"})
            video.width, video.height, video.pix_fmt = 128, 96, "yuv420p"
            for n in range(12):
                picture = np.full((96, 128, 3), 60, np.uint8)
                picture[0::2, 8 * n : 8 * n + 12] = 220
                picture[1::2, 8 * n + 4 : 8 * n + 16] = 220
                box.mux(video.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
            box.mux(video.encode())
        with Clip(path) as clip:
            self.assertIn("woven.mp4 is interlaced", clip.info.warning)
            for picture in (clip.gray(6), clip.rgb(6)[..., 1]):
                self.assertEqual(picture.shape, (96, 128))
                combed = np.abs(np.diff(picture.astype(int), axis=0)).mean()
                self.assertLess(combed, 3.0)
