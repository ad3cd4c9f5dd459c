"""One athlete's whole record goes out and in again; erasing leaves nothing of it anywhere."""

import json
import shutil
import sqlite3
import unittest
import zipfile
from contextlib import closing
from datetime import date, datetime
from pathlib import Path
from unittest import mock

from sqlalchemy import select

from keenkettle.club import record as record_module
from keenkettle.club.commands import History
from keenkettle.club.erase import belongings, erase
from keenkettle.club.record import RECORD, RecordError, TakeRecord, read_record, write_record
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import (
    Athlete,
    Base,
    ClipRow,
    FindingRow,
    GateNoteRow,
    JudgedRow,
    MarkRow,
    NoteRow,
    PlacementRow,
    PrescriptionRow,
    SessionRow,
)  # fmt: skip
from keenkettle.club.whose import tables
from keenkettle.files import CannotWriteError, hash_file
from tests.shared import scratch

DAY, MOMENT = date(2026, 3, 4), datetime(2026, 3, 4, 5, 6)


def quiet(_word, _share):
    """Tells nobody."""


def fill(store, name, word):
    """Somebody with a row in every table; every text of theirs holds ``word``."""
    store.clips_folder.mkdir(exist_ok=True)
    film = store.clips_folder / f"{word}.mp4"
    film.write_bytes(word.encode() * 500)
    away = store.folder / f"{word}-away.mp4"
    away.write_bytes(b"elsewhere")
    with store.session() as s:
        a = Athlete(name=name, sport=word, facts={"goal": word}, stature_mm=1700.0)
        s.add(a)
        s.flush()
        clip = ClipRow(
            athlete_id=a.id,
            path=str(film),
            sha256=hash_file(film),
            filmed_on=DAY,
            lift="clean",
            tracks=b"tracks",
            said=[{"measures": {}, "faults": {}}],
        )
        other = ClipRow(athlete_id=a.id, path=str(away), sha256=hash_file(away), filmed_on=DAY)
        session = SessionRow(athlete_id=a.id, day=DAY, text=word)
        s.add_all([clip, other, session])
        s.flush()
        s.add_all([
            JudgedRow(clip_id=clip.id, stamp=word),
            MarkRow(clip_id=clip.id, joint="hip", frame=3, x=1.5, y=2.0),
            NoteRow(clip_id=clip.id, kind="text", first=1, last=2, points=[[1, 2]], text=word),
            FindingRow(clip_id=clip.id, rep=1, fault="bar-crash", severity="note", says=word,
                       answered_at=MOMENT),
            PrescriptionRow(athlete_id=a.id, clip_id=clip.id, session_id=session.id, drill=word,
                            faults=[word], line=word, worked_if=word, made_at=MOMENT),
            PlacementRow(athlete_id=a.id, ladder="floor-first-clean", rung=1, since=DAY,
                         act="set", reason=word, made_at=MOMENT),
            GateNoteRow(athlete_id=a.id, day=DAY, key=f"tick:{word}"),
        ])  # fmt: skip
    return a.id


def everything(store, athlete_id):
    """All rows of an athlete, without the numbers that a machine gives them."""
    out = {}
    with store.session() as s:
        for t in tables():
            numbers = {"id", "athlete_id", "clip_id", "session_id", "path"}
            columns = [c for c in t.c if c.name not in numbers]
            out[t.name] = [
                tuple(r) for r in s.execute(
                    select(*columns).where(record_module.of_athlete(t, athlete_id)).order_by(t.c.id)
                )
            ]  # fmt: skip
    return out


class RecordTest(unittest.TestCase):
    def setUp(self):
        self.store = Store(scratch())
        self.other = Store(scratch())
        for store in (self.store, self.other):
            self.addCleanup(store.close)
        fill(self.store, "Somebody Else", "zanderword")
        self.ada = fill(self.store, "Ada Borg", "quillword")
        fill(self.other, "Third", "thirdword")
        self.zip = scratch() / "ada.zip"

    def change(self, act):
        """The record again, with its JSON changed."""
        write_record(self.store, self.ada, self.zip, quiet)
        with zipfile.ZipFile(self.zip) as box:
            parts = {n: box.read(n) for n in box.namelist()}
        data = json.loads(parts[RECORD])
        act(data)
        parts[RECORD] = json.dumps(data).encode()
        with zipfile.ZipFile(self.zip, "w") as box:
            for name, part in parts.items():
                box.writestr(name, part)

    def says(self, names=()):
        with self.assertRaises(RecordError) as caught:
            read_record(self.zip, set(names))
        return str(caught.exception)

    def test_all_that_is_the_athletes_comes_to_another_club(self):
        self.assertEqual(write_record(self.store, self.ada, self.zip, quiet), [])
        history = History(self.other)
        command = TakeRecord(read_record(self.zip, {"Third"}), self.other.clips_folder)
        history.run(command)
        here = everything(self.store, self.ada)
        self.assertEqual(everything(self.other, command.athlete_id), here)
        self.assertTrue(all(here.values()), "a table is not tried")
        with self.other.session() as s:
            paths = s.scalars(select(ClipRow.path).where(ClipRow.athlete_id == command.athlete_id))
            films = [Path(p) for p in paths]
            drill = s.scalar(select(PrescriptionRow).where(PrescriptionRow.drill == "quillword"))
            clip, session = s.get(ClipRow, drill.clip_id), s.get(SessionRow, drill.session_id)
        self.assertEqual((clip.athlete_id, session.athlete_id), (command.athlete_id,) * 2)
        self.assertEqual(films[0].read_bytes(), b"quillword" * 500)
        self.assertTrue(all(f.parent == self.other.clips_folder for f in films))
        history.undo()
        self.assertFalse(any(f.exists() for f in films))
        self.assertFalse(any(everything(self.other, command.athlete_id).values()))
        history.redo()
        self.assertEqual(everything(self.other, command.athlete_id), here)

    def test_a_film_that_is_gone_is_named(self):
        (self.store.clips_folder / "quillword.mp4").unlink()
        self.assertEqual(write_record(self.store, self.ada, self.zip, quiet), ["quillword.mp4"])
        self.assertEqual(len(read_record(self.zip, set()).films), 1)

    def test_what_cannot_be_written_leaves_nothing(self):
        with self.assertRaisesRegex(CannotWriteError, "choose another folder"):
            write_record(self.store, self.ada, self.zip.parent / "none" / "a.zip", quiet)
        full = mock.patch("zipfile.ZipFile.write", side_effect=OSError(28, "No space left"))
        with full, self.assertRaisesRegex(CannotWriteError, "No space left"):
            write_record(self.store, self.ada, self.zip, quiet)
        self.assertEqual(list(self.zip.parent.iterdir()), [])

    def test_a_bad_record_says_which_row_and_field(self):
        cases = [
            (lambda d: d["rows"]["clip"][0].update(filmed_on="soon"), "clip 1, field filmed_on"),
            (lambda d: d["rows"]["session"][0].pop("text"), "session 1 has no field text"),
            (lambda d: d["rows"]["mark"][0].update(x="left"), "mark 1, field x"),
            (lambda d: d["rows"]["mark"][0].update(clip_id=999), "mark 1, field clip_id"),
            (lambda d: d["athlete"].update(name=None), "the athlete, field name"),
            (lambda d: d["rows"]["clip"][0].update(tracks="%%"), "clip 1, field tracks"),
            (lambda d: d.update(version=9), "newer"),
            (lambda d: d.update(kind="else"), "no record"),
            (lambda d: d["films"].update({"1": "films/none.mp4"}), "lacks|films of no clip"),
            (lambda d: d.pop("rows"), "damaged"),
            (lambda d: d["athlete"].update(facts=[1]), "damaged"),
        ]
        for act, words in cases:
            with self.subTest(words):
                self.change(act)
                self.assertRegex(self.says(), words)
                self.assertIn("ada.zip", self.says())
        self.zip.write_bytes(b"no zip")
        self.assertIn("ada.zip is no record", self.says())

    def test_a_name_that_is_taken_is_said(self):
        write_record(self.store, self.ada, self.zip, quiet)
        self.assertIn("Ada Borg is in the club already", self.says({"Ada Borg"}))

    def test_a_damaged_film_takes_nothing_in(self):
        self.change(lambda d: d["rows"]["clip"][0].update(sha256="0" * 64))
        command = TakeRecord(read_record(self.zip, set()), self.other.clips_folder)
        before = sorted(self.other.clips_folder.iterdir())
        with self.assertRaisesRegex(RecordError, "is damaged"):
            History(self.other).run(command)
        self.assertEqual(sorted(self.other.clips_folder.iterdir()), before)
        with self.other.session() as s:
            self.assertEqual(list(s.scalars(select(Athlete.name))), ["Third"])

    def test_rows_that_are_there_twice_take_nothing_in(self):
        self.change(lambda d: d["rows"]["session"].append(dict(d["rows"]["session"][0], id=99)))
        command = TakeRecord(read_record(self.zip, set()), self.other.clips_folder)
        with self.assertRaisesRegex(RecordError, "twice"):
            History(self.other).run(command)
        self.assertEqual(len(list(self.other.clips_folder.iterdir())), 1)


class EraseTest(unittest.TestCase):
    def setUp(self):
        self.folder = scratch()
        self.store = Store(self.folder)
        self.addCleanup(lambda: self.store.close())
        self.kept = fill(self.store, "Somebody Else", "zanderword")
        self.ada = fill(self.store, "Ada Borg", "quillword")
        self.copy = next((self.folder / "backups").glob("*.sqlite3"))
        with (
            closing(sqlite3.connect(self.store.path)) as a,
            closing(sqlite3.connect(self.copy)) as b,
        ):
            a.backup(b)

    def files_with(self, word):
        return {p for p in self.folder.rglob("*") if p.is_file() and word in p.read_bytes()}

    def test_not_a_byte_is_left_in_records_copies_and_the_clubs_films(self):
        sha = belongings(self.store, self.ada).hashes[0]
        frames = self.store.ends_folder(sha)
        frames.mkdir(parents=True)
        (frames / "59.npy").write_bytes(b"quillword")
        self.assertGreaterEqual(len(self.files_with(b"quillword")), 3)
        gone = erase(self.store, self.ada, quiet)
        self.assertEqual([p.name for p in gone.elsewhere], ["quillword-away.mp4"])
        self.store.close()
        self.assertEqual(self.files_with(b"quillword"), set())
        self.assertEqual(self.files_with(b"Ada Borg"), set())
        for path in (self.store.path, self.copy):
            with closing(sqlite3.connect(path)) as box:
                names = [n for (n,) in box.execute("SELECT name FROM athlete")]
                self.assertEqual(names, ["Somebody Else"])
                self.assertEqual(box.execute("PRAGMA integrity_check").fetchone(), ("ok",))
                self.assertEqual(box.execute("PRAGMA foreign_key_check").fetchall(), [])

    def test_the_others_keep_everything(self):
        before = everything(self.store, self.kept)
        erase(self.store, self.ada, quiet)
        self.assertEqual(everything(self.store, self.kept), before)
        self.assertTrue((self.store.clips_folder / "zanderword.mp4").exists())

    def test_a_copy_that_cannot_be_read_goes_whole(self):
        self.copy.write_bytes(b"torn quillword")
        erase(self.store, self.ada, quiet)
        self.assertFalse(self.copy.exists())

    def test_an_older_copy_that_knows_the_number_as_another_keeps_that_one(self):
        with closing(sqlite3.connect(self.copy)) as box:
            box.execute("UPDATE athlete SET id = 77 WHERE name = 'Somebody Else'")
            box.execute("UPDATE athlete SET id = 1 WHERE name = 'Ada Borg'")
            box.execute("UPDATE athlete SET id = ? WHERE id = 77", (self.ada,))
            box.commit()
        erase(self.store, self.ada, quiet)
        with closing(sqlite3.connect(self.copy)) as box:
            names = [n for (n,) in box.execute("SELECT name FROM athlete")]
        self.assertEqual(names, ["Somebody Else"])

    def test_a_film_that_somebody_else_has_too_stays(self):
        film = self.store.clips_folder / "quillword.mp4"
        with self.store.session() as s:
            s.add(ClipRow(athlete_id=self.kept, path=str(film), sha256="x", filmed_on=DAY))
        erase(self.store, self.ada, quiet)
        self.assertTrue(film.exists())

    def test_files_that_cannot_be_deleted_are_named(self):
        held = mock.patch.object(Path, "unlink", side_effect=PermissionError)
        with held, self.assertRaisesRegex(ClubError, "quillword.mp4.*by hand"):
            erase(self.store, self.ada, quiet)

    def test_somebody_who_is_not_there(self):
        with self.assertRaisesRegex(ClubError, "not in the records"):
            erase(self.store, 12345, quiet)

    def test_every_table_that_points_to_an_athlete_is_known(self):
        known = {t.name for t in tables()} | {"athlete", "club"}
        self.assertEqual(known, set(Base.metadata.tables))
        shutil.rmtree(self.folder / "backups")
        self.assertEqual(belongings(self.store, self.ada).copies, ())
