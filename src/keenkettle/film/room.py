"""How far a room has moved on a picture since another one, by all its edges beside the athlete.

The shift that brings the greys of both together (Lucas & Kanade 1981), pixels that do not go with
the others weighed down (Tukey's biweight): somebody who walks past does not count. A level edge
tells of up and down alone, an upright one of the sides.
"""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np

from keenkettle.film.planes import Gray
from keenkettle.measure.geometry import BoolArray, FloatArray

CELLS = (4, 6)  # rows and columns that edges are taken from, alike
IN_CELL, LEAST_IN_CELL = 300, 12  # pixels with an edge
#: Cells with edges, columns from the first to the last of them, and share of them that must go the
#: same way: an athlete's limbs do not.
LEAST_CELLS, LEAST_WIDE, AGREE_SHARE, AGREES = 5, 4, 0.5, 0.4
LEAST_GREYS, NOISE_TIMES = 1.5, 3.0  # of an edge, a pixel; times the middling change
COARSE_PX = 4.0  # blur where it is not about there, so that an edge is felt from further
ROUNDS, STEP_PX = 8, 0.01
TUKEY, LEAST_SPREAD = 4.7, 0.4  # deviations; greys
#: Middling misfit against the middling edge, pixels: more is another scene; standard deviation of a
#: shift that tells something.
FITS_PX, KNOWN_PX = 0.5, 0.12
LIGHTS = 0.5, 2.0  # times as light; another scene goes with nothing
LITTLE = 1e-6 * np.eye(4)  # where no edge tells
ALIKE = 12.0  # pixels beside each other, blurred, that tell one thing


class Room:
    """The edges of one picture."""

    def __init__(self, picture: Gray, beside: BoolArray) -> None:
        """Take them from a picture (height, width) where ``beside`` (width,) tells columns that
        show the room.
        """
        self._fine = _Edges(picture, beside)
        self._coarse = _Edges(_blurred(picture), beside)

    @property
    def bare(self) -> bool:
        """Whether there is nothing to hold on to."""
        return not self._fine.spread_out(np.ones(CELLS[0] * CELLS[1], bool))

    def shift_on(self, picture: Gray, start: FloatArray) -> FloatArray | None:
        """How far right and down (2,) the room is on another picture of the same size, pixels; NaN
        where no edge tells. None where it is another scene.

        Args:
            picture: the other one.
            start: about how far, (2,).
        """
        found, sd, misfit = self._fine.shift_on(picture, start)
        if misfit > FITS_PX:
            felt, sd, _ = self._coarse.shift_on(_blurred(picture), start)
            begin = np.where(sd < KNOWN_PX, felt, start)
            found, sd, misfit = self._fine.shift_on(picture, begin)
        if misfit > FITS_PX:
            return None
        return np.where(sd < KNOWN_PX, found, np.nan)


class _Edges:
    """Pixels with an edge: where, (K,) each, their greys and how these change."""

    def __init__(self, picture: Gray, beside: BoolArray) -> None:
        right = cv2.Sobel(picture, cv2.CV_32F, 1, 0, ksize=3) / 8.0
        down = cv2.Sobel(picture, cv2.CV_32F, 0, 1, ksize=3) / 8.0
        change = np.hypot(right, down)
        least = max(LEAST_GREYS, NOISE_TIMES * float(np.median(change)))
        clear = (change > least) & beside
        clear[[0, -1]] = clear[:, [0, -1]] = False
        rows, columns = (np.linspace(0, n, k + 1).astype(int) for n, k in
                         zip(picture.shape, CELLS, strict=True))  # fmt: skip
        kept = np.zeros(picture.shape, bool)
        for top, below in pairwise(rows):
            for left, end in pairwise(columns):
                part = change[top:below, left:end] * clear[top:below, left:end]
                best = np.argsort(part, axis=None, kind="stable")[-IN_CELL:]
                kept[top:below, left:end].flat[best] = part.flat[best] > 0.0
        self._y, self._x = (v.astype(np.float32) for v in np.nonzero(kept))
        self.grey = picture[kept].astype(np.float32)
        row = np.searchsorted(rows[1:-1], self._y, "right")
        self._cell = row * CELLS[1] + np.searchsorted(columns[1:-1], self._x, "right")
        self._in_cell = np.bincount(self._cell, minlength=CELLS[0] * CELLS[1])
        self._change = np.stack([right[kept], down[kept]], -1)

    def spread_out(self, agree: BoolArray) -> bool:
        """Whether enough cells, of those that ``agree`` (C,), have edges."""
        there = self._in_cell >= LEAST_IN_CELL
        told = np.flatnonzero(there & agree)
        least = max(LEAST_CELLS, AGREE_SHARE * np.count_nonzero(there))
        return len(told) >= least and int(np.ptp(told % CELLS[1])) + 1 >= LEAST_WIDE

    def shift_on(self, picture: Gray, start: FloatArray) -> tuple[FloatArray, FloatArray, float]:
        """The shift (2,), its standard deviation (2,), and the misfit, pixels."""
        shift, size = start.astype(float), np.linalg.norm(self._change, axis=1)
        nothing, levels = (shift, np.full(2, np.inf), np.inf), picture.astype(np.float32)
        if not len(self.grey):
            return nothing
        design = np.column_stack([self._change, -self.grey, -np.ones(len(self.grey))])
        gain, step = 1.0, np.zeros(2)
        for _ in range(ROUNDS):
            x, y = self._x + np.float32(shift[0]), self._y + np.float32(shift[1])
            there = (x > 0) & (x < picture.shape[1] - 1) & (y > 0) & (y < picture.shape[0] - 1)
            if not there.any():
                return nothing
            seen = cv2.remap(levels, x[None], y[None], cv2.INTER_LINEAR)[0]
            off = seen - gain * self.grey
            off -= np.median(off[there])
            spread = max(1.48 * float(np.median(np.abs(off[there]))), LEAST_SPREAD)
            weight = there * np.maximum(1.0 - (off / (TUKEY * spread)) ** 2, 0.0) ** 2
            # The exposure changes as well: what was grey is so many times that, and so much more.
            normal = design.T @ (weight[:, None] * design) + LITTLE
            dx, dy, gain, _ = np.linalg.solve(normal, design.T @ (weight * -seen)).tolist()
            step = np.clip([dx, dy], -2.0, 2.0)
            shift = shift + step
            if float(np.abs(step).max()) < STEP_PX:
                break
        held = np.bincount(self._cell, weight, len(self._in_cell)) / np.maximum(self._in_cell, 1)
        if not (self.spread_out(held >= AGREES) and LIGHTS[0] < gain < LIGHTS[1]):
            return nothing
        sd = spread * np.sqrt(ALIKE * np.diag(np.linalg.inv(normal))[:2])
        return shift, sd, spread / 1.48 / float(np.median(size[there]))


def _blurred(picture: Gray) -> Gray:
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), COARSE_PX), np.uint8)
