"""Knowledge files read field by field: what is wrong is named, what is right is kept."""

import os
import unittest
from unittest import mock

from keenkettle.coach.ladders import all_ladders, copy_of, export_ladder, find_ladder, keep_own
from keenkettle.coach.schools import all_schools
from keenkettle.coach.tables import (
    Entry,
    KnowledgeError,
    own_folder,
    parse_entries,
    read_entries,
    read_text,
)
from tests.shared import scratch

GOOD = '[[part]]\nid = "a"\nminutes = 3\n[[part]]\nid = "b"\nminutes = 4\n'


def entry(**data):
    return Entry("parts.toml", "part", {"id": "a", **data})


class EntryTest(unittest.TestCase):
    def test_each_field_is_read_as_what_it_is(self):
        e = entry(title="x", minutes=3, list=["p", "q"], span=[2, 5], table={"p": 2})
        self.assertEqual(e.text("title"), "x")
        self.assertEqual(e.number("minutes"), 3.0)
        self.assertEqual(e.texts("list"), ("p", "q"))
        self.assertEqual(e.some_of("list", ("p", "q", "r")), ("p", "q"))
        self.assertEqual(e.span("span"), (2, 5))
        self.assertEqual(e.counts("table", ("p",)), {"p": 2})
        self.assertEqual(e.one_of("title", ("x", "y")), "x")

    def test_what_is_absent_has_its_default_or_is_missed(self):
        e = entry()
        self.assertEqual(e.texts("none"), ())
        self.assertEqual(e.counts("none", ("p",)), {})
        self.assertEqual(e.text("none", "d"), "d")
        self.assertEqual(e.number("none", 1.5), 1.5)
        for read in (e.text, e.number, e.span):
            with self.assertRaisesRegex(KnowledgeError, "field 'none'"):
                read("none")

    def test_a_wrong_field_names_file_entry_and_field(self):
        e = entry(title=3, minutes=True, list=["p", 4], span=[5, 2], table={"z": 1})
        for read in (
            lambda: e.text("title"), lambda: e.number("minutes"), lambda: e.texts("list"),
            lambda: e.span("span"), lambda: e.counts("table", ("p",)),
            lambda: e.tables("title"), lambda: e.one_of("title", ("x",)),
        ):  # fmt: skip
            with self.assertRaisesRegex(KnowledgeError, r"parts.toml: part 'a': field '\w+'"):
                read()

    def test_inner_tables_name_the_entry_they_are_in(self):
        (inner,) = entry(step=[{"kg": "x"}]).tables("step")
        with self.assertRaisesRegex(KnowledgeError, "part 'a': step '1': field 'kg'"):
            inner.number("kg")


class FileTest(unittest.TestCase):
    def test_entries_come_in_order(self):
        self.assertEqual([e.id for e in parse_entries("p.toml", "part", GOOD)], ["a", "b"])

    def test_wrong_files_are_named(self):
        for text, says in (
            ("= nothing", "p.toml: not valid TOML"),
            ("[other]\n", r"p.toml: holds no \[\[part\]\]"),
            ("[[part]]\nminutes = 3\n", "a part has no id"),
            ('[[part]]\nid = "a"\n[[part]]\nid = "a"\n', "part 'a' is there twice"),
        ):
            with self.subTest(says), self.assertRaisesRegex(KnowledgeError, says):
                parse_entries("p.toml", "part", text)

    def test_a_file_that_is_no_text_is_named(self):
        path = scratch() / "p.toml"
        with self.assertRaisesRegex(KnowledgeError, "p.toml cannot be read"):
            read_text(path)
        path.write_bytes(b"\xff\xfe\x00")
        with self.assertRaisesRegex(KnowledgeError, "p.toml cannot be read"):
            read_text(path)


class OwnTest(unittest.TestCase):
    def setUp(self):
        patch = mock.patch.dict(os.environ, XDG_DATA_HOME=str(scratch()))
        patch.start()
        self.addCleanup(patch.stop)
        all_ladders.cache_clear()
        self.addCleanup(all_ladders.cache_clear)

    def test_the_coach_s_own_entry_replaces_the_shipped_one(self):
        shipped = read_entries("schools.toml", "question")
        own_folder().mkdir(parents=True)
        first = shipped[0].id
        (own_folder() / "schools.toml").write_text(
            f'[[question]]\nid = "{first}"\nasks = "mine"\n[[question]]\nid = "new"\nasks = "x"\n'
        )
        merged = {e.id: e for e in read_entries("schools.toml", "question")}
        self.assertEqual(merged[first].text("asks"), "mine")
        self.assertEqual(len(merged), len(shipped) + 1)

    def test_an_own_file_that_is_wrong_is_named_by_its_path(self):
        own_folder().mkdir(parents=True)
        (own_folder() / "schools.toml").write_text("[[question")
        with self.assertRaisesRegex(KnowledgeError, str(own_folder())):
            read_entries("schools.toml", "question")

    def test_a_ladder_goes_out_as_a_file_and_comes_in_under_another_name(self):
        ladder = find_ladder("floor-first-clean")
        path = scratch() / "out.toml"
        export_ladder(ladder, path)
        self.assertEqual(path.read_text(), ladder.source)
        mine = keep_own(copy_of(ladder, "my-clean", "My clean"), "mine.toml")
        self.assertEqual((mine.id, mine.name), ("my-clean", "My clean"))
        self.assertEqual(mine.rungs, ladder.rungs)
        self.assertIn("my-clean", all_ladders())
        self.assertIn("floor-first-clean", all_ladders())

    def test_an_unknown_ladder_or_rung_is_named(self):
        with self.assertRaisesRegex(KnowledgeError, "'upside-down' is unknown"):
            find_ladder("upside-down")
        with self.assertRaisesRegex(KnowledgeError, "there is no 99"):
            find_ladder("floor-first-clean").rung(99)


class SchoolTest(unittest.TestCase):
    def test_every_default_is_one_of_the_two_and_has_its_reason(self):
        self.assertGreaterEqual(len(all_schools()), 4)
        for q in all_schools().values():
            self.assertGreater(len(q.why), 20, q.id)
            self.assertNotEqual(q.one, q.other)


if __name__ == "__main__":
    unittest.main()
