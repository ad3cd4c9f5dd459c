"""The command line keeps its contract: results, exit codes, one line of error."""

import contextlib
import io
import json
import unittest

from keenkettle.cli import main
from tests.shared import film, scratch


def run(*words):
    """Run a command; returns status, standard output, standard error."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            status = main([str(w) for w in words])
        except SystemExit as end:
            status = int(end.code or 0)
    return status, out.getvalue(), err.getvalue()


class AnalyseTest(unittest.TestCase):
    def test_the_result_goes_to_file_or_standard_output(self):
        folder = scratch()
        made = film()
        with (folder / "marks.csv").open("w") as f:
            f.write("frame,joint,x,y\n")
            for joint, at in made.marks(4).items():
                f.writelines(f"{n},{joint},{x},{y}\n" for n, (x, y) in at.items())
        (folder / "athlete.json").write_text('{"stature_cm": 175}')
        status, _, err = run(
            "analyse", made.path, "--lift", "power-clean", "--joints", folder / "marks.csv",
            "--athlete", folder / "athlete.json", "--camera-m", "5", "--out", folder / "out.json",
            "--track-csv", folder / "tracks.csv", "--quiet",
        )  # fmt: skip
        self.assertEqual((status, err), (0, ""))
        doc = json.loads((folder / "out.json").read_text())
        self.assertEqual(doc["lift"], {"id": "power-clean", "source": "given"})
        self.assertAlmostEqual(
            doc["reps"][0]["metrics"]["hip_extension"]["value"], 178.0, delta=6.0
        )
        self.assertEqual(doc["calibration"]["camera_m"], 5.0)
        self.assertIn("hip", (folder / "tracks.csv").read_text())
        status, out, _ = run("analyse", made.path, "--bar-only", "--out", "-", "--quiet")
        self.assertEqual(json.loads(out)["schema"], "keenkettle.analysis/1")
        self.assertEqual(status, 0)

    def test_errors_are_one_line_with_the_contract_s_status(self):
        folder = scratch()
        (folder / "junk.mp4").write_text("junk")
        (folder / "bad.json").write_text("{")
        (folder / "wrong.json").write_text('{"stature_cm": 17500}')
        clip = film().path
        for status, words, says in (
            (3, ["analyse", folder / "gone.mp4"], "not there"),
            (3, ["analyse", folder / "junk.mp4"], "junk.mp4"),
            (2, ["analyse", clip, "--lift", "bench"], "bench"),
            (2, ["analyse", clip, "--bar", "1:2"], "F:X,Y"),
            (2, ["analyse", clip, "--plate-mm", "9999"], "9999"),
            (2, ["analyse", clip, "--upright", "1,2,3"], "X1,Y1,X2,Y2"),
            (2, ["analyse", clip, "--upright", "10,20,90,30"], "door frame"),
            (2, ["analyse", clip, "--athlete", folder / "bad.json"], "line 1"),
            (2, ["analyse", clip, "--athlete", folder / "wrong.json"], "17500"),
            (2, ["analyse", clip, "--joints", folder / "none.csv"], "none.csv"),
            (2, ["analyse", clip, "--out", folder / "no" / "where.json"], "where.json"),
            (2, ["analyse", clip, "--capture-fps", "-5"], "capture-fps"),
            (2, ["analyse"], "clip"),
            (2, ["juggle"], "juggle"),
            (4, ["analyse", clip, "--bar", "9999:5,5"], "9999"),
        ):
            with self.subTest(str(words)):
                got, out, err = run(*words)
                self.assertEqual(got, status, err)
                self.assertIn(says, err)
                self.assertEqual(err.count("\n"), 1, err)
                self.assertEqual(out, "")


class SimulateTest(unittest.TestCase):
    def test_a_clip_and_its_truth_are_written(self):
        folder = scratch()
        status, out, _ = run(
            "simulate", "--lift", "clean-pull", "--stature", "168", "--fault",
            "early-arm-bend=1.2", "--fps", "15", "--size", "320x180", "--out", folder / "c.mp4",
            "--truth", folder / "t.json", "--json",
        )  # fmt: skip
        self.assertEqual(status, 0)
        truth = json.loads((folder / "t.json").read_text())
        self.assertLess(truth["metrics"]["elbow_before_extension"]["value"], 160)
        self.assertEqual(len(truth["frames"][0]["bar_px"]), 2)
        self.assertEqual(json.loads(out)["lift"], "clean-pull")
        self.assertGreater((folder / "c.mp4").stat().st_size, 1000)

    def test_bad_wishes_are_named(self):
        out = scratch() / "c.mp4"
        for words, says in (
            (["--lift", "bench"], "bench"),
            (["--lift", "clean", "--fault", "yawning=1"], "yawning"),
            (["--lift", "clean", "--fault", "jump-back=far"], "jump-back=far"),
            (["--lift", "clean", "--stature", "17"], "17"),
            (["--lift", "clean", "--size", "big"], "big"),
        ):
            status, _, err = run("simulate", *words, "--out", out)
            self.assertEqual(status, 2)
            self.assertIn(says, err)
            self.assertFalse(out.exists())
