"""Damaged files: thousands of corruptions of good clips must neither crash nor hang a reader.

Each is opened, indexed and read at its beginning, middle and end in a helper process, as the
window does. A helper that falls over or is silent for long counts against us only if the parent
does not say so in a sentence and go on.
"""

from __future__ import annotations

import os
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.films import FOLDER
from keenkettle.film.apart import ClipApart, Helper
from keenkettle.film.clip import ClipError

KINDS = (("mp4", "libx264"), ("mov", "libx264"), ("mkv", "libvpx-vp9"), ("avi", "mjpeg"),
         ("mp4", "libx265"), ("mkv", "libsvtav1"))  # fmt: skip
FRAMES, SIZE = 24, (160, 96)
FULL, QUICK = 10_000, 300
HANGS_S = 10.0


@dataclass
class Count:
    """What became of the corrupted files."""

    read: int = 0
    refused: int = 0
    falls: int = 0
    slow: int = 0
    strange: list[str] = field(default_factory=list)


def good_clips() -> list[bytes]:
    """One small clip in each container and codec that can be written here."""
    FOLDER.mkdir(exist_ok=True)
    out = []
    for suffix, codec in KINDS:
        path = FOLDER / f"small-{codec}.{suffix}"
        if not path.exists():
            try:
                _write(path, codec)
            except (av.error.FFmpegError, ValueError):
                path.unlink(missing_ok=True)
                continue
        out.append(path.read_bytes())
    return out


def _write(path: Path, codec: str) -> None:
    w, h = SIZE
    with av.open(str(path), "w") as box:
        stream: Any = box.add_stream(codec, rate=30)
        stream.width, stream.height = w, h
        stream.pix_fmt = "yuvj420p" if codec == "mjpeg" else "yuv420p"
        stream.codec_context.gop_size = 12
        for i in range(FRAMES):
            picture = np.full((h, w, 3), 90, np.uint8)
            cv2.circle(picture, (20 + 4 * i, 50), 18, (200, 60, 40), -1)
            box.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        box.mux(stream.encode())


def corrupt(data: bytes, rng: np.random.Generator) -> bytes:
    """One of: bytes changed, a part cut out, doubled, zeroed, or the end missing."""
    raw: NDArray[np.uint8] = np.frombuffer(data, np.uint8).copy()
    kind, n = int(rng.integers(5)), len(raw)
    a = int(rng.integers(n))
    b = min(a + int(rng.integers(1, max(n // 6, 2))), n)
    if kind == 0:
        at = rng.integers(0, n, int(rng.integers(1, 40)))
        raw[at] = rng.integers(0, 256, len(at))
    elif kind == 1:
        raw = np.concatenate([raw[:a], raw[b:]])
    elif kind == 2:
        raw = np.concatenate([raw[:b], raw[a:b], raw[b:]])
    elif kind == 3:
        raw[a:b] = 0
    else:
        raw = raw[: max(a, 1)]
    return raw.tobytes()


def _lane(lane: int, lanes: int, count: int, clips: list[bytes], folder: Path) -> Count:
    got, helper = Count(), Helper()
    path = folder / f"clip-{lane}.bin"
    for i in range(lane, count, lanes):
        rng = np.random.default_rng(i)
        path.write_bytes(corrupt(clips[i % len(clips)], rng))
        began, before = time.monotonic(), helper.started
        try:
            clip = ClipApart(path, helper)
            for n in (0, clip.info.frames // 2, clip.info.frames - 1):
                clip.rgb(n)
            clip.close()
            got.read += 1
        except ClipError:
            got.refused += 1
        except (ValueError, OSError, RuntimeError, LookupError, TypeError, AssertionError) as err:
            got.strange.append(f"file {i}: {type(err).__name__}: {err}")
        got.falls += (helper.started != before) or not helper.alive
        got.slow += time.monotonic() - began > HANGS_S
    helper.end()
    return got


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    clips, count, lanes = good_clips(), QUICK if quick else FULL, os.cpu_count() or 1
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(lanes) as pool:
        each = [pool.submit(_lane, k, lanes, count, clips, Path(folder)) for k in range(lanes)]
        done = [e.result() for e in each]
    strange = [s for d in done for s in d.strange]
    rows = [
        (f"damaged files of {len(clips)} kinds survived", f"{count - len(strange)} of {count}",
         "all", not strange),
        ("  shown all the same", f"{sum(d.read for d in done)}", "", True),
        ("  refused in a sentence", f"{sum(d.refused for d in done)}", "", True),
        ("  brought the decoder's process down", f"{sum(d.falls for d in done)}", "", True),
        (f"  took longer than {HANGS_S:.0f} s", f"{sum(d.slow for d in done)}", "none",
         not sum(d.slow for d in done)),
    ]  # fmt: skip
    return rows + [(f"  {s}", "", "", True) for s in strange[:5]]
