"""Where a film is cut: the whole picture becomes another from one frame to the next, goes on in
another size, or shows the same room with the bar elsewhere at once.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Iterator
from statistics import median

import cv2
import numpy as np

from keenkettle.film.planes import Gray
from keenkettle.measure.geometry import BoolArray, FloatArray

SMALL = (32, 18)
SKIP = 16, 8  # rows and columns: one in so many is looked at
LEAST_GREYS = 14.0  # mean change of the small picture; a lifter who moves makes 1 to 4
OVER_USUAL = 6.0  # times the middling change of the frames before
USUAL_FRAMES = 15
FASTEST_R_S = 53.0  # radii a second, 12 m/s: twice as fast as a bar that is dropped from overhead


class CutWatch:
    """Looks on while frames go by, forward or backward; ``cuts`` are the first frames after, and
    ``resized`` is the first frame of another size, with its width and height.
    """

    def __init__(self, backward: bool = False) -> None:
        self.cuts: list[int] = []
        self.resized: tuple[int, int, int] | None = None
        self._shape: tuple[int, ...] | None = None
        self._backward = backward
        self._last: FloatArray | None = None
        self._usual: deque[float] = deque(maxlen=USUAL_FRAMES)

    def watch(self, frames: Iterable[tuple[int, Gray, Gray]]) -> Iterator[tuple[int, Gray, Gray]]:
        """The same frames, looked at on the way: number, luma and tone of shape (height, width)."""
        for number, luma, tone in frames:
            self._shape = self._shape or luma.shape
            if luma.shape != self._shape and self.resized is None:
                self.resized = number, luma.shape[1], luma.shape[0]
            self._look(number, luma)
            yield number, luma, tone

    def _look(self, number: int, luma: Gray) -> None:
        thin = np.ascontiguousarray(luma[:: SKIP[0], :: SKIP[1]])
        small = cv2.resize(thin, SMALL, interpolation=cv2.INTER_AREA).astype(float)
        if self._last is not None:
            change = float(np.abs(small - self._last).mean())
            usual = median(self._usual) if self._usual else 0.0
            if change > max(LEAST_GREYS, OVER_USUAL * usual):
                self.cuts.append(number + 1 if self._backward else number)
            else:
                self._usual.append(change)
        self._last = small


def jumps(xy: FloatArray, seen: BoolArray, t_s: FloatArray, radius_px: float) -> list[int]:
    """First frames after the bar was elsewhere at once: a film that was cut in the same room.

    Args:
        xy: the bar's end, shape (N, 2), pixels.
        seen: where it was seen, shape (N,).
        t_s: shape (N,), seconds.
        radius_px: of the disc.
    """
    step = np.linalg.norm(np.diff(xy, axis=0), axis=1)
    fast = step > FASTEST_R_S * radius_px * np.diff(t_s)
    return [int(n) + 1 for n in np.flatnonzero(fast & seen[1:] & seen[:-1])]
