"""Films for the eyes, measures over time, and what was moved by hand, from the records."""

import unittest
from datetime import date, timedelta

from sqlalchemy import select

from keenkettle.club import look_up
from keenkettle.club.bench_commands import SetEvent
from keenkettle.club.commands import History
from keenkettle.club.demo import fill_demo
from keenkettle.club.eyes import films_for_eyes
from keenkettle.club.over_time import effects, filmed, series
from keenkettle.club.store import Store
from keenkettle.club.tables import ClipRow, FindingRow
from tests.shared import scratch

TODAY = date(2026, 11, 23)


class DemoCase(unittest.TestCase):
    def setUp(self):
        self.store = Store(scratch())
        self.addCleanup(self.store.close)
        fill_demo(self.store, TODAY)
        self.people = {a.name: a for a in look_up.athletes(self.store)}
        self.sunniva = self.people["Sunniva Dale"]


class EyesTest(DemoCase):
    def test_the_gravest_come_first(self):
        waiting = films_for_eyes(self.store, TODAY)
        self.assertGreater(len(waiting), 3)
        weights = [w.weight for w in waiting]
        self.assertEqual(weights, sorted(weights, reverse=True))
        self.assertEqual(waiting[0].athlete, "Maren Holt")
        self.assertEqual(waiting[0].words, "1 to fix, 3 to note")

    def test_an_answered_finding_waits_no_longer_but_a_later_one_does(self):
        first = films_for_eyes(self.store, TODAY)[0]
        with self.store.session() as s:
            said = s.scalar(select(ClipRow.said).where(ClipRow.id == first.clip_id))
            for i, (fault, severity) in enumerate(said[0]["faults"].items()):
                answer = "later" if i == 0 else "dismissed"
                s.add(FindingRow(clip_id=first.clip_id, rep=1, fault=fault, severity=severity,
                                 says="", answer=answer))  # fmt: skip
        left = [w for w in films_for_eyes(self.store, TODAY) if w.clip_id == first.clip_id]
        self.assertEqual(len(left), 1)
        self.assertLess(left[0].weight, first.weight)

    def test_old_films_are_let_be(self):
        self.assertEqual(films_for_eyes(self.store, TODAY + timedelta(days=90)), [])


class OverTimeTest(DemoCase):
    def test_each_clip_is_one_point_in_order_of_days(self):
        clips = filmed(self.store, self.sunniva.id)
        points = series(clips, "power-clean", "trunk_drop")
        self.assertEqual(len(points), 11)
        self.assertEqual([p.day for p in points], sorted(p.day for p in points))
        self.assertEqual(series(clips, "snatch", "trunk_drop"), [])

    def test_several_reps_count_as_their_median(self):
        with self.store.session() as s:
            reps = [{"measures": {"trunk_drop": v}, "faults": {}} for v in (1.0, 9.0, 2.0)]
            s.add(ClipRow(athlete_id=self.sunniva.id, path="", sha256="", filmed_on=TODAY,
                          lift="power-clean", said=reps))  # fmt: skip
        points = series(filmed(self.store, self.sunniva.id), "power-clean", "trunk_drop")
        self.assertEqual(points[-1].value, 2.0)

    def test_what_helped_and_what_did_not(self):
        found = {e.drill: e for e in effects(self.store, self.sunniva.id)}
        self.assertEqual(found["lift-to-knee-hold"].moved.answer, "yes")
        self.assertEqual(found["held-finish-pull"].moved.answer, "no")
        self.assertEqual(found["lift-to-knee-hold"].metric, "trunk_drop")

    def test_nobody_has_effects_without_prescriptions(self):
        self.assertEqual(effects(self.store, self.people["Bram Oakhurst"].id), [])


class ShelfTest(DemoCase):
    def test_films_that_were_not_kept_are_no_clips_and_do_not_wait(self):
        self.assertEqual(len(look_up.clips_of(self.store, self.sunniva.id)), 2)
        self.assertEqual(look_up.waiting_clips(self.store), [])

    def test_an_event_set_by_hand_goes_into_the_request_and_back(self):
        clip = look_up.clips_of(self.store, self.sunniva.id)[0]
        history = History(self.store)
        history.run(SetEvent(clip.id, 1, "catch", 120))
        history.run(SetEvent(clip.id, 1, "extension", 90))
        want = {1: {"catch": 120, "extension": 90}}
        self.assertEqual(look_up.request_for(self.store, clip.id).events, want)
        history.run(SetEvent(clip.id, 1, "catch", None))
        self.assertEqual(look_up.request_for(self.store, clip.id).events, {1: {"extension": 90}})

    def test_a_mark_on_the_bar_is_no_joint(self):
        from keenkettle.club.commands import SetMark

        clip = look_up.clips_of(self.store, self.sunniva.id)[0]
        History(self.store).run(SetMark(clip.id, "bar", 40, (500.0, 300.0)))
        request = look_up.request_for(self.store, clip.id)
        self.assertEqual(request.bar_marks, {40: (500.0, 300.0)})
        self.assertNotIn("bar", request.marks)
