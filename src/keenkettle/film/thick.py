"""A thick disc, or several: how its outline changes over the picture, and where its face is.

Above and below the lens the far edge shows beside the near one. The outline is then taller than
the face, and its middle lies nearer to the horizon than the face's: a bar's height would come out
1 to 3 % too small. A camera that looks up or down shows the disc larger or smaller as it rises.
Both are read from the outline's own two radii, as it is followed.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import least_squares
from scipy.stats import theilslopes

from keenkettle.film.by_row import ByRow
from keenkettle.film.rim import TURNED_ASPECT, Ring
from keenkettle.measure.calibration import PLATE_MM, USUAL_CAMERA_M
from keenkettle.measure.geometry import FloatArray

ROWS_R = 0.25  # a row of the table is so high, radii
MOST_CHANGE = 0.08  # of either radius, against the first
MOST_STEP, MORE_STEP = 0.02, 0.015  # against what was seen nearby; more for each radius between
LEANS = 2.0  # times that, of the outline's lean
LEAST_ROWS, TOLD_ROWS = 4, 5  # by which an outline goes on; that tell of the disc and camera
LEAST_SEEN_R = 2.0  # radii that the bar rises, to tell them
USUAL_K, USUAL_K_SD, MOST_K = 0.006, 0.010, 0.09  # depth over distance: four thick discs from 3 m
NOISE, LEAST_NOISE = 0.006, 0.3  # of a radius; times that, at least
UNEVEN = 2.0  # times that noise; heights so far off are not one disc's
#: Of a radius over the rows seen: what stands beside a rim differs from row to row. By 18 films
#: with known cameras.
SIZE_NOISE = 0.008
USUAL_LENS_R = 1000.0 * USUAL_CAMERA_M / (PLATE_MM / 2.0)  # focal length, radii of the disc
#: Of a radius, about a line: widths that are not one disc's; share of the rows that must be one's.
JUMPS, EVEN_ROWS = 0.01, 0.6
PITCH_SD = 0.12  # tangent
#: About the middle, of the picture's height, by the disc's width alone and by the room as well; of
#: the horizon's distance, by an unknown lens; about 1.
HORIZON_SD, ROOM_HORIZON_SD, LENS_SHARE, ASPECT_SD = 0.25, 0.06, 0.5, 0.015
#: Of a horizon by the far disc; against one by the width, radii; of that, for its distance.
PLACE_SD_TIMES, PITCHED_SD_R, LENS_SD = 1.3, 0.05, 0.12
TREAD, TREAD_SD, WIDTH_SD = 0.14, 0.06, 0.003  # half of a disc's depth, radii; of a fit's width


class Outlines:
    """Shapes of the outline by picture row, as they are learnt, and ``asides``: how far the middle
    of an inner ring, which may stand before the face, lies from the outline's.
    """

    def __init__(self, first: Ring) -> None:
        """Begin with the disc as it was found."""
        self.first = first
        self.shapes = ByRow(ROWS_R * first.r, 3)
        self.asides = ByRow(ROWS_R * first.r, 2)

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
            if np.abs(shape / shapes[k, :2] - 1.0).max() > most:
                return
            if abs(ring.lean - shapes[k, 2]) > LEANS * most:
                return
        self.shapes.learn(ring.y, (float(shape[0]), float(shape[1]), ring.lean))

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
            growth = beyond * float(np.polyfit(rows, wide, 1)[0])
            more = beyond * float(np.polyfit(rows, self.shapes.table()[1][:, 2], 1)[0])
            shape = shape + np.array([growth, growth, more])
        tall, across, lean = shape.tolist()
        return Ring(self.first.x, y, tall, across / tall, lean)


@dataclass(frozen=True)
class Stand:
    """How the camera stands, as the far disc tells: its turn from side-on, degrees, the horizon
    below the picture's middle, pixels, each with its standard deviation; and its lens. The disc is
    ``off_px`` to the right of the picture's middle.
    """

    turn_deg: tuple[float, float]
    horizon_px: tuple[float, float]
    lens_px: float
    off_px: float = 0.0

    @property
    def face_deg(self) -> float:
        """The face's turn against the line of sight to it."""
        return self.turn_deg[0] - float(np.degrees(np.arctan2(self.off_px, self.lens_px)))


@dataclass(frozen=True)
class Solid:
    """A disc, or several, before a camera that may look up or down; lengths in pixels.

    A lens of f pixels that looks upward by an angle p shows a radius on row y cos p -
    sin p (middle - y) / f times as wide, and upright by the square of that. The far edge of a
    depth T at distance D is drawn 1 - k times as far from the horizon and as large as the near
    one, k = T / (D + T), so the outline reaches k (d - r) further toward the horizon where the
    face's middle is d from it.

    Attributes:
        radius: of the face on the picture's middle row, across.
        slope: its growth a row lower, and ``slope_sd``.
        aspect: the face's width over its height, from a camera that is turned.
        share: k; 0 where no depth shows.
        horizon: row of the horizon.
        middle: row of the picture's middle.
    """

    radius: float
    slope: float
    slope_sd: float
    aspect: float
    share: float
    horizon: float
    middle: float

    def across(self, rows: FloatArray) -> FloatArray:
        """The face's radius across, from straight ahead, on rows (N,)."""
        return np.asarray(self.radius + self.slope * (rows - self.middle))

    def upright(self, rows: FloatArray) -> FloatArray:
        """The face's radius upright, on rows (N,)."""
        tangent = self.slope * USUAL_LENS_R  # of the angle up, by a usual lens
        return np.asarray(self.across(rows) ** 2 / (self.radius * (1.0 + tangent**2 / 2.0)))

    def over(self, rows: FloatArray) -> FloatArray:
        """How much taller the outline's half is than the face's where its middle is on rows."""
        off = np.abs(rows - self.horizon) - self.radius
        return np.asarray(0.5 * self.share * np.maximum(off, 0.0))

    def shift(self, rows: FloatArray) -> FloatArray:
        """How far below the outline's middle the face's is, on rows (N,)."""
        return np.asarray(np.sign(rows - self.horizon) * self.over(rows))

    def aside(self, stand: Stand) -> float:
        """How far to the right of the outline's middle the face's is: a disc that is turned shows
        its tread on the side where the far end of the bar is seen, and the half of the face on that
        side is nearer, so it looks larger.
        """
        face, turn = (float(np.radians(a)) for a in (stand.face_deg, stand.turn_deg[0]))
        tread = max(self.aspect - float(np.cos(face)), 0.0) * self.radius
        nearer = self.radius**2 / stand.lens_px * float(np.sin(turn) * np.cos(turn))
        return -float(np.sign(face)) * tread - nearer


def solid_of(
    shown: Outlines,
    height_px: int,
    stand: Stand | None = None,
    grows: tuple[float, float] | None = None,
) -> Solid | None:
    """The disc as its outlines all over the film tell it; None where too little was seen.

    Args:
        shown: outlines of the whole film.
        height_px: of the picture.
        stand: of the camera, where known: a face that is round tells how much of the outline's
            height is depth.
        grows: share by which what is seen is wider a pixel lower, and its standard deviation,
            where the room tells.
    """
    if shown.first.aspect < TURNED_ASPECT:
        return None  # how it changes then tells of the turn; see aside
    r, middle = shown.first.r, (height_px - 1) / 2.0
    table = _one_disc_s(np.stack(shown.table()), r)
    if table.shape[1] < TOLD_ROWS or float(np.ptp(table[0])) < LEAST_SEEN_R * r:
        return None
    starts = (middle - 2 * r, middle + 2 * r)  # one that begins between them ends with either

    def best(noise: float) -> Solid:
        fits = [_fitted(table, r, height_px, start, stand, grows, noise) for start in starts]
        return min(fits, key=lambda fit: fit[0])[1]

    solid = best(NOISE)
    left = table[1] - solid.upright(table[0]) - solid.over(table[0])
    noise = float(np.sqrt(np.mean(left**2))) / r
    # Heights that no solid explains say little of the depth; what is usual then says more.
    return best(noise) if noise > UNEVEN * NOISE else solid


def _width(turn_deg: float, sd_deg: float) -> tuple[float, float]:
    """The outline's width over the face's height, and its standard deviation: a disc that is
    turned shows its tread beside its face.
    """
    turn = np.radians(turn_deg)
    sine = abs(float(np.sin(turn)))
    error = np.hypot(TREAD_SD * sine, TREAD * np.radians(sd_deg))
    return float(np.cos(turn)) + TREAD * sine, float(np.hypot(error, WIDTH_SD))


def _one_disc_s(table: FloatArray, r: float) -> FloatArray:
    """The rows of a table (3, K) of rows and radii on which limbs and print beside the rim were
    not taken for it: the width changes evenly from row to row. None of them where those are few.
    """
    rows, _, wide = table
    if len(rows) < TOLD_ROWS:
        return table[:, :0]
    line = theilslopes(wide, rows)
    off = wide - line.slope * rows - line.intercept
    even = np.abs(off) <= 2.0 * JUMPS * r
    if even.sum() < EVEN_ROWS * len(rows) or float(np.std(off[even])) > JUMPS * r:
        return table[:, :0]
    return table[:, even]


def _fitted(
    table: FloatArray,
    r: float,
    height_px: int,
    horizon: float,
    stand: Stand | None,
    grows: tuple[float, float] | None,
    noise: float,
) -> tuple[float, Solid]:
    """The solid that fits best from a row of the horizon, and what is left over; ``noise`` is that
    of a height, radii.
    """
    rows, tall, wide = table
    middle = (height_px - 1) / 2.0
    lens = USUAL_LENS_R * r
    width, width_sd = (1.0, ASPECT_SD)
    if stand is not None:
        width, width_sd = _width(stand.face_deg, stand.turn_deg[1])
    beside_sd = SIZE_NOISE / float(np.ptp(rows)) * lens

    def made(p: FloatArray) -> Solid:
        radius, slope, aspect, k, at, _ = p.tolist()
        return Solid(radius * r, slope / lens * r, np.inf, aspect, k, at * r, middle)

    def off(p: FloatArray) -> FloatArray:
        solid = made(p)
        pitch = p[1] / PITCH_SD
        if grows is not None:
            pitch = (solid.slope / solid.radius - grows[0]) / grows[1]
        beside = p[5] / lens * r * (rows - rows.mean())
        across = wide - solid.aspect * solid.across(rows) - beside
        upright = tall - solid.upright(rows) - solid.over(rows)
        below = solid.horizon - middle
        if stand is None:
            pitched = solid.slope / solid.radius * lens**2
            unsure = HORIZON_SD if grows is None else ROOM_HORIZON_SD
            horizon = [(below - pitched) / (unsure * height_px + LENS_SHARE * abs(pitched))]
        else:
            place, place_sd = stand.horizon_px
            pitched = solid.slope / solid.radius * stand.lens_px**2
            horizon = [
                (below - place) / (PLACE_SD_TIMES * place_sd),
                (below - pitched) / (PITCHED_SD_R * r + LENS_SD * abs(below)),
            ]
        prior = [
            *horizon,
            (solid.aspect - width) / width_sd,
            pitch,
            (p[3] - USUAL_K) / USUAL_K_SD,
            p[5] / beside_sd,
        ]
        return np.concatenate([across / (NOISE * r), upright / (noise * r), prior])

    found = least_squares(
        off, [1.0, 0.0, 1.0, USUAL_K, horizon / r, 0.0], loss="soft_l1", ftol=1e-5, xtol=1e-5,
        bounds=([0.8, -0.5, 0.6, 0.0, -np.inf, -0.5], [1.25, 0.5, 1.1, MOST_K, np.inf, 0.5]),
    )  # fmt: skip
    design = np.asarray(found.jac, float)
    read = 2 * len(rows)
    left = np.abs(np.asarray(found.fun, float)[:read])
    design[:read] /= max(1.48 * float(np.median(left)), LEAST_NOISE)
    sd = np.sqrt(np.diag(np.linalg.inv(design.T @ design + 1e-9 * np.eye(6))))
    slope_sd = float(sd[1] / lens * r)
    return float(found.cost), replace(made(found.x), slope_sd=slope_sd)
