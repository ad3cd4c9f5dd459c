"""Whether a disc stands where it stood, told at a fraction of what finding its rim costs.

By how far two pictures of it differ, over their slopes, is how far it moved (Lucas & Kanade 1981).
What is compared is always the picture on which the rim was found last, so nothing drifts.
"""

from __future__ import annotations

import cv2
import numpy as np

from keenkettle.film.planes import Gray
from keenkettle.film.rim import Ring
from keenkettle.measure.geometry import FloatArray

LEAST_PX, LEAST_R = 0.06, 0.0008  # a shift that is less stays unnoticed; pixels, radii
REACH = 1.08  # radii looked at
SMALL_R = 24.0  # the picture is made so small; its noise with it
SOBEL_NOISE = 12.0 / 64.0  # variance of a slope for that of a pixel
MOST_NOISE = 0.4  # share of the slopes that may be noise
OTHER = 1.6  # so much more difference than usual is somebody passing, or the light
MOST_FRAMES = 24  # then the rim is found anew


class Still:
    """A picture of the disc at rest, and how later ones compare with it."""

    def __init__(self, gray: Gray, ring: Ring) -> None:
        """Take the picture on which the ring was found."""
        reach = REACH * ring.r
        h, w = gray.shape
        self._rows = slice(max(int(ring.y - reach), 0), min(int(ring.y + reach) + 2, h))
        self._columns = slice(max(int(ring.x - reach), 0), min(int(ring.x + reach) + 2, w))
        self._scale = min(1.0, SMALL_R / ring.r)
        self._least = max(LEAST_PX, LEAST_R * ring.r) * self._scale
        self._picture = self._small(gray)
        slopes = [
            cv2.Sobel(self._picture, cv2.CV_32F, *way, scale=0.125) for way in ((1, 0), (0, 1))
        ]
        self._slopes = np.stack([s.ravel() for s in slopes])
        self._normal = (self._slopes @ self._slopes.T).astype(float)
        self._usual: float | None = None
        self._frames = 0

    def holds(self, gray: Gray) -> bool:
        """Whether the disc is still there on the next picture."""
        self._frames += 1
        if self._frames > MOST_FRAMES:
            return False
        change = (self._picture - self._small(gray)).ravel()
        size = float(np.abs(change).mean())
        usual = size if self._usual is None else self._usual
        self._usual = usual = min(usual, size)
        if size > OTHER * usual + 0.3:
            return False
        # Noise of two pictures is in the change; what one of them adds to the slopes hides a shift.
        noise = SOBEL_NOISE * float(change @ change) / 2.0
        clear = np.diag(self._normal) - noise
        if (clear < (1.0 - MOST_NOISE) * np.diag(self._normal)).any():
            return False
        shift = np.linalg.solve(self._normal - noise * np.eye(2), self._slopes @ change)
        return bool(np.hypot(*shift) < self._least)

    def _small(self, gray: Gray) -> FloatArray:
        part = gray[self._rows, self._columns]
        size = (
            max(round(part.shape[1] * self._scale), 8),
            max(round(part.shape[0] * self._scale), 8),
        )
        return np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA), np.float32)
