"""The bar's end by our own follower and by OpenCV's general trackers, on the same films.

The general ones are told where the disc is on the first frame (truth); ours finds it.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.films import Film, make, make_all
from benchmarks.held_out import matrix
from keenkettle.coach.bar import track_bar
from keenkettle.coach.reviewed import Request
from keenkettle.film.clip import Clip
from keenkettle.measure.geometry import FloatArray

NAMES = ("held-clean", "held-snatch", "held-ps-short", "held-pc-crash", "held-ps-loop")
Gray = NDArray[np.uint8]
Start = tuple[float, float, float]  # centre and radius, pixels


def _box(start: Start) -> tuple[int, int, int, int]:
    x, y, r = start
    return round(x - r), round(y - r), round(2 * r), round(2 * r)


def by_mil(pictures: Iterator[NDArray[np.uint8]], start: Start) -> FloatArray:
    """OpenCV's MIL tracker: the middle of its box."""
    tracker: Any = cv2.TrackerMIL.create()
    out = []
    for i, picture in enumerate(pictures):
        if i == 0:
            tracker.init(picture, _box(start))
            out.append(start[:2])
            continue
        ok, (x, y, w, h) = tracker.update(picture)
        out.append((x + w / 2, y + h / 2) if ok else out[-1])
    return np.array(out)


def by_flow(pictures: Iterator[NDArray[np.uint8]], start: Start) -> FloatArray:
    """Pyramidal Lucas-Kanade on corners of the disc, moved by their median."""
    out = [np.array(start[:2])]
    before: Gray | None = None
    points = np.zeros((0, 1, 2), np.float32)
    for picture in pictures:
        gray = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.uint8)
        if before is not None and len(points):
            moved, found, _ = cv2.calcOpticalFlowPyrLK(before, gray, points, None)
            kept = found.ravel() == 1
            step = np.median((moved - points)[kept], axis=0).ravel() if kept.any() else np.zeros(2)
            out.append(out[-1] + step)
        elif before is not None:
            out.append(out[-1])
        mask = np.zeros_like(gray)
        cv2.circle(mask, (round(out[-1][0]), round(out[-1][1])), round(start[2]), 255, -1)
        corners = cv2.goodFeaturesToTrack(gray, 40, 0.01, 5, mask=mask)
        points = corners if corners is not None else np.zeros((0, 1, 2), np.float32)
        before = gray
    return np.array(out)


def by_template(pictures: Iterator[NDArray[np.uint8]], start: Start) -> FloatArray:
    """The first frame's disc found again by normalised correlation near where it was."""
    template: Gray | None = None
    out = [np.array(start[:2])]
    x, y, w, h = _box(start)
    for i, picture in enumerate(pictures):
        gray = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.uint8)
        if template is None:
            template = gray[max(y, 0) : y + h, max(x, 0) : x + w]
            continue
        assert i > 0
        cx, cy = out[-1]
        x0, y0 = max(round(cx - 1.6 * w), 0), max(round(cy - 1.6 * h), 0)
        part = gray[y0 : round(cy + 1.6 * h), x0 : round(cx + 1.6 * w)]
        if part.shape[0] < template.shape[0] or part.shape[1] < template.shape[1]:
            out.append(out[-1])
            continue
        _, _, _, at = cv2.minMaxLoc(cv2.matchTemplate(part, template, cv2.TM_CCOEFF_NORMED))
        out.append(np.array([x0 + at[0] + (w - 1) / 2, y0 + at[1] + (h - 1) / 2]))
    return np.array(out)


OTHERS: dict[str, Callable[[Iterator[NDArray[np.uint8]], Start], FloatArray]] = {
    "OpenCV MIL": by_mil, "OpenCV Lucas-Kanade": by_flow, "OpenCV template": by_template,
}  # fmt: skip


def _ours(film: Film, truth: dict[str, Any]) -> tuple[FloatArray, float]:
    clip_path, _ = make(film)
    began = time.perf_counter()
    with Clip(clip_path) as clip:
        found = track_bar(clip, Request(clip_path), lambda *_: None)
    return found.bar.xy_px, (time.perf_counter() - began) / len(truth["frames"])


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    films = [f for f in matrix(False) if f.name in NAMES[: 2 if quick else len(NAMES)]]
    make_all(films)
    errors: dict[str, list[float]] = {"ours": [], **{name: [] for name in OTHERS}}
    spent: dict[str, list[float]] = {name: [] for name in errors}
    for film in films:
        path, truth = make(film)
        true = np.array([f["bar_px"] for f in truth["frames"]])
        mm = truth["mm_per_px"]
        xy, each = _ours(film, truth)
        errors["ours"] += list(np.hypot(*(xy - true).T) * mm)
        spent["ours"].append(each)
        for name, follow in OTHERS.items():
            with Clip(path) as clip:
                start = (float(true[0, 0]), float(true[0, 1]), truth["plate_px"] / 2)
                began = time.perf_counter()
                pictures = (rgb for _, rgb in clip.rgbs(list(range(clip.info.frames))))
                xy = follow(pictures, start)
                spent[name].append((time.perf_counter() - began) / len(true))
            errors[name] += list(np.hypot(*(xy - true).T) * mm)
    best = min(float(np.median(errors[n])) for n in OTHERS)
    fastest = min(float(np.mean(spent[n])) for n in OTHERS)
    rows = []
    for name, values in errors.items():
        median, p95 = np.percentile(values, [50, 95])
        ms = 1000 * float(np.mean(spent[name]))
        fine = name != "ours" or (median <= best and ms <= 1000 * fastest)
        wanted = f"<= {best:.1f}, {1000 * fastest:.1f}" if name == "ours" else ""
        rows.append(
            (f"{name}: median, 95 %, time a frame", f"{median:.1f} {p95:.0f} mm {ms:.1f} ms",
             wanted, fine)
        )  # fmt: skip
    return rows
