"""fit, choose, ladder and import by command line, to their contract."""

import json
import unittest

from keenkettle.coach.ladders import all_ladders, find_ladder
from keenkettle.coach.lifts import CHECKS, all_lifts
from tests.shared import scratch
from tests.test_cli import run

BODY = (
    "--stature", "175", "--shoulder-width", "37", "--arm", "62", "--shoulder-height", "143",
    "--hip-crease", "90",
)  # fmt: skip


def answer(*words):
    """A command's JSON object."""
    status, out, err = run(*words, "--json")
    assert status == 0, err
    assert out.count("\n") == 1
    return json.loads(out)


class GripTest(unittest.TestCase):
    def test_the_worked_example_with_every_key_of_the_contract(self):
        said = answer("fit", "grip", *BODY)
        grip = said["snatch"]["hip_crease"]
        self.assertAlmostEqual(grip["grip_cm"], 93.5, delta=0.1)
        self.assertTrue(grip["on_bar"] and grip["reaches"])
        self.assertGreater(grip["overhead_clearance_cm"], 15)
        self.assertIsNone(said["snatch"]["belt_line"])
        self.assertEqual(said["clean"]["grip_cm"], 49.0)
        self.assertGreater(said["jerk"]["grip_cm"], 49.0)
        self.assertEqual(set(said["estimated"]), {"belt_line", "knee_height"})

    def test_a_measured_belt_line_gives_the_other_school(self):
        said = answer("fit", "grip", *BODY, "--belt-line", "103")
        belt, crease = (said["snatch"][x]["grip_cm"] for x in ("belt_line", "hip_crease"))
        self.assertGreater(belt, crease)

    def test_inches_give_the_same(self):
        inches = ["fit", "grip", "--units", "in"]
        for flag, value in zip(BODY[::2], BODY[1::2], strict=True):
            inches += [flag, str(float(value) / 2.54)]
        self.assertEqual(answer(*inches)["snatch"], answer("fit", "grip", *BODY)["snatch"])

    def test_a_trial_makes_up_for_the_arm(self):
        known = [w for i, w in enumerate(BODY) if i not in (4, 5)]
        self.assertFalse(answer("fit", "grip", *known)["measured"])
        said = answer("fit", "grip", *known, "--trial-grip", "90", "--trial-bar-height", "91")
        self.assertTrue(said["measured"])

    def test_plain_lines_prescribe_only_what_was_measured(self):
        _, out, _ = run("fit", "grip", *BODY)
        self.assertTrue(out.startswith("snatch 93 cm, give or take"))
        _, out, _ = run("fit", "grip", "--stature", "175")
        self.assertTrue(out.startswith("snatch: try"))
        self.assertIn("no grip is prescribed", out)

    def test_what_cannot_be_is_one_line(self):
        for words, says in (
            (("--stature", "69"), "looks like inches"),
            (("--stature", "175", "--arm", "24.4"), "arm is 24.4 cm"),
            (("--stature", "175", "--trial-grip", "90"), "together"),
            ((*BODY, "--trial-grip", "10", "--trial-bar-height", "90"), "trial's grip is 10 cm"),
            (("--stature", "175", "--hip-crease", "150"), "hip_crease is 150 cm"),
        ):
            status, out, err = run("fit", "grip", *words)
            self.assertEqual((status, out, err.count("\n")), (2, "", 1), err)
            self.assertIn(says, err)


class StartTest(unittest.TestCase):
    def test_someone_of_middling_build_starts_from_the_floor(self):
        said = answer("fit", "start", "--stature", "170", "--lift", "clean",
                      "--ankle-deg", "38", "--hip-deg", "130")  # fmt: skip
        self.assertTrue(said["reachable"])
        self.assertEqual(said["raise_cm"], 0)
        self.assertEqual(said["binding"], [])
        self.assertLessEqual({"ankle", "knee", "hip", "shoulder", "bar"}, set(said["pose"]))
        self.assertEqual(set(said["angles"]), {"ankle", "knee", "hip", "trunk"})
        self.assertAlmostEqual(said["pose"]["bar"][1], 22.5, delta=0.1)

    def test_a_tall_stiff_one_is_raised_and_told_what_range_would_do(self):
        said = answer("fit", "start", "--stature", "194", "--lift", "snatch",
                      "--ankle-deg", "20", "--hip-deg", "105")  # fmt: skip
        self.assertFalse(said["reachable"])
        self.assertTrue(said["binding"])
        self.assertIn(said["raise_cm"], (5, 10, 15, 20, None))
        _, out, _ = run("fit", "start", "--stature", "194", "--lift", "snatch",
                        "--ankle-deg", "20", "--hip-deg", "105")  # fmt: skip
        self.assertTrue("raise the bar" in out or "from the hang" in out)

    def test_smaller_discs_need_more(self):
        wide = ("fit", "start", "--stature", "186", "--lift", "clean")
        lows = [answer(*wide, "--disc-mm", d)["least_raise_cm"] for d in ("450", "350")]
        self.assertGreater(lows[1] or 99, (lows[0] or 0) - 0.1)


class ChooseTest(unittest.TestCase):
    def athlete(self, **facts):
        path = scratch() / "athlete.json"
        path.write_text(json.dumps(facts))
        return path

    def test_every_lift_is_ranked_with_reasons_or_closed_with_a_way(self):
        path = self.athlete(stature_cm=180, age=25, clearances=dict.fromkeys(CHECKS, "pass")
                            | {"rack": "not_yet"})  # fmt: skip
        said = answer("choose", "--athlete", path, "--goal", "power")
        names = [c["lift"] for c in said["ranked"]] + [c["lift"] for c in said["closed"]]
        self.assertEqual(sorted(names), sorted(all_lifts()))
        scores = [c["score"] for c in said["ranked"]]
        self.assertEqual(scores, sorted(scores, reverse=True))
        closed = {c["lift"]: c for c in said["closed"]}
        self.assertIn("rack", closed["clean"]["because"])
        self.assertTrue(all(c["opens_with"] for c in said["closed"]))

    def test_plain_lines(self):
        path = self.athlete(clearances=dict.fromkeys(CHECKS, "pass"))
        _, out, _ = run("choose", "--athlete", path, "--goal", "velocity", "--phase",
                        "speed-strength")  # fmt: skip
        self.assertGreater(len(out.splitlines()), 8)

    def test_bad_files_are_one_line_that_names_the_file(self):
        folder = scratch()
        (folder / "list.json").write_text("[1]")
        (folder / "half.json").write_text('{"age": 3')
        (folder / "age.json").write_text('{"age": "old"}')
        (folder / "raw.json").write_bytes(b"\xff\xfe")
        for name, says in (
            ("list.json", "one JSON object"),
            ("half.json", "line 1: not valid JSON"),
            ("age.json", "age is 'old'"),
            ("raw.json", "cannot be read"),
            ("gone.json", "cannot be read"),
        ):
            status, out, err = run("choose", "--athlete", folder / name, "--goal", "power")
            self.assertEqual((status, out, err.count("\n")), (2, "", 1))
            self.assertIn(name, err)
            self.assertIn(says, err)
        status, _, err = run("choose", "--athlete", self.athlete(), "--goal", "fame")
        self.assertEqual(status, 2)
        self.assertIn("fame", err)


class LadderTest(unittest.TestCase):
    def test_all_are_listed_and_shown(self):
        rows = answer("ladder", "list")["ladders"]
        self.assertEqual({r["id"] for r in rows}, set(all_ladders()))
        shown = answer("ladder", "show", rows[0]["id"])
        self.assertEqual(len(shown["rungs"]), rows[0]["rungs"])
        self.assertTrue(all(r["gate"] and r["dose"] and r["load"] for r in shown["rungs"]))

    def test_a_file_is_checked_without_being_kept(self):
        path = scratch() / "mine.toml"
        source = find_ladder("floor-first-clean").source
        path.write_text(source.replace('"floor-first-clean"', '"mine"', 1))
        self.assertEqual(answer("ladder", "check", path)["id"], "mine")
        self.assertNotIn("mine", all_ladders())
        path.write_text(source.replace("[[rung]]", "[[rung", 1))
        status, _, err = run("ladder", "check", path)
        self.assertEqual((status, err.count("\n")), (2, 1))
        self.assertIn("mine.toml", err)

    def test_a_loaded_catch_without_bail_out_practice_is_warned_of(self):
        path = scratch() / "mine.toml"
        source = find_ladder("floor-first-clean").source
        path.write_text(source.replace("bail_out", "rack"))
        said = answer("ladder", "check", path)
        self.assertFalse(said["ok"])
        self.assertIn("bail-out", said["warnings"][0])

    def test_an_unknown_one_is_named_with_those_there_are(self):
        status, _, err = run("ladder", "show", "upside-down")
        self.assertEqual(status, 2)
        self.assertIn("floor-first-clean", err)


class ImportTest(unittest.TestCase):
    def test_good_rows_are_taken_and_bad_ones_told(self):
        folder = scratch()
        (folder / "people.csv").write_text("name,age\nRuna Falk,23\nNell Harrow,old\n,4\n")
        words = ("import", folder / "people.csv", "--data", folder / "club")
        self.assertEqual(answer(*words, "--dry-run")["taken"], 0)
        said = answer(*words)
        self.assertEqual((said["taken"], [b["line"] for b in said["bad"]]), (1, [3, 4]))
        again = answer(*words)
        self.assertEqual(again["taken"], 0)
        self.assertIn("there already", again["bad"][0]["says"])

    def test_another_kind_of_file_is_refused(self):
        status, _, err = run("import", scratch() / "people.ods")
        self.assertEqual(status, 2)
        self.assertIn("no CSV file", err)


class RecordTest(unittest.TestCase):
    def setUp(self):
        self.folder = scratch()
        (self.folder / "people.csv").write_text("name,stature_cm\nTove Lindqvist,172\nTove Aas,\n")
        answer("import", self.folder / "people.csv", "--data", self.folder / "one")

    def out(self, name, file="record.zip"):
        return run("export", name, "--out", self.folder / file, "--data", self.folder / "one")

    def test_a_record_goes_from_one_club_to_another(self):
        self.assertEqual(self.out("lindqvist")[0], 0)
        words = ("import", self.folder / "record.zip", "--data", self.folder / "two")
        self.assertEqual(answer(*words, "--dry-run")["taken"], 0)
        said = answer(*words)
        self.assertEqual((said["taken"], said["athlete"]), (1, "Tove Lindqvist"))
        status, _, err = run(*words)
        self.assertEqual(status, 2)
        self.assertIn("Tove Lindqvist", err)

    def test_whom_it_cannot_tell_it_does_not_write(self):
        for name, says in (("tove", "say which"), ("nobody at all", "nobody in this club")):
            status, _, err = self.out(name)
            self.assertEqual(status, 2)
            self.assertIn(says, err)
        self.assertIn(".zip", self.out("lindqvist", "record.csv")[2])
        nowhere = ("export", "x", "--out", self.folder / "x.zip", "--data", self.folder / "none")
        self.assertIn("no club", run(*nowhere)[2])
        self.assertFalse((self.folder / "none").exists())
        (self.folder / "bad.zip").write_bytes(b"PK not one")
        status, _, err = run("import", self.folder / "bad.zip", "--data", self.folder / "one")
        self.assertEqual(status, 2)
        self.assertIn("bad.zip", err)


if __name__ == "__main__":
    unittest.main()
