"""Run every test, a process a core; the last line counts them.

python tests/run.py [--coverage] [WORD ...]   only modules whose name holds a word
"""

from __future__ import annotations

import argparse
import faulthandler
import io
import logging
import multiprocessing
import os
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))
SLOWEST = 5
STUCK_S = 240.0  # a module that takes longer says where it is


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


@dataclass(frozen=True)
class Ran:
    """What one module's tests came to."""

    name: str
    passed: int
    failed: int
    says: str
    took: list[tuple[float, str]]


def run_module(name: str) -> Ran:
    """Run one module's tests; what they print is kept for the parent."""
    faulthandler.enable()  # a process that falls says where
    faulthandler.dump_traceback_later(STUCK_S)
    logging.basicConfig(level=logging.ERROR)
    out = io.StringIO()
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    result = unittest.TextTestRunner(out, resultclass=Result, verbosity=1).run(suite)
    faulthandler.cancel_dump_traceback_later()
    assert isinstance(result, Result)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return Ran(name, result.passed, failed, out.getvalue() if failed else "", result.took)


def modules(words: list[str]) -> list[str]:
    """The modules' names; those that drive windows first, for they take longest."""
    names = [
        ".".join(path.relative_to(HERE.parent).with_suffix("").parts)
        for path in sorted(HERE.rglob("test_*.py"))
    ]
    names = [name for name in names if not words or any(word in name for word in words)]
    return sorted(names, key=lambda name: (".ui." not in name, ".coach." not in name, name))


def covered(words: list[str]) -> int:
    """Run everything once more under coverage, and say how much of the code was run."""
    own = [sys.executable, "-m", "coverage"]
    subprocess.run([*own, "erase"], check=True)
    status = subprocess.run([*own, "run", str(Path(__file__)), *words]).returncode
    subprocess.run([*own, "combine", "--quiet"], check=True)
    report = subprocess.run([*own, "report", "--format=total"], capture_output=True, text=True)
    print(f"coverage {report.stdout.strip()} %")
    return status


def run_all(names: list[str]) -> Iterator[Ran]:
    """Run modules beside each other. What a fallen process left is run once more, said aloud."""
    left = list(names)
    for _ in range(2):
        fresh = multiprocessing.get_context("spawn")
        with ProcessPoolExecutor(os.cpu_count() or 1, mp_context=fresh) as pool:
            for done in as_completed([pool.submit(run_module, name) for name in left.copy()]):
                with suppress(BrokenProcessPool):
                    ran = done.result()
                    left.remove(ran.name)
                    print(f"{ran.name}: {ran.passed} passed", flush=True)
                    print(ran.says, end="", flush=True)
                    yield ran
        if not left:
            return
        print(f"A TEST PROCESS FELL, see above; run again: {', '.join(left)}", flush=True)
    yield from (Ran(name, 0, 1, "", []) for name in left)


def main() -> int:
    """Run the tests; 0 where all passed."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--coverage", action="store_true")
    parser.add_argument("words", nargs="*")
    args = parser.parse_args()
    if args.coverage:
        return covered(args.words)
    began = time.monotonic()
    films = tempfile.TemporaryDirectory(prefix="kettle-films-")
    os.environ["KETTLE_TEST_FILMS"] = films.name
    with films:
        ran = list(run_all(modules(args.words)))
    for seconds, name in sorted((t for r in ran for t in r.took), reverse=True)[:SLOWEST]:
        print(f"{seconds:6.1f} s  {name}")
    passed, failed = sum(r.passed for r in ran), sum(r.failed for r in ran)
    print(f"in {time.monotonic() - began:.0f} s")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    from tests import run  # by its own name, so that the other processes know its classes

    sys.exit(run.main())
