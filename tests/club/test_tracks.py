"""Stored tracks give the same review again; damaged or foreign ones are told."""

import io
import unittest
from dataclasses import replace
from functools import cache
from unittest import mock

import numpy as np

from keenkettle.club import look_up
from keenkettle.club.commands import AddClip, History, SetMark
from keenkettle.club.films import keep_review
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import Athlete, ClipRow
from keenkettle.club.tracks import TracksError, pack, unpack
from keenkettle.coach.review import Request, judge_tracks, review_clip
from keenkettle.film.far_disc import FarDisc
from keenkettle.measure.motion import JointTrack
from tests.club.test_climbing import TODAY
from tests.shared import film, scratch


@cache
def reviewed():
    return review_clip(Request(film().path, lift="power-clean", auto=False))


def stored():
    return pack(reviewed(), 0.4, True)


class PackTest(unittest.TestCase):
    def test_numbers_come_back_to_a_thousandth_of_a_pixel(self):
        tracked, joints = unpack(stored())
        review = reviewed()
        self.assertLess(np.abs(tracked.bar.xy_px - review.bar.xy_px).max(), 1e-3)
        self.assertEqual(tracked.info, review.info)
        self.assertEqual(tracked.ring, review.ring)
        self.assertEqual(set(joints), set(review.joints))

    def test_how_a_hand_held_camera_moved_and_looked_up_comes_back(self):
        review = reviewed()
        drift = np.linspace((0.0, 0.0), (9.0, -4.0), len(review.bar.xy_px))
        far = FarDisc(-20.0, 0.8, 2.0, 0.02, 12.0)
        held = replace(
            review,
            bar=replace(review.bar, drift_px=drift, grows=(1e-4, 2e-5)),
            far=far,
            in_discs=3.9,
            says=("somebody walks past", "“quoted”, and more"),
            calibration=replace(review.calibration, vertical_px=(0.0, -1.0), vertical_sigma=0.01),
        )
        tracked, _ = unpack(pack(held, 0.4, True))
        np.testing.assert_allclose(tracked.bar.drift_px, drift, atol=1e-4)
        self.assertEqual(tracked.bar.grows, (1e-4, 2e-5))
        self.assertTrue(tracked.bar.looks_up)
        self.assertEqual(tracked.in_discs, 3.9)
        again = judge_tracks(Request(tracked.info.path, lift="power-clean"), tracked, {})
        self.assertEqual(again.warnings[-2:], held.says)  # judged again it is still said
        self.assertEqual(again.says, held.says)
        self.assertAlmostEqual(tracked.roll.sd_deg, np.degrees(0.01))
        self.assertEqual(tracked.far, far)
        self.assertIsNone(unpack(stored())[0].bar.drift_px)

    def test_which_leg_was_away_from_the_camera_comes_back(self):
        review = reviewed()
        xy = np.full_like(review.bar.xy_px, 5.0)
        later = np.arange(len(xy)) > 40
        legs = {"ankle": JointTrack(xy, xy[:, 0], later), "ankle_rear": JointTrack(xy, xy[:, 0])}
        _, joints = unpack(pack(replace(review, joints=legs), 0.4, True))
        np.testing.assert_array_equal(joints["ankle"].far_side, later)
        self.assertIsNone(joints["ankle_rear"].far_side)

    def test_the_same_is_judged_from_them(self):
        tracked, joints = unpack(stored())
        again = judge_tracks(Request(film().path, lift="power-clean"), tracked, joints)
        first = reviewed().reps[0]
        self.assertEqual(again.reps[0].events, first.events)
        for name in ("bar_peak_velocity", "bar_peak_height"):
            self.assertAlmostEqual(
                again.reps[0].metrics[name].value, first.metrics[name].value, places=2
            )

    def test_what_python_says_of_two_readers_at_once_is_no_damage(self):
        real, fails = np.load, [SystemError("AST constructor recursion depth mismatch")]

        def once(*args, **kwargs):
            if fails:
                raise fails.pop()
            return real(*args, **kwargs)

        with mock.patch("keenkettle.club.tracks.np.load", once):
            self.assertEqual(set(unpack(stored())[1]), set(reviewed().joints))

    def test_what_is_damaged_or_of_another_version_is_told(self):
        data = stored()
        for bad in (b"", b"no archive", data[:200], data[: len(data) // 2]):
            with self.assertRaisesRegex(TracksError, "analyse"):
                unpack(bad)
        with np.load(io.BytesIO(data)) as box:
            arrays = dict(box)
        for change in ({"numbers": np.array([99.0, 0, 0, 0])}, {"info": np.array("evil()")}):
            out = io.BytesIO()
            np.savez(out, **{**arrays, **change})
            with self.assertRaisesRegex(TracksError, "analyse"):
                unpack(out.getvalue())


class KeepTest(unittest.TestCase):
    def setUp(self):
        self.store = Store(scratch())
        self.addCleanup(self.store.close)
        with self.store.session() as s:
            s.add(Athlete(name="Nell Harrow", facts={}, stature_mm=1740.0))
        self.history = History(self.store)
        self.history.run(AddClip(1, film().path, "abc", TODAY))

    def test_a_review_waits_no_longer_and_its_lift_is_kept(self):
        self.assertEqual([i for i, _ in look_up.waiting_clips(self.store)], [1])
        keep_review(self.store, 1, reviewed())
        self.assertEqual(look_up.waiting_clips(self.store), [])
        (card,) = look_up.clips_of(self.store, 1)
        self.assertTrue(card.analysed and card.there)
        self.assertEqual(card.lift, "power-clean")

    def test_a_lift_that_the_coach_named_stays(self):
        look_up.set_clip(self.store, 1, lift="clean-pull", load_kg=70.0)
        keep_review(self.store, 1, reviewed())
        (card,) = look_up.clips_of(self.store, 1)
        self.assertEqual((card.lift, card.load_kg), ("clean-pull", 70.0))

    def test_what_was_measured_and_found_is_kept_by_rep(self):
        keep_review(self.store, 1, reviewed())
        with self.store.session() as s:
            said = s.get(ClipRow, 1).said
        self.assertEqual(len(said), len(reviewed().reps))
        self.assertIn("bar_peak_velocity", said[0]["measures"])
        self.assertNotIn("hip_extension", said[0]["measures"])

    def test_keeping_a_clip_that_is_gone_does_nothing(self):
        keep_review(self.store, 77, reviewed())
        self.assertIsNone(look_up.tracks_of(self.store, 77))

    def test_the_request_carries_what_the_coach_set(self):
        look_up.set_clip(self.store, 1, lift="clean", bar=[4, 10.0, 20.0, 30.0])
        self.history.run(SetMark(1, "hip", 9, (5.0, 6.0)))
        self.history.run(SetMark(1, "bar", 12, (7.0, 8.0)))
        request = look_up.request_for(self.store, 1)
        self.assertEqual(request.lift, "clean")
        self.assertEqual(request.bar, (4, 10.0, 20.0, 30.0))
        self.assertEqual(request.marks, {"hip": {9: (5.0, 6.0)}})
        self.assertEqual(request.bar_marks, {12: (7.0, 8.0)})
        self.assertEqual(request.reference.stature_mm, 1740.0)

    def test_a_clip_that_is_not_there_is_said(self):
        with self.assertRaisesRegex(ClubError, "choose another"):
            look_up.request_for(self.store, 77)

    def test_undo_forgets_the_clip_and_leaves_the_file(self):
        self.history.undo()
        self.assertEqual(look_up.clips_of(self.store, 1), [])
        self.assertTrue(film().path.exists())


if __name__ == "__main__":
    unittest.main()
