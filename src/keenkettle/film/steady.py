"""How a camera held by hand moves, by the room behind the athlete.

Corners of the room are followed from one picture to others (pyramidal Lucas-Kanade: Bouguet
2001); most of them agree on a shift, and those on the athlete and the bar do not. A camera on a
stand is looked at more seldom and left alone.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import Akima1DInterpolator

from keenkettle.film.clip import Gray
from keenkettle.film.footage import Look
from keenkettle.film.plausible import Marks
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JointTrack

WIDTH_PX = 480  # pictures are looked at so small
MOVING_HZ, RESTING_HZ = 30.0, 4.0  # looks a second where the camera moves, and where it rests
CELLS = (4, 6)  # rows and columns that corners are taken from, alike
IN_CELL, LEAST_IN_CELL, APART_PX = 8, 3, 6.0
LEAST_CELLS, LEAST_COLUMNS, LEAST_CORNER = 7, 4, 2e-4  # with corners; so clear a corner is no noise
AGREE_PX, AGREE_SHARE = 0.6, 0.6  # small pixels; share of cells that must go the same way
BLIND = 4  # times as seldom where there was nothing to hold on to
LEFT = 0.5  # share of a picture's corners that must still be seen, or others are taken
NOTICED_PX = 0.35  # small pixels: less is noise
MOVED_PX = 1.0  # the whole film, small pixels: less is a camera on a stand
WINDOW_PX, LEVELS = (15, 15), 3


class SteadyWatch:
    """Looks on while frames go by, forward or backward."""

    def __init__(self, fps: float) -> None:
        self._every = max(round(fps / MOVING_HZ), 1)
        self._seldom = max(round(fps / RESTING_HZ), 1)
        self._shifts: dict[int, FloatArray] = {}
        self._reference: tuple[Gray, FloatArray, FloatArray] | None = None
        self._last: FloatArray = np.zeros(2)
        self._scale = 1.0
        self._moving_until = 0

    def watch(self, frames: Iterable[tuple[int, Gray, Gray]]) -> Iterator[tuple[int, Gray, Gray]]:
        """The same frames, looked at on the way: number, luma and tone of shape (height, width)."""
        for number, luma, tone in frames:
            moving = abs(number - self._moving_until) <= self._seldom
            step = self._every if moving else self._seldom
            if number % (step if self._reference or not self._shifts else BLIND * step) == 0:
                self._look(number, luma)
            yield number, luma, tone

    def drift(self, frames: int) -> FloatArray | None:
        """Shift of the room on each picture, shape (N, 2), pixels; None where it keeps its place.

        It is 0 at first.
        """
        if len(self._shifts) < 2:
            return None
        known = np.array(sorted(self._shifts))
        shifts = np.array([self._shifts[int(n)] for n in known])
        if float(np.ptp(shifts, axis=0).max()) < MOVED_PX:
            return None
        every = np.arange(frames)
        within = np.clip(every, known[0], known[-1])
        out = Akima1DInterpolator(known, shifts, method="makima")(within)
        return np.asarray((out - out[0]) / self._scale)

    def _look(self, number: int, luma: Gray) -> None:
        self._scale = min(1.0, WIDTH_PX / luma.shape[1])
        size = (round(luma.shape[1] * self._scale), round(luma.shape[0] * self._scale))
        small = np.asarray(cv2.resize(luma, size, interpolation=cv2.INTER_AREA), np.uint8)
        if self._reference is not None and self._reference[0].shape != small.shape:
            self._reference = None  # the film goes on in another size
        if self._reference is None:
            self._take(small, self._last)
            self._shifts.setdefault(number, self._last)
            return
        picture, points, base = self._reference
        start = (points + (self._last - base)).astype(np.float32)
        found, ok, _ = cv2.calcOpticalFlowPyrLK(
            picture, small, points, start, winSize=WINDOW_PX, maxLevel=LEVELS,
            flags=cv2.OPTFLOW_USE_INITIAL_FLOW,
        )  # fmt: skip
        ok = ok.ravel() == 1
        shift = _common((found - points).reshape(-1, 2)[ok], self._cells(points[ok], small))
        if shift is None:
            self._reference = None  # another scene, or nothing to hold on to
            return
        now = base + shift
        if float(np.abs(now - self._last).max()) > NOTICED_PX:
            self._moving_until = number
        self._last = self._shifts[number] = now
        if ok.sum() < LEFT * len(points):
            self._take(small, now)

    def _take(self, small: Gray, shift: FloatArray) -> None:
        rows, columns = (np.linspace(0, n, k + 1).astype(int) for n, k in
                         zip(small.shape, CELLS, strict=True))  # fmt: skip
        found = []
        for top, below in pairwise(rows):
            for left, right in pairwise(columns):
                part = small[top:below, left:right]
                clear = np.asarray(cv2.cornerMinEigenVal(part, 5) > LEAST_CORNER, np.uint8)
                if not clear.any():
                    continue
                points = cv2.goodFeaturesToTrack(part, IN_CELL, 0.05, APART_PX, mask=clear)
                if points is not None and len(points) >= LEAST_IN_CELL:
                    found.append(np.asarray(points, float) + np.array([left, top]))
        self._reference = None
        if len(found) >= LEAST_CELLS:
            self._reference = (small, np.concatenate(found).astype(np.float32), shift)

    @staticmethod
    def _cells(points: FloatArray, small: Gray) -> NDArray[np.int64]:
        """Row and column of the cell that each corner (K, 1, 2) lies in, shape (K, 2)."""
        share = points.reshape(-1, 2)[:, ::-1] / np.array(small.shape)
        return np.asarray(share * CELLS, np.int64)


def _common(moved: FloatArray, cells: NDArray[np.int64]) -> FloatArray | None:
    """The shift that most parts of the picture agree on; None where they do not.

    Args:
        moved: shifts of the corners, shape (K, 2).
        cells: row and column of the part that each lies in, shape (K, 2).
    """
    own = {tuple(c): moved[(cells == c).all(axis=1)] for c in np.unique(cells, axis=0)}
    middling = {c: np.median(m, axis=0) for c, m in own.items() if len(m) >= LEAST_IN_CELL}
    if len(middling) < LEAST_CELLS:
        return None
    shifts = np.array(list(middling.values()))
    near = np.linalg.norm(shifts - np.median(shifts, axis=0), axis=1) < 2.0 * AGREE_PX
    columns = {c[1] for c, agrees in zip(middling, near, strict=True) if agrees}
    if near.mean() < AGREE_SHARE or len(columns) < LEAST_COLUMNS:
        return None
    return np.asarray(shifts[near].mean(axis=0), float)


def look_against_room(look: Look, drift_px: FloatArray) -> Look:
    """What the nets saw as a camera that does not move would show it; ``drift_px`` (N, 2)."""
    shift = drift_px[look.frames]
    outlines = [
        replace(o, matrix=o.matrix - np.column_stack([np.zeros((2, 2)), d]))
        for o, d in zip(look.outlines, shift, strict=True)
    ]
    return replace(look, xy=look.xy - shift[:, None], outlines=outlines)


def marks_against_room(marks: Marks, drift_px: FloatArray) -> Marks:
    """A coach's marks likewise."""
    return {
        name: {
            n: (x - float(drift_px[n, 0]), y - float(drift_px[n, 1])) for n, (x, y) in of.items()
        }
        for name, of in marks.items()
    }


def moved_by(tracks: dict[str, JointTrack], shift_px: FloatArray) -> dict[str, JointTrack]:
    """Tracks with every frame moved by (N, 2) pixels."""
    return {name: replace(t, xy_px=t.xy_px + shift_px) for name, t in tracks.items()}
