"""Print accuracy and speed against known truth.

./kettle bench [--quick] [PART ...]    parts are the modules named in PARTS below
"""

from __future__ import annotations

import argparse
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from benchmarks import (
    access,
    accuracy,
    aside,
    fit,
    front,
    fuzz,
    gym,
    held_out,
    limits,
    lot,
    matrix,
    second,
    speed,
    start,
    trackers,
)  # fmt: skip

PARTS = {
    "accuracy": accuracy, "access": access, "speed": speed, "start": start, "fit": fit,
    "held_out": held_out, "matrix": matrix, "second": second, "front": front, "fuzz": fuzz,
    "trackers": trackers, "limits": limits, "aside": aside, "lot": lot, "gym": gym,
}  # fmt: skip


def pace_ms() -> float:
    """How fast this machine is at the moment: milliseconds must be read against it."""
    began = time.perf_counter()
    total = 0
    for i in range(1_000_000):
        total += i
    return 1000 * (time.perf_counter() - began)


def main() -> int:
    """Run the parts asked for; 1 where something wanted was not reached."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--quick", action="store_true", help="a few films only")
    parser.add_argument("parts", nargs="*", choices=[[], *PARTS])
    args = parser.parse_args()
    print(f"this machine now: {pace_ms():.0f} ms for a million additions in Python")
    missed = 0
    for name in args.parts or PARTS:
        began = time.monotonic()
        rows = PARTS[name].run(args.quick)
        print(f"\n{name} ({time.monotonic() - began:.0f} s)")
        for what, measured, wanted, reached in rows:
            print(f"  {what:<48} {measured:>18}  {wanted:<10} {'' if reached else 'NOT REACHED'}")
            missed += not reached
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())
