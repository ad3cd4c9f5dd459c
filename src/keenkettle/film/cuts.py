"""Where a film is cut: the whole picture becomes another from one frame to the next, or goes on in
another size.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Iterator
from statistics import median

import cv2
import numpy as np

from keenkettle.film.clip import Gray
from keenkettle.measure.geometry import FloatArray

SMALL = (32, 18)
SKIP = 16, 8  # rows and columns: one in so many is looked at
LEAST_GREYS = 14.0  # mean change of the small picture; a lifter who moves makes 1 to 4
OVER_USUAL = 6.0  # times the middling change of the frames before
USUAL_FRAMES = 15


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
