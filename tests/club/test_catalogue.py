"""Films as the records list them: whose, when, what they show; changed, taken out, put back."""

import os
import unittest
from datetime import date, timedelta

from sqlalchemy import update

from keenkettle.club import look_up
from keenkettle.club.bench_commands import AddClips
from keenkettle.club.catalogue import film_lines
from keenkettle.club.commands import AddClip, History, SetMark
from keenkettle.club.copies import copy_in
from keenkettle.club.erase import belongings
from keenkettle.club.film_commands import SetFacts, TakeOut
from keenkettle.club.filmed import cut_off, filmed_name
from keenkettle.club.store import ClubError
from keenkettle.club.tables import ClipRow, PrescriptionRow
from keenkettle.files import hash_file
from keenkettle.film.clip import ClipError
from keenkettle.film.looked import filmed_on, look
from tests.club.test_bench_records import TODAY, DemoCase
from tests.club.test_store import everything
from tests.shared import film, scratch


class CatalogueTest(DemoCase):
    def setUp(self):
        super().setUp()
        self.history = History(self.store)

    def test_words_narrow_by_name_lift_and_file(self):
        every = film_lines(self.store)
        self.assertEqual({x.athlete for x in film_lines(self.store, "maren")}, {"Maren Holt"})
        snatches = film_lines(self.store, "power snatch")
        self.assertEqual({x.lift for x in snatches}, {"power-snatch"})
        (one,) = film_lines(self.store, "sunn sunniva-3")
        self.assertEqual(
            (one.path.stem, one.load_kg, one.words), ("sunniva-3", 55.0, "1 to fix, 2 to note")
        )
        self.assertGreater(len(every), len(snatches))
        self.assertEqual(film_lines(self.store, "nobody"), [])

    def test_a_film_says_how_it_stands(self):
        self.history.run(AddClip(1, film().path, "abc", TODAY))
        with self.store.session() as s:
            s.execute(update(ClipRow).where(ClipRow.path.like("%jory-1%")).values(said=[]))
        words = {x.path.stem: x.words for x in film_lines(self.store)}
        self.assertEqual(words[film().path.stem], "not analysed yet")
        self.assertEqual(words["jory-1"], "nothing is lifted")

    def test_facts_are_changed_for_several_at_once_and_taken_back(self):
        ids = tuple(x.clip_id for x in film_lines(self.store, "sunniva"))
        before = everything(self.store)
        jory = self.people["Jory Penhale"].id
        self.history.run(SetFacts(ids, {"athlete_id": jory, "filmed_on": TODAY, "load_kg": 61.5}))
        moved = [x for x in film_lines(self.store, "jory") if x.clip_id in ids]
        self.assertEqual({(x.filmed_on, x.load_kg) for x in moved}, {(TODAY, 61.5)})
        self.assertEqual(len(moved), len(ids))
        self.history.undo()
        self.assertEqual(everything(self.store), before)

    def test_what_is_taken_out_comes_back_as_it_was(self):
        lines = film_lines(self.store, "sunniva")
        ids = tuple(x.clip_id for x in lines)
        self.history.run(SetMark(ids[0], "hip", 3, (5.0, 6.0)))
        with self.store.session() as s:
            s.execute(update(PrescriptionRow).values(clip_id=ids[0]))
        before = everything(self.store)
        self.history.run(TakeOut(ids, self.store.clips_folder))
        self.assertEqual(film_lines(self.store, "sunniva"), [])
        self.assertEqual(look_up.marks_of(self.store, ids[0]), {})
        left = look_up.prescriptions_of(self.store, self.sunniva.id)
        self.assertTrue(left)
        self.assertEqual({p.clip_id for p in left}, {None})
        aside = sorted(p.name for p in belongings(self.store, self.sunniva.id).own)
        self.assertEqual(aside, sorted(f"out-{self.sunniva.id}-{x.path.name}" for x in lines))
        self.history.undo()
        self.assertEqual(everything(self.store), before)
        self.assertEqual(film_lines(self.store, "sunniva"), lines)

    def test_one_that_was_made_here_is_not_offered_again_but_goes_with_its_athlete(self):
        made = filmed_name(self.store, 1).resolve()
        made.write_bytes(film().path.read_bytes())
        self.history.run(AddClip(1, made, "abc", TODAY))
        (line,) = film_lines(self.store, made.name)
        self.history.run(TakeOut((line.clip_id,), made.parent))
        self.assertEqual(cut_off(self.store, 1), [])
        self.assertFalse(made.exists())
        self.assertIn(f"out-1-{made.name}", [p.name for p in belongings(self.store, 1).own])
        self.history.undo()
        self.assertTrue(made.exists())
        self.assertEqual(film_lines(self.store, made.name), [line])

    def test_copies_are_put_aside_when_taking_them_in_is_undone_and_come_back(self):
        self.store.clips_folder.mkdir(exist_ok=True)
        copy, made = self.store.clips_folder / "film-abc.mp4", filmed_name(self.store, 1)
        for path in (copy, made):
            path.write_bytes(b"film")
        files = [(p.resolve(), p.name, TODAY) for p in (copy, made, film().path)]
        self.history.run(AddClips(1, files, self.store.clips_folder))
        self.history.undo()
        self.assertEqual([p.exists() for p, _, _ in files], [False, True, True])
        self.assertIn("out-1-film-abc.mp4", [p.name for p in belongings(self.store, 1).own])
        self.assertEqual(cut_off(self.store, 1), [made])  # offered again
        self.history.redo()
        self.assertEqual([p.exists() for p, _, _ in files], [True, True, True])


class CopyTest(unittest.TestCase):
    def setUp(self):
        self.folder = scratch() / "clips"
        self.film = scratch() / "DCIM.mp4"
        self.film.write_bytes(film().path.read_bytes())
        self.sha = hash_file(self.film)
        self.told = []

    def copy(self, sha=None):
        return copy_in(self.folder, self.film, sha or self.sha, lambda *x: self.told.append(x))

    def test_a_copy_is_the_same_film_with_its_date_and_is_made_once(self):
        os.utime(self.film, (1e9, 1e9))
        made = self.copy()
        self.assertEqual(hash_file(made), self.sha)
        self.assertEqual(made.stat().st_mtime, 1e9)
        self.assertEqual(self.told[-1], ("copying DCIM.mp4", 1.0))
        self.assertEqual(self.copy(), made)
        self.assertEqual(len(list(self.folder.iterdir())), 1)

    def test_one_that_changes_or_goes_meanwhile_leaves_nothing(self):
        with self.assertRaisesRegex(ClubError, "DCIM.mp4 was changed"):
            self.copy("0" * 64)
        self.film.unlink()
        with self.assertRaisesRegex(ClubError, "DCIM.mp4 is gone; plug it in again"):
            self.copy()
        self.assertEqual(list(self.folder.iterdir()), [])


class LookedTest(unittest.TestCase):
    def copy(self, name, said=""):
        path = scratch() / name
        if said:
            remade(film().path, path, said)
        else:
            path.write_bytes(film().path.read_bytes())
        then = TODAY - timedelta(days=400)
        at = int(then.strftime("%s")) + 43_200
        os.utime(path, (at, at))
        return path

    def test_the_day_is_the_file_s_own_then_its_name_s_then_the_disk_s(self):
        self.assertEqual(filmed_on(self.copy("a-20200102.mp4", "2021-03-04T12:00:00Z")),
                         date(2021, 3, 4))  # fmt: skip
        self.assertEqual(filmed_on(self.copy("lift_2020-01-02_a.mp4")), date(2020, 1, 2))
        self.assertEqual(filmed_on(self.copy("lift 20209999.mp4")), TODAY - timedelta(days=400))

    def test_a_clock_that_was_never_set_is_not_believed(self):
        never = self.copy("b-20200102.mp4", "1970-01-01T00:00:00Z")
        self.assertEqual(filmed_on(never), date(2020, 1, 2))

    def test_what_is_no_moment_is_passed_over(self):
        for said in ("0001-01-01T00:00:00Z", "9999-12-31T23:59:59Z", "yesterday", "", "2020"):
            path = self.copy("d-20200102.mp4", said or " ")
            self.assertEqual(filmed_on(path), date(2020, 1, 2), said)

    def test_a_look_knows_the_file_or_says_what_is_wrong(self):
        path = self.copy("c.mp4")
        self.assertEqual(len(look(path).sha256), 64)
        path.write_text("no film")
        with self.assertRaisesRegex(ClipError, "c.mp4"):
            look(path)


def remade(source, target, said):
    """The same film in a file that says when it was made."""
    import av

    with av.open(str(source)) as old, av.open(str(target), "w") as new:
        new.metadata["creation_time"] = said
        stream = old.streams.video[0]
        copy = new.add_stream_from_template(stream)
        for packet in old.demux(stream):
            if packet.dts is not None:
                packet.stream = copy
                new.mux(packet)
