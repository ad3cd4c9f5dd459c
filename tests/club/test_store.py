"""The records: kept, undone, backed up, mended; damage and locks are said plainly."""

import os
import signal
import sqlite3
import subprocess
import sys
import unittest
from datetime import date, timedelta
from pathlib import Path

from keenkettle.club import look_up, migrations
from keenkettle.club.commands import (
    AddClip,
    AnswerFinding,
    History,
    Prescribe,
    SetMark,
    WriteSession,
)
from keenkettle.club.demo import fill_demo
from keenkettle.club.demo_people import MEMBERS
from keenkettle.club.store import NEWEST, ClubDamagedError, ClubError, Store, restore
from keenkettle.club.tables import Athlete
from keenkettle.coach.judge import Finding
from keenkettle.coach.lifts import find_lift
from keenkettle.coach.remedies import AthleteState, propose
from tests.shared import film, scratch

TODAY = date(2026, 11, 23)
KILL_SCRIPT = """
import os, signal, sys
from datetime import date
from pathlib import Path
from keenkettle.club.commands import History, WriteSession
from keenkettle.club.store import Store
store = Store(Path(sys.argv[1]))
History(store).run(WriteSession(1, date(2026, 11, 23), "kept to the last word"))
os.kill(os.getpid(), signal.SIGKILL)
"""


def small_club():
    """A store with one athlete."""
    store = Store(scratch())
    with store.session() as s:
        s.add(Athlete(name="Nell Harrow", facts={}))
    return store


def everything(store):
    """All rows of all tables, for comparing before and after."""
    with sqlite3.connect(store.path) as c:
        names = (
            "athlete", "clip", "mark", "finding", "session", "prescription", "note", "placement",
            "gate_note",
        )  # fmt: skip
        return {n: c.execute(f"select * from {n} order by id").fetchall() for n in names}


class CommandTest(unittest.TestCase):
    def setUp(self):
        self.store = small_club()
        self.addCleanup(self.store.close)
        self.history = History(self.store)
        self.history.run(AddClip(1, film().path, "abc", TODAY))

    def commands(self):
        finding = Finding("low-contact", "fix", 5, 5, 5, 0.9, (), "Bar meets the leg too low.")
        proposal = propose(["low-contact"], find_lift("power-clean"), AthleteState())[0][0]
        return [
            SetMark(1, "hip", 4, (10.0, 20.0)),
            SetMark(1, "hip", 4, (12.0, 21.0)),
            SetMark(1, "hip", 4, None),
            AnswerFinding(1, 1, finding, "confirmed"),
            AnswerFinding(1, 1, finding, "dismissed"),
            WriteSession(1, TODAY, "front squat 3x5 @ 60kg\n"),
            Prescribe(1, 1, proposal, TODAY),
            Prescribe(1, 1, proposal, TODAY + timedelta(days=3)),
        ]

    def test_undo_restores_exactly_and_redo_comes_back(self):
        states = [everything(self.store)]
        for command in self.commands():
            self.history.run(command)
            states.append(everything(self.store))
        for state in reversed(states[:-1]):
            self.assertTrue(self.history.undo())
            self.assertEqual(everything(self.store), state)
        for state in states[1:]:
            self.assertTrue(self.history.redo())
            for table in ("mark", "session", "clip"):
                self.assertEqual(
                    [r[1:] for r in everything(self.store)[table]], [r[1:] for r in state[table]]
                )
        self.assertEqual(self.history.redo(), "")

    def test_a_prescription_is_a_line_of_the_session(self):
        self.history.run(self.commands()[5])
        self.history.run(self.commands()[6])
        text = look_up.session_text(self.store, 1, TODAY)
        self.assertTrue(text.startswith("front squat 3x5 @ 60kg\n"))
        made = look_up.prescriptions_of(self.store, 1)[0]
        self.assertIn(made.line, text.splitlines())

    def test_the_next_session_is_the_nearest_ahead(self):
        self.assertEqual(look_up.next_session_day(self.store, 1, TODAY), TODAY + timedelta(days=2))
        self.history.run(WriteSession(1, TODAY + timedelta(days=5), "x"))
        self.history.run(WriteSession(1, TODAY + timedelta(days=1), "x"))
        self.assertEqual(look_up.next_session_day(self.store, 1, TODAY), TODAY + timedelta(days=1))


class VersionTest(unittest.TestCase):
    def test_a_change_is_noticed_whoever_makes_it_and_reading_is_none(self):
        store = small_club()
        first = store.version()
        look_up.athletes(store)
        self.assertEqual(store.version(), first)
        History(store).run(WriteSession(1, TODAY, "squat"))
        second = store.version()
        self.assertNotEqual(second, first)
        with sqlite3.connect(store.path) as other:
            other.execute("update athlete set sport = 'rowing'")
        self.assertNotEqual(store.version(), second)
        store.close()


class DamageTest(unittest.TestCase):
    def test_what_was_written_survives_a_kill(self):
        store = small_club()
        folder = store.folder
        store.close()
        done = subprocess.run([sys.executable, "-c", KILL_SCRIPT, str(folder)], check=False)
        self.assertEqual(done.returncode, -signal.SIGKILL)
        again = Store(folder)
        self.addCleanup(again.close)
        self.assertEqual(look_up.session_text(again, 1, TODAY), "kept to the last word")

    def test_a_damaged_file_is_told_and_mended_from_the_copy(self):
        store = small_club()
        folder = store.folder
        store.close()
        for copy in (folder / "backups").glob("*"):
            copy.unlink()
        Store(folder).close()
        for tail in ("-wal", "-shm"):
            (folder / f"club.sqlite3{tail}").unlink(missing_ok=True)
        (folder / "club.sqlite3").write_bytes(b"this is no database" * 99)
        with self.assertRaisesRegex(ClubDamagedError, "copy of") as caught:
            Store(folder)
        aside = restore(folder, caught.exception.backup)
        self.assertTrue(aside.exists())
        mended = Store(folder)
        self.addCleanup(mended.close)
        self.assertEqual([a.name for a in look_up.athletes(mended)], ["Nell Harrow"])

    def test_a_locked_file_is_told(self):
        store = small_club()
        self.addCleanup(store.close)
        other = sqlite3.connect(store.path, isolation_level=None)
        self.addCleanup(other.close)
        other.execute("BEGIN EXCLUSIVE")
        before = "nothing"
        with self.assertRaisesRegex(ClubError, "another program"):
            History(store).run(WriteSession(1, TODAY, before))
        other.execute("ROLLBACK")
        self.assertEqual(look_up.session_text(store, 1, TODAY), "")

    @unittest.skipIf(os.geteuid() == 0, "root may write everywhere")
    def test_a_folder_that_cannot_be_written_is_told(self):
        folder = scratch()
        folder.chmod(0o500)
        with self.assertRaises(ClubError):
            Store(folder / "club")


class MigrationTest(unittest.TestCase):
    def test_the_newest_version_is_the_one_the_store_expects(self):
        folder = Path(migrations.__file__).parent / "versions"
        newest = sorted(p.name for p in folder.glob("[0-9]*.py"))[-1]
        self.assertEqual(newest.split("_")[0], NEWEST)
        store = Store(scratch())
        self.addCleanup(store.close)
        with sqlite3.connect(store.path) as c:
            self.assertEqual(c.execute("select * from alembic_version").fetchall(), [(NEWEST,)])


class DemoTest(unittest.TestCase):
    def test_the_demo_club_is_whole_and_made_once(self):
        store = Store(scratch())
        self.addCleanup(store.close)
        fill_demo(store, TODAY)
        fill_demo(store, TODAY)
        people = look_up.athletes(store)
        self.assertEqual(len(people), len(MEMBERS))
        sunniva = next(a for a in people if a.name.startswith("Sunniva"))
        clips = look_up.clips_of(store, sunniva.id)
        self.assertGreaterEqual(len(clips), 2)
        self.assertTrue(all(c.there and c.analysed for c in clips))
        self.assertGreater(clips[0].filmed_on, clips[1].filmed_on)
        self.assertIn(
            ("unfinished-extension", "held-finish-pull"),
            look_up.state_of(store, sunniva).no_effect,
        )
