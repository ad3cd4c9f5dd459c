"""Records of every earlier version are brought up to date with nothing lost."""

import json
import sqlite3
import unittest
from datetime import date

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, inspect

from keenkettle.club import look_up
from keenkettle.club.climbing import Decide, history_of
from keenkettle.club.commands import History, NameClub
from keenkettle.club.people import facts_of
from keenkettle.club.store import DATABASE, NEWEST, Store
from keenkettle.club.tables import Base
from tests.shared import scratch

VERSIONS = ("0001", "0002", "0003", "0004")
FACTS = {"clearances": {"rack": "pass"}, "bests_kg": {"clean": 70.0}, "pain": ["wrist"]}


def old_club(version):
    """A club as this version left it, with one of each thing that it knew."""
    folder = scratch()
    engine = create_engine(f"sqlite:///{folder / DATABASE}")
    with engine.begin() as connection:
        config = Config()
        config.set_main_option("script_location", "keenkettle:club/migrations")
        config.attributes["connection"] = connection
        command.upgrade(config, version)
    engine.dispose()
    with sqlite3.connect(folder / DATABASE) as c:
        c.execute(
            "insert into athlete (id, name, sport, rung, caution, stature_mm, facts) "
            "values (1, 'Nell Harrow', 'rowing', '', '', 1740.0, ?)",
            [json.dumps(FACTS)],
        )
        c.execute(
            "insert into clip (id, athlete_id, path, sha256, filmed_on, lift) "
            "values (1, 1, '/films/a.mp4', 'abc', '2026-05-04', 'clean')"
        )
        c.execute("insert into session (athlete_id, day, text) values (1, '2026-05-06', 'squat')")
        c.execute("insert into mark (clip_id, joint, frame, x, y) values (1, 'hip', 7, 1.5, 2.5)")
    c.close()
    return folder


class MigrationTest(unittest.TestCase):
    def open(self, version):
        store = Store(old_club(version))
        self.addCleanup(store.close)
        return store

    def test_what_was_known_is_still_known(self):
        for version in VERSIONS:
            with self.subTest(version):
                store = self.open(version)
                (athlete,) = look_up.athletes(store)
                self.assertEqual((athlete.name, athlete.stature_mm), ("Nell Harrow", 1740.0))
                facts = facts_of(athlete)
                self.assertEqual(facts.check("rack").state, "pass")
                self.assertEqual(facts.best_of("clean").kg, 70.0)
                self.assertEqual(facts.painful, ("wrist",))
                self.assertEqual(look_up.session_text(store, 1, date(2026, 5, 6)), "squat")
                self.assertEqual(look_up.marks_of(store, 1), {"hip": {7: (1.5, 2.5)}})
                self.assertEqual(look_up.clips_of(store, 1)[0].sha256, "abc")

    def test_what_is_new_can_be_written(self):
        for version in VERSIONS:
            with self.subTest(version):
                store = self.open(version)
                history = History(store)
                history.run(NameClub("Harbour Lifters"))
                history.run(Decide(1, "floor-first-clean", 1, date(2026, 5, 7), "set", "begin"))
                self.assertEqual(look_up.club_name(store), "Harbour Lifters")
                self.assertEqual(len(history_of(store, 1)), 1)

    def test_every_version_ends_with_the_tables_of_today(self):
        for version in VERSIONS:
            with self.subTest(version):
                store = self.open(version)
                looked = inspect(store.engine)
                for name, table in Base.metadata.tables.items():
                    have = {c["name"] for c in looked.get_columns(name)}
                    self.assertEqual(have, {c.name for c in table.columns}, name)
                with store.engine.connect() as c:
                    number = c.exec_driver_sql("select version_num from alembic_version").scalar()
                self.assertEqual(number, NEWEST)

    def test_opening_again_changes_nothing(self):
        store = Store(old_club("0001"))
        store.close()
        before = store.path.read_bytes()
        again = Store(store.folder)
        again.close()
        self.assertEqual(len(again.path.read_bytes()), len(before))
        self.assertEqual([p.suffix for p in (store.folder / "backups").iterdir()], [".sqlite3"])


if __name__ == "__main__":
    unittest.main()
