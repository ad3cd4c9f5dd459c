"""What the film bench knows and does, without a window."""

import shutil
import unittest
from datetime import date, timedelta

from keenkettle.club import look_up
from keenkettle.club.catalogue import film_lines
from keenkettle.club.commands import History
from keenkettle.club.demo import fill_demo
from keenkettle.club.store import ClubError, Store
from keenkettle.coach.review import Filmed
from keenkettle.film.looked import Looked, look
from keenkettle.measure.calibration import CalibrationError
from keenkettle.ui.film.comparing import MODEL, USUAL, choices_of
from keenkettle.ui.film.player import LOOPS, REAL, SPEEDS, Player, speed_text
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.start import make_app
from tests.shared import film, scratch

TODAY = date(2026, 11, 23)


class PresenterCase(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = Store(scratch())
        fill_demo(cls.store, TODAY)
        cls.listed = cls.lines()  # before any is opened, and so judged anew
        cls.people = {a.name: a for a in look_up.athletes(cls.store)}

    @classmethod
    def tearDownClass(cls):
        cls.store.close()

    @classmethod
    def lines(cls):
        return {x.path: (x.words, x.faults) for x in film_lines(cls.store)}

    def setUp(self):
        self.told = []
        self.p = FilmPresenter(self.store, History(self.store), self.told.append)
        self.p.hold(self.people["Sunniva Dale"])
        self.addCleanup(self.take_back)

    def take_back(self):
        while self.p.history.undo():
            pass


class OpenTest(PresenterCase):
    def test_the_newest_clip_opens_at_its_first_finding(self):
        self.assertEqual(self.p.state.clip, self.p.state.clips[0])
        self.assertEqual(self.p.state.frame, self.p.findings[0].at)
        self.assertEqual(self.p.chosen, self.p.findings[0])
        self.assertIn("clip", self.told)

    def test_nobody_has_no_clips_and_every_question_has_an_answer(self):
        self.p.hold(None)
        self.assertEqual((self.p.state.clips, self.p.rep, self.p.chosen), ([], None, None))
        self.assertEqual((self.p.findings, self.p.event_here(), self.p.near_event()), ((), "", ""))
        self.assertEqual((self.p.next_event(1), self.p.marks_here()), ("", {}))
        self.assertIsNone(self.p.request())
        self.assertIsNone(self.p.next_session(TODAY))
        self.assertIsNone(self.p.prescribe(0, TODAY))
        for nothing in (
            lambda: self.p.answer("confirmed"), lambda: self.p.mark("hip", 1, 1),
            lambda: self.p.set_lift("clean"), lambda: self.p.move_event("catch", 3),
            lambda: self.p.step(1), lambda: self.p.next_finding(1), lambda: self.p.choose(0),
        ):  # fmt: skip
            nothing()
        self.assertEqual(self.p.history._done, [])
        with self.assertRaisesRegex(ClubError, "choose an athlete first"):
            self.p.add_clips([Looked(film().path, "abc", TODAY)])

    def test_a_moved_file_is_told_and_only_the_same_film_takes_its_place(self):
        card = self.p.state.clip
        copy = scratch() / card.path.name
        shutil.copy2(card.path, copy)
        look_up.set_clip(self.store, card.id, path=str(copy.with_name("gone.mp4")))
        self.addCleanup(look_up.set_clip, self.store, card.id, path=str(card.path))
        self.p.refresh_clips()
        self.p.open(self.p.state.clip)
        self.assertIn("gone.mp4 is not where it was", self.p.state.problem)
        self.assertIsNotNone(self.p.state.review)
        with self.assertRaisesRegex(ClubError, "is another film"):
            self.p.relink(film().path)
        self.p.relink(copy)
        self.assertEqual(self.p.state.problem, "")
        self.assertTrue(self.p.state.clip.there)

    def test_a_moved_film_that_is_dropped_again_is_found(self):
        card = self.p.state.clip
        moved = scratch() / "moved.mp4"
        card.path.rename(moved)
        self.addCleanup(look_up.set_clip, self.store, card.id, path=str(card.path))
        self.addCleanup(moved.rename, card.path)
        self.p.refresh_clips()
        (found,) = self.p.add_clips([look(moved)])
        self.assertEqual((found.id, found.path, found.there), (card.id, moved, True))
        again = self.p.add_clips([Looked(film().path, card.sha256, card.filmed_on)])
        self.assertEqual([c.path for c in again], [moved])

    def test_the_demo_s_films_say_what_they_are_listed_with(self):
        for athlete in self.people.values():
            self.p.hold(athlete)
            for card in self.p.state.clips:
                self.p.open(card)
        self.assertEqual(self.lines(), self.listed)

    def test_what_was_filmed_from_elsewhere_is_compared_with_last(self):
        self.p.hold(self.people["Maren Holt"])
        kinds = [(c.kind, c.words.endswith("from another side")) for c in choices_of(self.p)]
        self.assertEqual(kinds, [(MODEL, False), (USUAL, False), ("clip", True)])
        self.p.hold(self.people["Sunniva Dale"])
        self.assertEqual(choices_of(self.p)[0].kind, "clip")

    def test_damaged_tracks_are_told_and_the_clip_stays(self):
        card = self.p.state.clip
        good = look_up.tracks_of(self.store, card.id)
        look_up.keep_tracks(self.store, card.id, b"spoilt", None)
        self.addCleanup(look_up.keep_tracks, self.store, card.id, good, None)
        self.p.open(card)
        self.assertIn("analyse the clip again", self.p.state.problem)
        self.assertIsNone(self.p.state.review)

    def test_a_film_is_not_taken_in_twice(self):
        path = scratch() / "new.mp4"
        shutil.copy2(film().path, path)
        before = len(self.p.state.clips)
        (card,) = self.p.add_clips([Looked(path, "abc", TODAY)])
        self.assertEqual(card.path, path)
        self.p.add_clips([Looked(path, "abc", TODAY)])
        self.assertEqual(len(self.p.state.clips), before + 1)
        self.p.undo()
        self.assertEqual(len(self.p.state.clips), before)


class StepTest(PresenterCase):
    def test_steps_stay_inside_the_film(self):
        self.p.go(-5)
        self.assertEqual(self.p.state.frame, 0)
        self.p.step(-1)
        self.assertEqual(self.p.state.frame, 0)
        self.p.go(10**6)
        self.assertEqual(self.p.state.frame, self.p.state.frames - 1)

    def test_events_come_in_order_both_ways(self):
        at = sorted((i, n) for n, i in self.p.rep.events.items() if i is not None)
        self.p.go(0)
        there = []
        while name := self.p.next_event(1):
            there.append(name)
            self.assertEqual(self.p.rep.events[self.p.near_event()], self.p.state.frame)
            self.assertTrue(self.p.event_here())
        self.assertEqual([self.p.rep.events[n] for n in there], sorted({i for i, _ in at if i > 0}))
        back = []
        while name := self.p.next_event(-1):
            back.append(self.p.state.frame)
        self.assertEqual(back, sorted(back, reverse=True))

    def test_findings_go_round(self):
        count = len(self.p.findings)
        seen = [self.p.state.chosen]
        for _ in range(count):
            self.p.next_finding(1)
            self.assertEqual(self.p.state.frame, self.p.chosen.at)
            seen.append(self.p.state.chosen)
        self.assertEqual(seen[0], seen[-1])
        self.assertEqual(len(set(seen)), count)
        self.p.next_finding(-1)
        self.assertEqual(self.p.state.chosen, seen[-2])

    def test_times_are_those_of_the_film(self):
        self.assertEqual(len(self.p.times_s), self.p.state.frames)
        self.p.state.review = None
        self.assertEqual(len(self.p.times_s), self.p.state.frames)


class AnswerTest(PresenterCase):
    def test_confirming_proposes_drills_and_taking_it_back_takes_them_away(self):
        self.assertEqual(self.p.state.proposals, [])
        self.p.answer("confirmed")
        self.assertEqual(self.p.answer_to(self.p.chosen), "confirmed")
        self.assertTrue(self.p.state.proposals)
        self.assertEqual(self.p.undo(), "answer to a finding")
        self.assertEqual(self.p.state.proposals, [])
        self.p.redo()
        self.assertTrue(self.p.state.proposals)

    def test_dismissed_and_later_propose_nothing(self):
        for word in ("dismissed", "later"):
            self.p.answer(word)
            self.assertEqual(self.p.answer_to(self.p.chosen), word)
            self.assertEqual(self.p.state.proposals, [])

    def test_a_drill_goes_into_the_next_session_once_as_a_line(self):
        self.p.answer("confirmed")
        line = self.p.state.proposals[0].session_line
        day = self.p.prescribe(0, TODAY)
        self.assertGreaterEqual(day, TODAY)
        self.assertLessEqual(day, TODAY + timedelta(days=7))
        text = look_up.session_text(self.store, self.p.state.athlete.id, day)
        self.assertEqual(text.splitlines().count(line), 1)
        self.assertIn(self.p.state.proposals[0].drill.id, self.p.state.prescribed)
        self.assertIsNone(self.p.prescribe(99, TODAY))

    def test_what_does_not_fit_is_left_out_with_a_reason(self):
        for name in self.people:
            self.p.hold(self.people[name])
            for i in range(len(self.p.findings)):
                self.p.choose(i)
                self.p.answer("confirmed")
            for left in self.p.state.left_out:
                self.assertTrue(left.because, name)
            closed = {x.drill.id for x in self.p.state.left_out}
            self.assertFalse(closed & {x.drill.id for x in self.p.state.proposals})


class AgainTest(PresenterCase):
    def test_another_lift_is_judged_at_once_and_stays(self):
        card = self.p.state.clip
        self.addCleanup(look_up.set_clip, self.store, card.id, lift=card.lift)
        frame = self.p.state.frame
        self.p.set_lift("clean-pull")
        self.assertEqual(self.p.state.review.lift.id, "clean-pull")
        self.assertEqual(self.p.state.frame, frame)
        self.assertEqual(
            look_up.clips_of(self.store, self.p.state.athlete.id)[0].lift, "clean-pull"
        )

    def test_a_moved_event_stays_between_its_neighbours_and_comes_back(self):
        events = dict(self.p.rep.events)
        self.p.move_event("peak_height", events["catch"] + 50)
        self.assertEqual(self.p.rep.events["peak_height"], events["catch"] - 1)
        self.p.undo()
        self.assertEqual(self.p.rep.events, events)
        self.p.move_event("no_such_event", 3)
        self.assertEqual(self.p.rep.events, events)

    def test_marks_of_a_frame_are_that_frame_s(self):
        self.p.mark("hip", 12.0, 34.0)
        self.assertEqual(self.p.marks_here()["hip"], (12.0, 34.0))
        frame = self.p.state.frame
        self.p.step(1)
        self.assertNotEqual(self.p.marks_here().get("hip"), (12.0, 34.0))
        self.p.go(frame)
        self.p.undo()
        self.assertNotEqual(self.p.marks_here().get("hip"), (12.0, 34.0))

    def test_a_click_on_the_disc_goes_into_the_next_analysis(self):
        card = self.p.state.clip
        self.addCleanup(look_up.set_clip, self.store, card.id, bar=None)
        self.p.state.frame = 7
        self.p.show_disc(100.0, 200.0)
        self.assertEqual(self.p.request().bar, (7, 100.0, 200.0, None))

    def test_a_preview_shows_only_where_nothing_is_known_yet(self):
        review = self.p.state.review
        self.p.preview(self.p.state.clip.id, review)
        self.assertNotIn("review", self.told)
        self.p.state.review = None
        self.p.preview(self.p.state.clip.id, review)
        self.assertIs(self.p.state.review, review)
        self.p.state.review = None
        self.p.preview(-1, review)
        self.assertIsNone(self.p.state.review)


class FilmedTest(PresenterCase):
    def speed(self):
        return self.p.rep.metrics["bar_peak_velocity"].value

    def test_a_smaller_disc_makes_everything_smaller_and_undo_large_again(self):
        before, frame = self.speed(), self.p.state.frame
        self.p.set_filmed(Filmed(plate_mm=225.0))
        self.assertAlmostEqual(self.speed(), before / 2.0, delta=0.02)
        self.assertEqual((self.p.filmed.plate_mm, self.p.state.frame), (225.0, frame))
        self.p.undo()
        self.assertAlmostEqual(self.speed(), before, places=3)
        self.assertEqual(self.p.filmed, Filmed())

    def test_a_slowed_film_is_put_right(self):
        before = self.speed()
        fps = self.p.state.review.info.fps_nominal
        self.p.set_filmed(Filmed(capture_fps=2.0 * fps))
        self.assertAlmostEqual(self.speed() / before, 2.0, delta=0.12)  # 18 Hz of true time

    def test_a_known_length_takes_the_disc_s_place(self):
        cal = self.p.state.review.calibration
        before = self.speed()
        self.p.set_filmed(Filmed(known=(900.0, 10.0, 10.0, 10.0, 10.0 + 900.0 / cal.mm_per_px)))
        self.assertAlmostEqual(self.speed(), before, delta=0.02)
        self.assertIsNone(self.p.state.review.calibration.plate_px)

    def test_what_cannot_be_is_told_and_not_kept(self):
        for how, says in (
            (Filmed(plate_mm=4500.0), "disc diameter is 4500 mm"),
            (Filmed(known=(900.0, 1.0, 1.0, 1.0, 2.0)), "cannot calibrate"),
        ):
            with self.assertRaisesRegex(CalibrationError, says):
                self.p.set_filmed(how)
        for wrong, says in (
            ({"capture_fps": 1.0}, "1 frames a second"),
            ({"camera_m": 0.0}, "0 m"),
        ):
            with self.assertRaisesRegex(CalibrationError, says):
                Filmed(**wrong)
        self.assertEqual((self.p.filmed, self.p.history._done), (Filmed(), []))

    def test_it_can_be_said_before_the_analysis_too(self):
        card = self.p.state.clip
        good = look_up.tracks_of(self.store, card.id)
        look_up.keep_tracks(self.store, card.id, None, None)
        self.addCleanup(look_up.keep_tracks, self.store, card.id, good, None)
        self.p.set_filmed(Filmed(plate_mm=400.0, view="front"))
        self.assertEqual((self.p.request().plate_mm, self.p.request().view), (400.0, "front"))

    def test_it_goes_into_the_next_analysis(self):
        self.p.set_filmed(Filmed(350.0, 240.0, "left", 4.0))
        asked = self.p.request()
        self.assertEqual((asked.plate_mm, asked.capture_fps), (350.0, 240.0))
        self.assertEqual((asked.facing, asked.camera_m), ("left", 4.0))


class NotesTest(PresenterCase):
    def test_a_note_belongs_to_its_frame_and_is_taken_off(self):
        before = len(self.p.state.notes)
        self.p.notes.add("text", [(5.0, 6.0)], "long arms")
        (note,) = [n for n in self.p.notes.here() if n.text == "long arms"]
        self.p.step(1)
        self.assertNotIn(note, self.p.notes.here())
        self.p.notes.remove(note)
        self.assertEqual(len(self.p.state.notes), before)
        self.p.undo()
        self.assertIn(note, self.p.state.notes)

    def test_a_draft_names_what_was_confirmed_and_prescribed(self):
        self.p.answer("confirmed")
        self.p.prescribe(0, TODAY)
        text = self.p.notes.draft()
        self.assertTrue(text.startswith("Sunniva, your"))
        self.assertIn(self.p.state.proposals[0].session_line, text)

    def test_words_are_written_once(self):
        clip = self.p.state.clip.id
        self.p.notes.write(clip, "Well done.\n")
        count = len(self.p.history._done)
        self.p.notes.write(clip, "Well done.\n")
        self.assertEqual(len(self.p.history._done), count)
        self.assertEqual(self.p.notes.written, "Well done.\n")


class PlayerTest(PresenterCase):
    def setUp(self):
        super().setUp()
        self.app = make_app()
        self.words = []
        self.player = Player(self.p, lambda: (20, 30))
        self.player.told.connect(self.words.append)
        self.addCleanup(self.player.pause)

    def test_speeds_stop_at_both_ends_and_are_said(self):
        for _ in range(20):
            self.player.change_speed(1)
        self.assertEqual(self.words[-1], "plays at 2× of real speed")
        for _ in range(20):
            self.player.change_speed(-1)
        self.assertEqual(self.words[-1], "plays at 1/16 of real speed")
        self.assertEqual(speed_text(REAL), "1×")
        self.assertEqual(len(SPEEDS), 6)

    def test_loops_take_turns(self):
        spans = []
        for _ in LOOPS:
            self.player.change_loop()
            spans.append(self.player.span())
        rep = self.p.rep.span
        self.assertEqual(spans, [(20, 30), (rep.lift_off, rep.end), (0, self.p.state.frames - 1)])

    def test_play_begins_again_at_the_end(self):
        self.p.go(self.p.state.frames - 1)
        self.player.toggle()
        self.assertTrue(self.player.playing)
        self.assertEqual(self.p.state.frame, 0)
        self.player.toggle()
        self.assertFalse(self.player.playing)

    def test_a_film_of_nothing_does_not_play(self):
        self.p.hold(None)
        self.player.toggle()
        self.player.run(1)
        self.assertFalse(self.player.playing)

    def test_letting_go_stops_only_what_the_key_began(self):
        self.player.toggle()
        self.player.stop_run()
        self.assertTrue(self.player.playing)
        self.player.pause()
        self.player.run(-1)
        self.player.stop_run()
        self.assertFalse(self.player.playing)


if __name__ == "__main__":
    unittest.main()
