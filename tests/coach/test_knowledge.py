"""The shipped knowledge is whole, and wrong knowledge is refused with its place."""

import unittest
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from keenkettle.coach import ladders as ladders_module
from keenkettle.coach import tables
from keenkettle.coach.clearing import all_checks
from keenkettle.coach.faults import all_faults
from keenkettle.coach.ladders import (
    all_ladders,
    bail_out_first,
    copy_of,
    find_ladder,
    keep_own,
    read_ladder,
)
from keenkettle.coach.lifts import CHECKS, GOALS, UnknownLiftError, all_lifts, find_lift, read_lifts
from keenkettle.coach.remedies import all_drills
from keenkettle.coach.tables import KnowledgeError
from keenkettle.coach.warm_ups import BLOCKS, all_warm_ups, parts_for, read_warm_ups
from tests.shared import scratch


class WarmUpTest(unittest.TestCase):
    def test_every_check_that_can_be_worked_on_has_a_part_and_every_block_is_filled(self):
        for check in set(CHECKS) - {"overhead_squat_quarter"}:
            self.assertTrue(parts_for(check), check)
        for block in BLOCKS:
            self.assertTrue([p for p in all_warm_ups().values() if p.block == block], block)

    def test_each_barbell_family_is_rehearsed_in_all_three_blocks(self):
        for lift in ("clean", "snatch", "split-jerk"):
            parts = [p for p in all_warm_ups().values() if p.rehearses(find_lift(lift))]
            self.assertEqual({p.block for p in parts}, set(BLOCKS), lift)
            joints = sum(p.minutes for p in parts if p.block == "joints")
            self.assertGreaterEqual(joints, 3.0, lift)

    def test_nothing_loads_a_joint_in_pain(self):
        for joint in ("shoulder", "wrist", "knee"):
            for check in CHECKS:
                for part in parts_for(check, (joint,)):
                    self.assertNotIn(joint, part.avoid)

    def test_wrong_parts_are_refused_with_their_place(self):
        text = '[[part]]\nid = "x"\ntitle = "X"\nblock = "dance"\nminutes = 1\n'
        with self.assertRaisesRegex(KnowledgeError, "warm_ups.toml.*'x'.*block"):
            read_warm_ups(text)


class ShippedTest(unittest.TestCase):
    def test_enough_of_everything(self):
        self.assertGreaterEqual(len(all_lifts()), 110)
        self.assertGreaterEqual(len(all_ladders()), 10)
        self.assertGreaterEqual(len(all_drills()), 60)
        self.assertEqual(set(all_checks()), set(CHECKS))

    def test_every_fault_has_two_drills_that_are_there(self):
        for fault in all_faults().values():
            self.assertGreaterEqual(len(fault.drills), 2, fault.id)
            self.assertLessEqual(set(fault.drills), set(all_drills()), fault.id)

    def test_every_drill_answers_a_fault_whose_measure_shows_if_it_worked(self):
        used = {d for f in all_faults().values() for d in f.drills}
        self.assertEqual(used, set(all_drills()))

    def test_bests_are_taken_of_lifts_that_make_sense(self):
        known = set(all_lifts()) | {"jerk", "kettlebell-clean"}
        for lift in all_lifts().values():
            self.assertIn(lift.best or lift.id, known, lift.id)
            if lift.caught:
                self.assertLessEqual(lift.most, 1.0)

    def test_every_goal_is_served_by_several_lifts(self):
        for goal in GOALS:
            best = [x for x in all_lifts().values() if x.aims.get(goal, 0) >= 2]
            self.assertGreaterEqual(len(best), 2, goal)

    def test_every_rung_is_fully_written(self):
        for ladder in all_ladders().values():
            for rung in ladder.rungs:
                where = f"{ladder.id}: {rung.title}"
                for part in (rung.how, rung.cues, rung.mistakes, rung.gate, rung.checkpoints):
                    self.assertTrue(part, where)
                for text in (rung.teaches, rung.load, rung.dose, rung.suits):
                    self.assertTrue(text.strip(), where)

    def test_bail_out_comes_before_the_first_loaded_catch(self):
        for ladder in all_ladders().values():
            self.assertTrue(bail_out_first(ladder), ladder.id)


class WrongKnowledgeTest(unittest.TestCase):
    def setUp(self):
        self.text = find_ladder("hinge-to-hang").source

    def refused(self, text, pattern):
        with self.assertRaisesRegex(KnowledgeError, pattern):
            read_ladder(text, "mine.toml")

    def test_what_is_wrong_is_named(self):
        self.refused(self.text.replace('"romanian-deadlift"', '"romanian-moonlift"'), "moonlift")
        self.refused(self.text.replace('dose = "4x5"', "dose = 5"), "Romanian deadlift.*'dose'")
        self.refused(self.text.replace('down = ""', 'down = "High pull"', 1), "circle")
        self.refused("id = ", "mine.toml: not valid TOML")
        self.refused('id = "x"\nname = "x"', "rung")
        self.refused(
            self.text.replace('"dumbbell-snatch"', '"hinge-to-hang"'), "back to the same ladder"
        )
        self.refused(self.text.replace('title = "Power shrug"', 'title = "High pull"'), "two rungs")
        self.refused(self.text.replace('metric = "hip_extension"', 'metric = "hip"'), "metric")

    def test_a_lift_that_cannot_be(self):
        good = '[[lift]]\nid = "x"\nname = "x"\nfamily = "clean"\nstart = "floor"\n'
        good += 'ends = "full-catch"\ncomplexity = 3\nsessions = [1, 2]\nbest = "clean"\n'
        good += 'usual = 0.8\nleast = 0.5\nmost = 1.2\nreps = [1, 3]\nwhy = "y"\n'
        with self.assertRaisesRegex(KnowledgeError, "lift 'x': field 'most'"):
            read_lifts(good)
        self.assertIn("x", read_lifts(good.replace("most = 1.2", "most = 1.0")))
        with self.assertRaisesRegex(UnknownLiftError, "did you mean power-clean"):
            find_lift("power-cleen")

    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 4000), st.characters(codec="utf-8"))
    def test_one_changed_character_is_read_or_refused_never_worse(self, place, char):
        text = self.text[:place] + char + self.text[place + 1 :]
        try:
            read_ladder(text, "mine.toml")
        except KnowledgeError as err:
            self.assertIn("mine.toml", str(err))


class OwnKnowledgeTest(unittest.TestCase):
    def setUp(self):
        folder = scratch()
        for module in (tables, ladders_module):
            patched = mock.patch.object(module, "own_folder", lambda: folder)
            patched.start()
            self.addCleanup(patched.stop)
        all_ladders.cache_clear()
        self.addCleanup(all_ladders.cache_clear)
        self.folder = folder

    def test_a_copy_is_kept_beside_the_shipped_ones(self):
        text = copy_of(find_ladder("hinge-to-hang"), "my-hinge", "My hinge")
        keep_own(text, "my-hinge.toml")
        self.assertEqual(find_ladder("my-hinge").name, "My hinge")
        self.assertEqual(find_ladder("hinge-to-hang").name, "Hinge to hang")

    def test_a_wrong_one_is_not_kept(self):
        with self.assertRaises(KnowledgeError):
            keep_own("id = 3", "mine.toml")
        self.assertEqual(list(self.folder.rglob("*.toml")), [])


if __name__ == "__main__":
    unittest.main()
