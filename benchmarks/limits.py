"""Large, long and fast: memory at 4K, growth with length, the first result, scrubbing."""

from __future__ import annotations

import os
import subprocess
import sys
from fractions import Fraction
from pathlib import Path
from statistics import median
from typing import Any

import av

from benchmarks.films import FOLDER, long_film
from benchmarks.front import CASES, film_of
from benchmarks.speed import ROOT, decode_s

RUNS = 3
REVIEW_SCRIPT = """
import sys, time
from pathlib import Path
from keenkettle.coach.review import Request, review_clip
auto, seen = sys.argv[2] == "auto", []
began = time.perf_counter()
review = review_clip(Request(Path(sys.argv[1]), auto=auto),
                     early=lambda _r: seen.append(time.perf_counter() - began))
took = time.perf_counter() - began
lines = Path("/proc/self/status").read_text().splitlines()
peak = next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) / 1024.0
print(took, seen[0] if seen else took, peak, review.info.frames, len(review.reps))
"""
SCRUB_SCRIPT = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication
from keenkettle.film.clip import Clip
from keenkettle.ui.film.frames import FrameServer
path = Path(sys.argv[1])
app = QApplication(sys.argv)
with Clip(path) as clip:
    count = clip.info.frames
server, got = FrameServer(), []
server.ready.connect(lambda n, _picture: got.append(n))
server.open(path)


def run(seconds, tick):
    loop, timer = QEventLoop(), QTimer()
    timer.timeout.connect(tick)
    timer.start(16)
    QTimer.singleShot(int(1000 * seconds), loop.quit)
    loop.exec()


server.want(0)
run(2.0, lambda: None)
got.clear()
began = time.perf_counter()
# A hand draws the film there and back, once in four seconds.
def hand():
    share = (time.perf_counter() - began) / 4.0 % 1.0
    n = int((2 * share if share < 0.5 else 2 - 2 * share) * (count - 1))
    if server.want(n) is not None or server.small(n) is not None:
        got.append(n)
run(8.0, hand)
print(sum(a != b for a, b in zip(got, got[1:])) / 8.0)
server.close()
"""


def _run(script: str, path: Path, *words: str) -> list[float]:
    done = subprocess.run(
        [sys.executable, "-c", script, str(path), *words],
        capture_output=True, text=True, check=True, cwd=ROOT,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    return [float(x) for x in done.stdout.strip().splitlines()[-1].split()]


def repeated(source: Path, times: int) -> Path:
    """The same film several times over, its packets copied, for length without much work."""
    out = FOLDER / f"{source.stem}-x{times}.mp4"
    if out.exists():
        return out
    part = out.with_suffix(".part.mp4")
    with av.open(str(part), "w") as box:
        stream: Any = None
        for n in range(times):
            with av.open(str(source)) as one:
                given = one.streams.video[0]
                if stream is None:
                    stream = box.add_stream_from_template(given)
                step = Fraction(given.frames, 1) / given.average_rate / given.time_base
                for packet in one.demux(given):
                    if packet.dts is None:
                        continue
                    packet.pts += round(n * step)
                    packet.dts += round(n * step)
                    packet.stream = stream
                    box.mux(packet)
    part.replace(out)
    return out


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    six = long_film("hd60-6s", 1920, 1080, 60, 2.0 if quick else 6.0, 16.0)
    small = long_film("sd60", 1280, 720, 60, 2.0 if quick else 6.0, 4.0)
    took, first, auto_mb, frames, _ = _run(REVIEW_SCRIPT, six, "auto")
    (scrub,) = _run(SCRUB_SCRIPT, six)
    ratios = []
    for _ in range(RUNS):  # side by side, as the machine's pace changes
        bar_s, _, short_mb, _, short_reps = _run(REVIEW_SCRIPT, six, "bar")
        ratios.append(bar_s / decode_s(six))
    ratio = median(ratios)
    rows = [
        ("first result, 6 s at 1080p60", f"{first:.1f} s", "<= 3 s", first <= 3.0),
        (
            "with automatic joints, a frame", f"{1000 * took / frames:.0f} ms", "<= 40 ms",
            took <= 0.04 * frames,
        ),
        ("scrubbing at 1080p shows", f"{scrub:.0f} a second", ">= 30", scrub >= 30),
    ]  # fmt: skip
    rows.append(("bar only / plain decode, 1080p60", f"{ratio:.2f}", "<= 1.5", ratio <= 1.5))
    plain_small, (small_s, *_) = decode_s(small), _run(REVIEW_SCRIPT, small, "bar")
    ratio = small_s / plain_small
    rows.append(("bar only / plain decode, 720p60 4 Mbit/s", f"{ratio:.2f}", "<= 3", ratio <= 3))
    if quick:
        return rows
    minute = repeated(six, 10)
    long_s, _, long_mb, _, reps = _run(REVIEW_SCRIPT, minute, "bar")
    growth, ratio = long_s / bar_s, long_s / decode_s(minute)
    _, _, front_mb, _, _ = _run(REVIEW_SCRIPT, film_of(CASES[-1])[0], "auto")
    rows += [
        ("bar only / plain decode, a minute of it", f"{ratio:.2f}", "<= 1.5", ratio <= 1.5),
        ("ten times the length takes", f"{growth:.1f} times", "<= 10.5", growth <= 10.5),
        ("  reps found in it", f"{reps:.0f}", f"{10 * short_reps:.0f}", reps == 10 * short_reps),
        ("  peak memory, short and long", f"{short_mb:.0f}, {long_mb:.0f} MB", "<= 700 MB",
         max(short_mb, long_mb) <= 700),
        ("  with joints; from the front at 720p", f"{auto_mb:.0f}, {front_mb:.0f} MB", "<= 700 MB",
         max(auto_mb, front_mb) <= 700),
    ]  # fmt: skip
    huge = long_film("uhd30", 3840, 2160, 30, 6.0, 45.0)
    _, _, peak, _, _ = _run(REVIEW_SCRIPT, huge, "auto")
    rows.append(("peak memory at 4K, joints too", f"{peak:.0f} MB", "<= 1200 MB", peak <= 1200))
    return rows
