"""A thick disc, or several: how its outline changes over the picture, and where its face is.

Above and below the lens the far edge shows beside the near one. The outline is then taller than
the face, and its middle lies nearer to the horizon than the face's: a bar's height would come out
1 to 3 % too small. A camera that looks up or down shows the disc larger or smaller as it rises.
Both are read from the outline's own two radii, as it is followed.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares
from scipy.stats import theilslopes

from keenkettle.film.by_row import ByRow
from keenkettle.film.rim import Ring
from keenkettle.measure.geometry import FloatArray

ROWS_R = 0.25  # a row of the table is so high, radii
MOST_CHANGE = 0.08  # of either radius, against the first
MOST_STEP, MORE_STEP = 0.02, 0.015  # against what was seen nearby; more for each radius between
LEAST_ROWS = 4  # that show a change
LEAST_SEEN_R, LEAST_K, CLEAR_K = (
    2.0,
    0.005,
    5.0,
)  # radii risen; depth over distance; in standard deviations
MOST_K = 0.09  # four thick discs from 3 m
NOISE, LEAST_NOISE = 0.004, 0.3  # of a radius; times that, at least
SIZE_NOISE = 0.002  # of a radius over the rows seen: a disc aside shows more of its depth
HORIZON_SD, ASPECT_SD = 0.35, 0.015  # about the middle, of the picture's height; about 1


class Outlines:
    """Shapes of the outline by picture row, as they are learnt, and ``asides``: how far the middle
    of an inner ring, which may stand before the face, lies from the outline's.
    """

    def __init__(self, first: Ring) -> None:
        """Begin with the disc as it was found."""
        self.first = first
        self.shapes = ByRow(ROWS_R * first.r)
        self.asides = ByRow(ROWS_R * first.r)

    def learn(self, ring: Ring) -> None:
        """Take in a freely fitted outline; one that cannot be the disc's is left out."""
        shape = np.array([ring.r, ring.r * ring.aspect])
        first = np.array([self.first.r, self.first.r * self.first.aspect])
        if np.abs(shape / first - 1.0).max() > MOST_CHANGE:
            return
        rows, shapes = self.shapes.table()
        if len(rows):
            k = int(np.argmin(np.abs(rows - ring.y)))
            most = MOST_STEP + MORE_STEP * abs(float(rows[k]) - ring.y) / self.first.r
            if np.abs(shape / shapes[k] - 1.0).max() > most:
                return
        self.shapes.learn(ring.y, (float(shape[0]), float(shape[1])))

    def table(self) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Rows of the picture and the outline's vertical and horizontal radius there, (K,) each."""
        rows, shapes = self.shapes.table()
        return rows, shapes[:, 0], shapes[:, 1]

    def at(self, y: float) -> Ring:
        """The outline that is to be expected on a row; the first before others are known."""
        rows, _, wide = self.table()
        shape = self.shapes.at(y)
        if len(rows) < 2 or shape is None:
            return self.first
        beyond = y - float(np.clip(y, rows[0], rows[-1]))
        if beyond and len(rows) >= LEAST_ROWS:
            shape = shape + beyond * float(np.polyfit(rows, wide, 1)[0])
        return Ring(self.first.x, y, float(shape[0]), float(shape[1] / shape[0]))


@dataclass(frozen=True)
class Depth:
    """How deep a disc is, or several: ``share`` k = T / (D + T) for depth T at distance D.

    The far edge is drawn 1 - k times as far from the horizon and as large as the near one, so the
    outline reaches k (d - r) further toward the horizon, where the face's middle is d from it.
    ``aspect`` is the face's width over its height, ``radius`` about the face's; pixels.
    """

    share: float
    horizon: float
    aspect: float
    radius: float

    def over(self, rows: FloatArray) -> FloatArray:
        """How much taller the outline's half is than the face's where its middle is on rows."""
        off = np.abs(rows - self.horizon) - self.radius
        return np.asarray(0.5 * self.share * np.maximum(off, 0.0))

    def shift(self, rows: FloatArray) -> FloatArray:
        """How far below the outline's middle the face's is, on rows (N,)."""
        return np.asarray(np.sign(rows - self.horizon) * self.over(rows))


def depth_of(shown: Outlines, height_px: int) -> Depth | None:
    """Depth of the discs as their outlines tell it; None where none shows.

    Args:
        shown: outlines of the whole film.
        height_px: of the picture.
    """
    at, tall, wide = shown.table()
    r = shown.first.r
    if len(at) < LEAST_ROWS or float(np.ptp(at)) < LEAST_SEEN_R * r:
        return None
    middle = (height_px - 1) / 2.0

    def off(p: FloatArray) -> FloatArray:
        seen = (tall - wide / p[2] - Depth(p[0], p[1] * r, p[2], r).over(at)) / (NOISE * r)
        prior = [(p[1] * r - middle) / (HORIZON_SD * height_px), (p[2] - 1.0) / ASPECT_SD]
        return np.append(seen, prior)

    best = min(
        (
            least_squares(off, [0.02, start / r, 1.0], loss="soft_l1",
                          bounds=([0.0, -np.inf, 0.6], [MOST_K, np.inf, 1.1]))
            for start in (middle - 2 * r, middle, middle + 2 * r)
        ),
        key=lambda found: float(found.cost),
    )  # fmt: skip
    k, horizon, aspect = best.x.tolist()
    scatter = max(float(np.mean(np.asarray(best.fun)[:-2] ** 2)), LEAST_NOISE**2)
    design = np.asarray(best.jac, float)
    spread = float(np.sqrt(np.linalg.inv(design.T @ design)[0, 0] * scatter))
    if k < max(LEAST_K, CLEAR_K * spread):
        return None
    return Depth(k, horizon * r, aspect, r)


@dataclass(frozen=True)
class Size:
    """The face's radius by picture row: ``at_zero`` on row 0, pixels, and ``slope`` a row, with its
    standard deviation.

    A camera that looks upward by an angle p shows what is beside it larger: the width on a row y
    goes as cos p - sin p (middle - y) / f, for a lens of f pixels.
    """

    at_zero: float
    slope: float
    slope_sd: float

    def at(self, row: float) -> float:
        """The face's radius on a row, pixels."""
        return self.at_zero + self.slope * row


def size_of(shown: Outlines, depth: Depth | None) -> Size:
    """How the face's size changes over the picture; not at all where too little was seen."""
    at, tall, wide = shown.table()
    first = shown.first
    if len(at) < LEAST_ROWS or float(np.ptp(at)) < LEAST_SEEN_R * first.r:
        return Size(first.r, 0.0, np.inf)
    if depth is None:
        radii = (tall + wide / first.aspect) / 2.0
    else:
        radii = (tall - depth.over(at) + wide / depth.aspect) / 2.0
    fit = theilslopes(radii, at)
    least = SIZE_NOISE * first.r / float(np.ptp(at))
    sd = float(np.hypot((fit.high_slope - fit.low_slope) / 3.92, least))
    return Size(float(fit.intercept), float(fit.slope), sd)
