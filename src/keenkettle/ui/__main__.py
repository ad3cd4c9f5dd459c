"""Open the window:  python -m keenkettle.ui [--demo] [--data FOLDER]"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from keenkettle.ui.start import run_app

if __name__ == "__main__":
    parser = argparse.ArgumentParser(prog="keenkettle.ui")
    parser.add_argument("--demo", action="store_true", help="with the demo club")
    parser.add_argument("--data", type=Path, help="another data folder")
    args = parser.parse_args()
    sys.exit(run_app(demo=args.demo, data=args.data))
