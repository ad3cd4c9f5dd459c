"""Tape dots on the joints, found by themselves near where the joints roughly are.

A dot is a small spot that differs from the skin or cloth around it, in grey or in colour: the
strongest blob (scale-normalised Laplacian of Gaussian, Lindeberg 1998) of a dot's size within
reach of the rough joint. Each joint's dot sits off the rough joint by much the same all film
long, which tells it from its neighbours.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from keenkettle.film.clip import Clip
from keenkettle.film.planes import Gray
from keenkettle.film.plausible import Marks
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import BarTrack, JointTrack

SIZES_MM = (12.0, 18.0, 26.0)  # radii of tape dots
REACH_MM, NEAR_MM = 70.0, 28.0  # from the rough joint: at first, and once the offset is known
LEAST_RESPONSE = 14.0  # grey levels; weaker spots are folds and noise
SHARE_OF_USUAL = 0.45  # a joint's dot keeps its contrast to within this
COVER = 1.04  # nothing nearer to the disc's middle than this, in radii, is a dot on a joint
COLOUR_GAIN = 1.5
UPPER_ARM = 0.48  # of shoulder to grip: Winter (2009)
LEAST_FOUND = 12  # frames on which a dot must be seen to be believed

Peak = tuple[float, float, float]


def find_dots(
    clip: Clip,
    rough: dict[str, JointTrack],
    bar: BarTrack,
    plate_px: float,
    progress: Callable[[int, int], None] | None = None,
) -> Marks:
    """Dots by joint and frame, pixels; joints without a dot are left out.

    Args:
        clip: the film.
        rough: where the joints roughly are.
        bar: the bar end's track.
        plate_px: disc diameter, pixels.
        progress: called with frames done and all.
    """
    mm = plate_px / 450.0
    rough = _with_long_arm(rough, bar)
    peaks: dict[str, dict[int, list[Peak]]] = {name: {} for name in rough}
    for number, planes in clip.all_planes():
        if progress:
            progress(number + 1, clip.info.frames)
        if planes is None:
            continue
        for name, track in rough.items():
            at = track.xy_px[number]
            if np.isfinite(at).all():
                found = _spots(planes, at, REACH_MM * mm, mm)
                away = [np.hypot(*(np.array(p[:2]) - bar.xy_px[number])) for p in found]
                peaks[name][number] = [
                    p for p, d in zip(found, away, strict=True) if d > COVER * plate_px / 2.0
                ]
    offsets = {name: _offset(rough[name], by, mm) for name, by in peaks.items()}
    return _assign(peaks, rough, offsets, mm)


def _with_long_arm(rough: dict[str, JointTrack], bar: BarTrack) -> dict[str, JointTrack]:
    """The elbow where a long arm has it, on the line from shoulder to bar: nets are poor at it."""
    if "shoulder" not in rough or "elbow" not in rough:
        return rough
    shoulder = rough["shoulder"].xy_px
    elbow = shoulder + UPPER_ARM * (bar.xy_px - shoulder)
    return rough | {"elbow": JointTrack(elbow, rough["elbow"].sigma_px)}


def _spots(planes: tuple[Gray, ...], at: FloatArray, reach: float, mm: float) -> list[Peak]:
    """The strongest blobs near a point: x, y and response, the strongest first."""
    margin = int(reach + 3.0 * max(SIZES_MM) * mm) + 2
    x0, y0 = int(at[0]) - margin, int(at[1]) - margin
    best: FloatArray | None = None
    for k, plane in enumerate(planes):
        h, w = plane.shape
        a, b, c, d = max(y0, 0), min(y0 + 2 * margin, h), max(x0, 0), min(x0 + 2 * margin, w)
        if b - a < 8 or d - c < 8:
            return []
        part = plane[a:b, c:d].astype(np.float32)
        for size in SIZES_MM:
            sigma = max(size * mm / np.sqrt(2.0), 0.8)
            wide = cv2.GaussianBlur(part, (0, 0), 1.6 * sigma)
            found = np.abs(cv2.GaussianBlur(part, (0, 0), sigma) - wide)
            found = found * (1.0 if k == 0 else COLOUR_GAIN)
            best = found if best is None else np.maximum(best, found)
    assert best is not None
    top = cv2.dilate(best, np.ones((5, 5)))
    ys, xs = np.nonzero((best >= top) & (best >= LEAST_RESPONSE / 2.0))
    out = []
    for y, x in zip(ys.tolist(), xs.tolist(), strict=True):
        px, py = _subpixel(best, x, y)
        if np.hypot(px + c - at[0], py + a - at[1]) <= reach:
            out.append((px + c, py + a, 2.0 * float(best[y, x])))
    return sorted((p for p in out if p[2] >= LEAST_RESPONSE), key=lambda p: -p[2])[:8]


def _subpixel(field: FloatArray, x: int, y: int) -> tuple[float, float]:
    """The top of a peak between pixels, by a parabola each way."""
    h, w = field.shape
    if not (0 < x < w - 1 and 0 < y < h - 1):
        return float(x), float(y)

    def shift(a: float, b: float, c: float) -> float:
        bend = a - 2.0 * b + c
        return float(np.clip(0.5 * (a - c) / bend, -0.5, 0.5)) if bend < 0 else 0.0

    return (
        x + shift(field[y, x - 1], field[y, x], field[y, x + 1]),
        y + shift(field[y - 1, x], field[y, x], field[y + 1, x]),
    )


def _offset(track: JointTrack, by: dict[int, list[Peak]], mm: float) -> FloatArray | None:
    """Where the dot sits against the rough joint: the place where most strong spots agree."""
    rows = [
        (p[0] - track.xy_px[n, 0], p[1] - track.xy_px[n, 1], p[2])
        for n, found in by.items()
        for p in found[:3]
    ]
    if len(rows) < LEAST_FOUND:
        return None
    d = np.array(rows)
    near = np.linalg.norm(d[:, None, :2] - d[None, :, :2], axis=-1) < 0.6 * NEAR_MM * mm
    votes = near @ d[:, 2]
    k = int(np.argmax(votes))
    return np.asarray(np.average(d[near[k], :2], axis=0, weights=d[near[k], 2]))


def _assign(
    peaks: dict[str, dict[int, list[Peak]]],
    rough: dict[str, JointTrack],
    offsets: dict[str, FloatArray | None],
    mm: float,
) -> Marks:
    """One spot to one joint on each frame, the surest first."""
    usual = {
        name: float(np.median([f[0][2] for f in by.values() if f] or [0.0]))
        for name, by in peaks.items()
    }
    marks: Marks = {}
    for number in sorted({n for by in peaks.values() for n in by}):
        choices = []
        for name, offset in offsets.items():
            if offset is None:
                continue
            want = rough[name].xy_px[number] + offset
            for x, y, strength in peaks[name].get(number, []):
                off = float(np.hypot(x - want[0], y - want[1])) / (NEAR_MM * mm)
                if off <= 1.0 and strength >= SHARE_OF_USUAL * usual[name]:
                    choices.append((strength * (1.0 - 0.5 * off), name, x, y))
        taken: list[tuple[float, float]] = []
        for _, name, x, y in sorted(choices, reverse=True):
            free = all(np.hypot(x - a, y - b) > 3.0 for a, b in taken)
            if free and number not in marks.get(name, {}):
                marks.setdefault(name, {})[number] = (x, y)
                taken.append((x, y))
    return {name: at for name, at in marks.items() if len(at) >= LEAST_FOUND}
