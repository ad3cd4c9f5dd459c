"""Helper processes: answers, falls, stops; and files that are written whole or not at all."""

import unittest
from unittest import mock

from keenkettle.child import Child, ChildDiedError
from keenkettle.coach.apart import AnalysisError, Reviewers
from keenkettle.coach.review import CancelledError, Request
from keenkettle.files import CannotWriteError, hash_file, write_whole
from keenkettle.film.apart import ClipApart, Helper
from keenkettle.film.clip import Clip, ClipError
from tests.shared import film, scratch


class ReviewersTest(unittest.TestCase):
    def setUp(self):
        self.reviewers = Reviewers()
        self.addCleanup(self.reviewers.end)

    def test_a_look_gives_the_file_s_hash(self):
        path = film().path
        self.assertEqual(self.reviewers.look(path, lambda *_: None).sha256, hash_file(path))

    def test_a_helper_is_kept_for_the_next_and_ended_at_the_end(self):
        self.reviewers.look(film().path, lambda *_: None)
        (kept,) = self.reviewers._idle
        self.reviewers.look(film().path, lambda *_: None)
        self.assertEqual(self.reviewers._idle, [kept])
        self.reviewers.end()
        self.assertFalse(kept.alive)

    def test_what_is_wrong_is_said_and_the_helper_stays(self):
        path = scratch() / "junk.mp4"
        path.write_text("junk")
        with self.assertRaisesRegex(AnalysisError, "junk.mp4"):
            self.reviewers.look(path, lambda *_: None)
        self.assertEqual(len(self.reviewers._idle), 1)

    def test_a_stop_ends_the_helper_s_work(self):
        def stop(_stage, _share):
            raise CancelledError

        with self.assertRaises(CancelledError):
            self.reviewers.review(Request(film().path), stop)
        self.assertEqual(self.reviewers._idle, [])

    def test_a_helper_that_falls_is_a_sentence_about_the_file(self):
        with (
            mock.patch.object(Child, "answer", side_effect=ChildDiedError("gone")),
            self.assertRaisesRegex(AnalysisError, "probably damaged"),
        ):
            self.reviewers.look(film().path, lambda *_: None)
        self.assertEqual(self.reviewers._idle, [])


class HelperTest(unittest.TestCase):
    def setUp(self):
        self.helper = Helper()
        self.addCleanup(self.helper.end)

    def test_frames_are_those_of_the_clip_itself(self):
        apart = ClipApart(film().path, self.helper)
        with Clip(film().path) as clip:
            self.assertEqual(apart.info, clip.info)
            for number in (0, 30, 7, clip.info.frames - 1):
                self.assertTrue((apart.rgb(number) == clip.rgb(number)).all())

    def test_a_fallen_helper_is_started_again_and_the_frame_comes(self):
        apart = ClipApart(film().path, self.helper)
        first = apart.rgb(3).copy()
        self.helper._child.kill()
        with self.assertRaisesRegex(ClipError, "decoder broke down"):
            self.helper.ask(apart.path, "rgb", 3)
        self.assertTrue((apart.rgb(3) == first).all())
        self.assertEqual(self.helper.started, 2)

    def test_a_clip_that_brings_it_down_again_and_again_is_given_up(self):
        apart = ClipApart(film().path, self.helper)
        said = ""
        for _ in range(12):
            if self.helper._child is not None:
                self.helper._child.kill()
                self.helper._child = None
            try:
                apart.rgb(3)
            except ClipError as err:
                said = str(err)
                break
        self.assertIn("probably damaged", said)

    def test_a_frame_that_is_not_there_is_named_and_work_goes_on(self):
        apart = ClipApart(film().path, self.helper)
        with self.assertRaisesRegex(ClipError, "99999"):
            apart.rgb(99999)
        self.assertEqual(apart.rgb(0).ndim, 3)
        apart.close()

    def test_a_question_without_a_clip_is_refused(self):
        with self.assertRaisesRegex(ClipError, "no clip is open"):
            self.helper.ask(film().path, "rgb", 0)


class FilesTest(unittest.TestCase):
    def test_a_failed_write_leaves_the_old_file_and_nothing_beside_it(self):
        path = scratch() / "a.txt"
        write_whole(path, b"old")
        with (
            mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")),
            self.assertRaisesRegex(CannotWriteError, "No space left.*make room"),
        ):
            write_whole(path, b"new")
        self.assertEqual(path.read_bytes(), b"old")
        self.assertEqual([p.name for p in path.parent.iterdir()], ["a.txt"])

    def test_a_missing_folder_is_named(self):
        with self.assertRaisesRegex(CannotWriteError, "nowhere"):
            write_whole(scratch() / "nowhere" / "a.txt", b"x")

    def test_a_hash_is_of_the_bytes(self):
        path = scratch() / "a.txt"
        write_whole(path, b"abc")
        self.assertTrue(hash_file(path).startswith("ba7816bf"))


if __name__ == "__main__":
    unittest.main()
