"""Run every test in a process of its own kind; the last line counts them.

python tests/run.py [--coverage] [WORD ...]   only modules whose name holds a word
"""

from __future__ import annotations

import argparse
import logging
import os
import subprocess
import sys
import time
import unittest
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))
SLOWEST = 5


class Result(unittest.TextTestResult):
    """Counts what passed and keeps how long each test took."""

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        self.passed = 0
        self.took: list[tuple[float, str]] = []

    def startTest(self, test: unittest.TestCase) -> None:
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        self.took.append((time.monotonic() - self._began, test.id()))
        super().stopTest(test)

    def addSuccess(self, test: unittest.TestCase) -> None:
        self.passed += 1
        super().addSuccess(test)


def main() -> int:
    """Run the tests; 0 where all passed."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--coverage", action="store_true")
    parser.add_argument("words", nargs="*")
    args = parser.parse_args()
    if args.coverage:
        own = [sys.executable, "-m", "coverage"]
        status = subprocess.run([*own, "run", str(Path(__file__)), *args.words]).returncode
        report = subprocess.run([*own, "report", "--format=total"], capture_output=True, text=True)
        print(f"coverage {report.stdout.strip()} %")
        return status
    logging.basicConfig(level=logging.ERROR)
    suite = unittest.TestSuite()
    for path in sorted(HERE.rglob("test_*.py")):
        name = ".".join(path.relative_to(HERE.parent).with_suffix("").parts)
        if not args.words or any(w in name for w in args.words):
            suite.addTests(unittest.defaultTestLoader.loadTestsFromName(name))
    result = unittest.TextTestRunner(resultclass=Result, verbosity=1).run(suite)
    assert isinstance(result, Result)
    for seconds, name in sorted(result.took, reverse=True)[:SLOWEST]:
        print(f"{seconds:6.1f} s  {name}")
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    print(f"{result.passed} passed, {failed} failed", flush=True)
    return 1 if failed or not result.passed else 0


if __name__ == "__main__":
    sys.exit(main())
