"""The athlete's outline, which the landmark net gives beside its points, and where it ends.

Masks of a span of frames are read together: points on each picture go to the turned square that
the net looked at, and profiles along rows of points tell where the mask begins and ends.
"""

from __future__ import annotations

import zlib
from copy import copy
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.pose_net import CROP_PX
from keenkettle.measure.geometry import BoolArray, FloatArray

LEVELS = 16  # steps that the mask's edge is kept in
LOWEST = 0.997  # of a mask's pixels are higher than its lowest part
LITTLE = 0.05  # of a mask's pixels lie beyond its sides, to the left and to the right
SOFT = 4.0  # logits beyond this are surely inside or outside


@dataclass(frozen=True)
class Outline:
    """The person's mask on a turned square of the picture, packed.

    ``matrix`` (2, 3) goes from the square's pixels to the picture's.
    """

    packed: bytes
    matrix: FloatArray


def pack(mask: NDArray[np.float32], matrix: FloatArray) -> Outline:
    """Keep a mask of logits (256, 256) small."""
    steps = np.clip((mask / (2.0 * SOFT) + 0.5) * (LEVELS - 1) + 0.5, 0, LEVELS - 1)
    return Outline(zlib.compress(steps.astype(np.uint8).tobytes(), 1), matrix)


class Masks:
    """Outlines of K frames, unpacked to be read."""

    def __init__(self, outlines: list[Outline]) -> None:
        self._levels = np.stack(
            [
                np.frombuffer(zlib.decompress(o.packed), np.uint8).reshape(CROP_PX, CROP_PX)
                for o in outlines
            ]
        )
        matrices = np.stack([o.matrix for o in outlines])
        self._back = np.linalg.inv(matrices[:, :, :2])
        self._shift = matrices[:, :, 2]

    def read(self, points: FloatArray) -> FloatArray:
        """The masks, 0 to 1, at points of the pictures (K, P, 2), shape (K, P); 0 outside."""
        away = np.nan_to_num(points - self._shift[:, None], nan=-1e4)
        out = np.zeros(points.shape[:2])
        for k, (levels, back) in enumerate(zip(self._levels, self._back, strict=True)):
            own = (away[k] @ back.T).astype(np.float32)
            out[k] = cv2.remap(
                levels, own[:, :1], own[:, 1:], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT
            )[:, 0]
        return out / (LEVELS - 1)

    def of(self, which: BoolArray) -> Masks:
        """Those of some frames only, ``which`` of shape (K,)."""
        some = copy(self)
        some._levels, some._back = self._levels[which], self._back[which]
        some._shift = self._shift[which]
        return some

    def areas(self) -> FloatArray:
        """Of each mask on the picture, square pixels, shape (K,)."""
        inside = (self._levels > LEVELS // 2).sum(axis=(1, 2))
        return np.asarray(inside / np.abs(np.linalg.det(self._back)))

    def sides(self) -> FloatArray:
        """Columns on the picture left and right of which little is left of each mask (K, 2)."""
        out = np.full((len(self._levels), 2), np.nan)
        for k, (levels, back) in enumerate(zip(self._levels, self._back, strict=True)):
            y, x = np.nonzero(levels[::2, ::2] > LEVELS // 2)
            if len(x):
                turn = np.linalg.inv(back)[0]
                columns = 2.0 * (turn[0] * x + turn[1] * y) + self._shift[k, 0]
                out[k] = np.quantile(columns, (LITTLE, 1.0 - LITTLE))
        return out

    def lowest(self) -> FloatArray:
        """Height on the picture of each mask's lowest part, pixels, shape (K,)."""
        out = np.full(len(self._levels), np.nan)
        for k, (levels, back) in enumerate(zip(self._levels, self._back, strict=True)):
            y, x = np.nonzero(levels[::2, ::2] > LEVELS // 2)
            if len(x):
                turn = np.linalg.inv(back)[1]
                heights = 2.0 * (turn[0] * x + turn[1] * y) + self._shift[k, 1]
                out[k] = np.quantile(heights, LOWEST)
        return out


def run_ends(inside: FloatArray, middle: int) -> tuple[FloatArray, FloatArray]:
    """Where the mask's run nearest to a sample begins and ends along profiles.

    Args:
        inside: mask along each profile, shape (..., M), 0 to 1.
        middle: the sample.

    Returns:
        Both ends in samples, shape (...); NaN where there is no mask or the profile is left.
    """
    size = inside.shape[-1]
    index = np.arange(size)
    on = inside >= 0.5
    nearest = np.argmin(np.where(on, np.abs(index - middle), 2 * size), axis=-1)[..., None]
    low = np.max(np.where(~on & (index < nearest), index, -1), axis=-1)
    high = np.min(np.where(~on & (index > nearest), index, size), axis=-1)
    any_ = on.any(axis=-1)
    begins = np.where(any_ & (low >= 0), _crossing(inside, low), np.nan)
    return begins, np.where(any_ & (high < size), _crossing(inside, high - 1), np.nan)


def last_end(inside: FloatArray) -> FloatArray:
    """The last place along profiles (..., M) at which the mask ends, in samples; NaN: none."""
    size = inside.shape[-1]
    last = np.max(np.where(inside >= 0.5, np.arange(size), -1), axis=-1)
    fine = (last >= 0) & (last < size - 1)
    return np.asarray(np.where(fine, _crossing(inside, last), np.nan))


def _crossing(inside: FloatArray, at: NDArray[np.int64]) -> FloatArray:
    """Where the mask passes one half between samples ``at`` and the next."""
    i = np.clip(at, 0, inside.shape[-1] - 2)[..., None]
    a = np.take_along_axis(inside, i, -1)[..., 0]
    b = np.take_along_axis(inside, i + 1, -1)[..., 0]
    step = np.where(a != b, a - b, 1.0)
    return np.asarray(i[..., 0] + np.clip((a - 0.5) / step, 0.0, 1.0))
