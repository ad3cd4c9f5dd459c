"""Somebody who walks past between the camera and the athlete, told by feet below the athlete's.

Nothing of the athlete, and of nobody behind, is ever seen lower in the picture than the floor the
athlete stands on; whoever is nearer has their feet there. What of the athlete is behind a passer
the nets make up, out of both bodies.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.footage import Look
from keenkettle.film.pose_net import SIDES
from keenkettle.measure.geometry import FloatArray

LONGER_PX, MOST_KEPT = 360, 600  # pictures are kept so small; so many of them
FLOOR_BODY = 0.015  # below the athlete's feet and the disc, bodies
LEAST_GREYS, OVER_NOISE = 20.0, 6.0  # of a change; deviations of what is there mostly
TALL_BODY = 0.018  # a shadow's edge is narrower
LEAST_ROWS = 3  # of the small picture, below the floor; fewer show no feet
WIDE_BODY, NARROW_BODY = 0.16, 0.03  # half a passer, at least; of feet to count
CORE_BODY = 0.10  # beside hip and bar, of which all has to be in sight
GOES_BODY, MOST_SHARE = 0.5, 0.6  # who walks goes so far; share of the frames that may be hidden
GAP_S = 0.3  # feet leave the picture and come back between steps
FEET = [SIDES[side][name] for side in SIDES for name in ("heel", "toe")]
HIPS = [SIDES[side]["hip"] for side in SIDES]


class PassWatch:
    """Keeps what is below the disc of the frames that are looked at, small."""

    def __init__(self, size: tuple[int, int], bar_xy: FloatArray, radius_px: float) -> None:
        """For a picture's width and height, and a disc with its middle at (N, 2), pixels."""
        self._every = max(round(max(size) / LONGER_PX), 1)
        self._bar_xy = bar_xy
        self._lowest = float(bar_xy[:, 1].max()) + radius_px
        self._top = int(max(self._lowest, 0.0) / self._every)
        self._size = size
        self._kept: dict[int, NDArray[np.uint8]] = {}
        self._step = 1

    def add(self, number: int, rgb: NDArray[np.uint8]) -> None:
        """One frame's picture, shape (height, width, 3)."""
        below = rgb[self._top * self._every :]
        size = (below.shape[1] // self._every, below.shape[0] // self._every)
        if min(size) == 0 or rgb.shape[1::-1] != self._size or number % self._step:
            return
        self._kept[number] = np.asarray(
            cv2.resize(below, size, interpolation=cv2.INTER_AREA), np.uint8
        )
        if len(self._kept) > MOST_KEPT:
            self._step *= 2
            self._kept = {n: p for n, p in self._kept.items() if n % self._step == 0}

    def hidden(
        self, look: Look, body_px: float, fps: float, drift_px: FloatArray
    ) -> NDArray[np.bool_]:
        """Frames (N,) on which somebody who walks past hides the athlete.

        Args:
            look: what the nets saw.
            body_px: the athlete's height.
            fps: frames a second.
            drift_px: how far the room moves on each frame (N, 2).
        """
        out = np.zeros(len(self._bar_xy), bool)
        covers = self._covers(look, body_px, drift_px)
        if not len(covers) or float(np.ptp(covers[:, 1:].mean(axis=1))) < GOES_BODY * body_px:
            return out
        numbers = covers[:, 0].astype(int)
        bar = self._bar_xy[numbers, 0]
        hip = float(np.median(look.xy[:, HIPS, 0].mean(axis=1) - self._bar_xy[look.frames, 0]))
        left = bar + min(hip, 0.0) - CORE_BODY * body_px
        right = bar + max(hip, 0.0) + CORE_BODY * body_px
        last = -np.inf
        for n in numbers[(covers[:, 1] < right) & (covers[:, 2] > left)].tolist():
            out[n if n - last > GAP_S * fps else int(last) : n + 1] = True
            last = n
        return out if out[look.frames].mean() < MOST_SHARE else np.zeros_like(out)

    def _covers(self, look: Look, body_px: float, drift_px: FloatArray) -> FloatArray:
        """Frames on which feet are below the athlete's, and from which column to which a body is
        over them, pixels (K, 3).
        """
        s = self._every
        feet = float(np.nanmedian(look.xy[:, FEET, 1].max(axis=1)))
        floor = (max(feet, self._lowest) + FLOOR_BODY * body_px) / s
        top = max(int(np.ceil(floor)) - self._top, 0)
        numbers = np.array(sorted(self._kept))
        if not len(numbers) or self._kept[numbers[0]].shape[0] - top < LEAST_ROWS:
            return np.zeros((0, 3))
        moved = np.rint((drift_px[numbers] - drift_px[numbers[0]]) / s).astype(int)
        below = np.stack([
            np.roll(self._kept[n], (-y, -x), axis=(0, 1))[top:].astype(np.float32)
            for n, (x, y) in zip(numbers, moved.tolist(), strict=True)
        ])  # fmt: skip
        change = np.abs(below - np.median(below, axis=0)).max(axis=-1)
        noise = 1.48 * np.median(change, axis=0)
        there = change > np.maximum(LEAST_GREYS, OVER_NOISE * noise)
        columns = there.sum(axis=1) >= max(TALL_BODY * body_px / s, 2.0)
        out = []
        for n, seen in zip(numbers.tolist(), columns, strict=True):
            at = s * np.flatnonzero(seen)
            if len(at) < max(NARROW_BODY * body_px / s, 2.0):
                continue
            lo, hi = np.quantile(at, (0.05, 0.95)).tolist()
            half = max((hi - lo) / 2.0, WIDE_BODY * body_px)
            out.append((n, (lo + hi) / 2.0 - half, (lo + hi) / 2.0 + half))
        return np.array(out).reshape(-1, 3)
