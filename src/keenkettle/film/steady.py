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

from keenkettle.film.footage import Look
from keenkettle.film.planes import Gray
from keenkettle.film.plausible import Marks
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JointTrack

WIDTH_PX = 480  # pictures are looked at so small
MOVING_HZ, RESTING_HZ = 30.0, 4.0  # looks a second where the camera moves, and where it rests
CELLS = (4, 6)  # rows and columns that corners are taken from, alike
IN_CELL, LEAST_IN_CELL, APART_PX = 8, 3, 6.0
LEAST_CELLS, LEAST_COLUMNS = 5, 3  # with corners
LEAST_CORNER, NOISE_TIMES = 2e-5, 8.0  # so clear a corner is no noise; times the middling place
AGREE_PX, AGREE_SHARE = 0.6, 0.4  # small pixels; share of cells that must go the same way
BLIND = 4  # times as seldom where there was nothing to hold on to
LEFT = 0.5  # share of a picture's corners that must still be seen, or others are taken
NOTICED_PX = 0.35  # small pixels: less is noise
MOVED_PX = 1.0  # the whole film, small pixels: less is a camera on a stand
BLUR_PX = 1.0  # against noise, that has corners as well
PATIENT = 60  # looks that do not agree, before other corners are taken
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
        self._lost = 0

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
        reduced = cv2.resize(luma, size, interpolation=cv2.INTER_AREA)
        small = np.asarray(cv2.GaussianBlur(reduced, (0, 0), BLUR_PX), np.uint8)
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
            # A moment's blur, or somebody who passes; what was taken anew then would not know how
            # far the camera had gone meanwhile.
            self._lost += 1
            if self._lost > PATIENT:
                self._reference = None  # another scene, or nothing to hold on to
            return
        self._lost = 0
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
        corner = cv2.cornerMinEigenVal(small, 5)
        least = max(LEAST_CORNER, NOISE_TIMES * float(np.median(corner)))
        for top, below in pairwise(rows):
            for left, right in pairwise(columns):
                part = small[top:below, left:right]
                clear = np.asarray(corner[top:below, left:right] > least, np.uint8)
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
    """The shift that corners in most parts of the picture agree on; None where they do not.

    Corners of noise and limbs go here and there; those of the room go one way.

    Args:
        moved: shifts of the corners, shape (K, 2).
        cells: row and column of the part that each lies in, shape (K, 2).
    """
    if len(moved) == 0:
        return None
    _, part, count = np.unique(cells, axis=0, return_inverse=True, return_counts=True)
    part = part.reshape(-1)
    alike = np.linalg.norm(moved[:, None] - moved[None], axis=-1) < AGREE_PX
    near = alike[int(np.argmax(alike @ (1.0 / count[part])))]
    agree = np.bincount(part[near], minlength=len(count)) >= LEAST_IN_CELL
    columns = np.unique(cells[agree[part], 1])
    if agree.sum() < max(LEAST_CELLS, AGREE_SHARE * len(count)) or len(columns) < LEAST_COLUMNS:
        return None
    own = [moved[near & (part == k)].mean(axis=0) for k in np.flatnonzero(agree)]
    return np.asarray(np.mean(own, axis=0), float)


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
