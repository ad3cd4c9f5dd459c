"""Faces made unrecognisable: the lifter's by the tracked ear, others' by the person detector.

The detector misses people who are small, turned away or in the dark, so what is handed out is
to be looked through first.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.measure.geometry import FloatArray

HEAD_MM = 170.0  # from the ear, which covers face and crown: half a head's height and more
GRAIN = 6  # blocks across a face


def blur_faces(
    rgb: NDArray[np.uint8],
    ear_px: FloatArray | None,
    mm_per_px: float,
    heads: list[tuple[float, float, float]],
) -> NDArray[np.uint8]:
    """A copy with heads in coarse blocks.

    Args:
        rgb: shape (height, width, 3).
        ear_px: shape (2,), the lifter's ear, or None where it is not known.
        mm_per_px: scale at the lifter.
        heads: circles (x, y, radius) as from ``PoseNet.heads``.
    """
    out = rgb.copy()
    circles = list(heads)
    if ear_px is not None and np.isfinite(ear_px).all():
        circles.append((float(ear_px[0]), float(ear_px[1]), HEAD_MM / mm_per_px))
    for x, y, r in circles:
        _coarse(out, x - r, y - r, 2 * r, 2 * r)
    return out


def _coarse(picture: NDArray[np.uint8], x: float, y: float, w: float, h: float) -> None:
    top, left = max(round(y), 0), max(round(x), 0)
    bottom, right = min(round(y + h), picture.shape[0]), min(round(x + w), picture.shape[1])
    if bottom - top < 2 or right - left < 2:
        return
    part = picture[top:bottom, left:right]
    small = cv2.resize(part, (GRAIN, GRAIN), interpolation=cv2.INTER_AREA)
    size = (right - left, bottom - top)
    picture[top:bottom, left:right] = cv2.resize(small, size, interpolation=cv2.INTER_NEAREST)
