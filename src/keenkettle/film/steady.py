"""How a camera held by hand moves, by the room behind the athlete.

Corners of the room are followed from one picture to others (pyramidal Lucas-Kanade: Bouguet
2001); most of them agree on a shift, and those on the athlete and the bar do not. A camera on a
stand is looked at more seldom and left alone.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import cv2
import numpy as np

from keenkettle.film.clip import Gray
from keenkettle.measure.geometry import FloatArray

WIDTH_PX = 480  # pictures are looked at so small
MOVING_HZ, RESTING_HZ = 20.0, 4.0  # looks a second where the camera moves, and where it rests
POINTS, LEAST_POINTS, APART_PX = 160, 24, 9.0
AGREE_PX, MOST_DIFFER = 0.6, 0.5  # small pixels; share of corners that may go other ways
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
            if number % (self._every if moving else self._seldom) == 0:
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
        out = np.stack([np.interp(every, known, shifts[:, i]) for i in (0, 1)], -1)
        return np.asarray((out - out[0]) / self._scale)

    def _look(self, number: int, luma: Gray) -> None:
        self._scale = min(1.0, WIDTH_PX / luma.shape[1])
        size = (round(luma.shape[1] * self._scale), round(luma.shape[0] * self._scale))
        small = np.asarray(cv2.resize(luma, size, interpolation=cv2.INTER_AREA), np.uint8)
        if self._reference is None:
            self._take(small, np.zeros(2))
            self._shifts[number] = np.zeros(2)
            return
        picture, points, base = self._reference
        start = (points + (self._last - base)).astype(np.float32)
        found, ok, _ = cv2.calcOpticalFlowPyrLK(
            picture, small, points, start, winSize=WINDOW_PX, maxLevel=LEVELS,
            flags=cv2.OPTFLOW_USE_INITIAL_FLOW,
        )  # fmt: skip
        moved = (found - points).reshape(-1, 2)[ok.ravel() == 1]
        shift = _common(moved) if len(moved) >= LEAST_POINTS else None
        if shift is None:
            self._take(small, self._last)  # another scene, or nothing to hold on to
            return
        now = base + shift
        if float(np.abs(now - self._last).max()) > NOTICED_PX:
            self._moving_until = number
        self._last = self._shifts[number] = now
        if len(moved) < LEFT * len(points):
            self._take(small, now)

    def _take(self, small: Gray, shift: FloatArray) -> None:
        points = cv2.goodFeaturesToTrack(small, POINTS, 0.01, APART_PX)
        if points is not None and len(points) >= LEAST_POINTS:
            self._reference = (small, np.asarray(points, np.float32), shift)


def _common(moved: FloatArray) -> FloatArray | None:
    """The shift that most of the corners (K, 2) agree on; None where they do not."""
    centre = np.median(moved, axis=0)
    for _ in range(3):
        near = np.linalg.norm(moved - centre, axis=1) < AGREE_PX * 2.0
        if near.mean() < 1.0 - MOST_DIFFER:
            return None
        centre = moved[near].mean(axis=0)
    return np.asarray(centre, float)
