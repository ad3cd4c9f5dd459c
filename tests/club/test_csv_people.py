"""Athletes from a CSV file: good rows offered, bad ones told by line."""

import unittest
from datetime import date

from keenkettle import cli
from keenkettle.club.commands import History
from keenkettle.club.csv_people import CsvError, TakePeople, names_in, read_people
from keenkettle.club.store import Store
from tests.shared import scratch

TODAY = date(2026, 11, 23)
HEAD = "name,sport,age,stature_cm,best:clean\n"


def written(text):
    """A file with this text."""
    path = scratch() / "people.csv"
    path.write_text(text, encoding="utf-8")
    return path


class CsvPeopleTest(unittest.TestCase):
    def test_ten_thousand_rows_with_some_bad_ones(self):
        bad = {7: "x{},rowing,-3,180,\n", 500: "x{},rowing,20,70,\n", 9000: ",rowing,20,180,\n"}
        rows = [bad.get(i, "x{},rowing,20,180,60\n").format(i) for i in range(10_000)]
        reading = read_people(written(HEAD + "".join(rows)), set(), TODAY)
        self.assertEqual(len(reading.good), 9_997)
        self.assertEqual([b.line for b in reading.bad], [9, 502, 9002])
        self.assertIn("looks like inches", reading.bad[1].says)

    def test_taken_all_together_and_out_again(self):
        store = Store(scratch())
        self.addCleanup(store.close)
        reading = read_people(written(HEAD + "Ida,rowing,20,180,60\n"), names_in(store), TODAY)
        history = History(store)
        history.run(TakePeople(reading.good))
        self.assertEqual(names_in(store), {"Ida"})
        again = read_people(written(HEAD + "Ida,rowing,20,180,60\n"), names_in(store), TODAY)
        self.assertIn("there already", again.bad[0].says)
        history.undo()
        self.assertEqual(names_in(store), set())

    def test_wrong_files_are_named(self):
        for text, says in (
            ("sport\nrowing\n", "no column 'name'"),
            ("name,shoe\nIda,42\n", "column 'shoe'"),
        ):
            with self.assertRaisesRegex(CsvError, says):
                read_people(written(text), set(), TODAY)

    def test_by_command_line_dry(self):
        folder, path = scratch(), written(HEAD + "Ida,rowing,20,180,60\nBo,rowing,y,180,\n")
        with self.subTest("dry"):
            args = ["import", str(path), "--dry-run", "--data", str(folder)]
            self.assertEqual(cli.main(args), 0)
            store = Store(folder)
            self.addCleanup(store.close)
            self.assertEqual(names_in(store), set())
        with self.subTest("for real"):
            self.assertEqual(cli.main(["import", str(path), "--data", str(folder)]), 0)
            self.assertEqual(names_in(store), {"Ida"})


if __name__ == "__main__":
    unittest.main()
