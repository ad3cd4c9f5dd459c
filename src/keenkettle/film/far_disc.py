"""Where the camera stood, from the disc on the bar's far end.

The far disc stands beside the near one by a shift that tells which way and how far the camera is
turned, and is smaller, and nearer the picture's middle, by how far away the camera is. With the
bar at many heights and pictures laid over each other at it, only the far rim keeps its place;
so all of them vote together (a circle's Hough transform: Duda & Hart 1972) for a shift and a size.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from itertools import product

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.planes import Gray
from keenkettle.film.rim import Ring
from keenkettle.measure.geometry import BoolArray, FloatArray

#: Near disc's outer face to the far disc's rim: bar's collars are 1310 mm apart, discs 50 to 90 mm
#: thick, and the far one's rim is seen from within.
BETWEEN_MM, DISC_R_MM = 1380.0, 225.0
STRIP = 4.0  # near radii to each side of the bar
MOST_KEPT, RATE = 120, 30.0  # pictures, and how many a second
LEAST_STEP = 0.04  # radii from one to the next, with the bar moving
ROOM_LOOKS = 15  # pictures that tell what does not move
LOOKED_AT, FEW = 24, 10  # pictures that vote, and fewer that do not
RADIUS_PX = 60.0  # pictures are kept so small
SIZES = np.arange(0.65, 0.94, 0.03)  # of the far disc against the near one: camera 2.6 to 15 m away
USUAL_SIZE = 0.77  # from 4.4 m
#: Near radii: a camera turned by up to 30 degrees, or that looks up or down by 12.
ASIDE, OVER = np.arange(-2.48, 2.481, 0.08), np.arange(-0.88, 0.881, 0.08)
COARSE_PX, FINE = 24.0, 0.04  # near radius on pictures that are looked at first; steps after
RIM = np.linspace(0.0, 2.0 * np.pi, 72, endpoint=False)
SHOWS = 1.08  # of the near radius: rim points beyond are not the near disc's
LEAST_SHOWN, ENOUGH_SHOWN = 8, 32  # rim points of 72 that must show; more than that adds little
USUAL = 0.5  # a rim point counts that shows on more than so many of the pictures
#: Cameras stand 3 to 9 m away.
USUAL_SIZE, USUAL_SIZE_SD, PRIOR_WEIGHT = 0.78, 0.06, 0.1
USUAL_OVER = 0.15  # radii: cameras look up or down by some degrees
OVER_SD = 0.06  # radii, what the camera's pitch tells of that at best
SOBEL = 8.0 / 3.0  # its answer to one grey a pixel, against a change over three pixels
NOISE_EVERY = 7  # of the changes beside a rim, one in so many tells the noise
#: Films without a far disc in view reach 1.55 where something else has votes as well, those with
#: one 1.4 to 3; and less if it stands alone.
SURE_VOTE, LEAST_VOTE = 2.0, 1.6
LEAST_ALONE, LEAST_COARSE, ALONE = 0.5, 1.5, 1.5  # votes, and times the next best place's
#: The same where the camera's pitch says how high it stands, on 24 films by two renderers: what is
#: not it has 0.75 votes at most, and is never alone.
PITCHED_VOTE, PITCHED_ALONE, PITCHED_COARSE, SURE_PITCH = 1.2, 0.3, 1.1, 0.5
ELSEWHERE = 0.35  # radii to the next best place
LEAST_TRAVEL = 1.5  # radii that the bar rises, or the room keeps its place as well
STILL, SINKS = 0.05, 0.15  # radii: lower than this is not yet on its way; has sunk again
#: Of the near radius, and more with the shift itself; of the size; by films with known cameras.
ASIDE_SD, ASIDE_SHARE, SIZE_SD = 0.04, 0.05, 0.02
WEAK, WEAK_TIMES = 1.35, 1.5  # fewer votes, and how much larger the errors are then


@dataclass(frozen=True)
class Tilt:
    """How far above or below the near one's a far disc is to be looked for.

    A camera that looks upward shows the near disc smaller higher up, and the far one lower.

    Attributes:
        grows: share by which the near disc's width grows a pixel downward, and its standard
            deviation; infinite where that is not known.
        radius_px: of the near disc.
    """

    grows: tuple[float, float] = (0.0, float("inf"))
    radius_px: float = 1.0

    def over(self, sizes: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Shift downward and its standard deviation, near radii, for far discs of sizes (S,)."""
        lens_px = sizes / (1.0 - sizes) * BETWEEN_MM * self.radius_px / DISC_R_MM
        per = lens_px**2 * (1.0 - sizes) / self.radius_px
        told_sd = np.hypot(OVER_SD, self.grows[1] * per)
        told = 1.0 / (1.0 + (told_sd / USUAL_OVER) ** 2)
        return np.asarray(told * self.grows[0] * per), USUAL_OVER * np.sqrt(1.0 - told)

    @property
    def sure(self) -> bool:
        """Whether the pitch tells more than that cameras look up or down by some degrees."""
        left = float(self.over(np.array(USUAL_SIZE))[1])
        return left < USUAL_OVER * float(np.sqrt(1.0 - SURE_PITCH))


@dataclass(frozen=True)
class FarDisc:
    """The far disc against the near one.

    Attributes:
        aside_px: shift beyond what the distance explains, pixels to the right.
        size: its radius against the near one's.
        aside_sd_px, size_sd: their standard deviations.
        over_px: shift downward likewise; a camera that looks upward shows the far disc lower.
    """

    aside_px: float
    size: float
    aside_sd_px: float
    size_sd: float
    over_px: float = 0.0

    def offset(self, bar_px: FloatArray, centre_px: FloatArray) -> FloatArray:
        """Its middle against the near one's, for bar ends (..., 2), pixels."""
        return np.asarray((self.size - 1.0) * (bar_px - centre_px) + [self.aside_px, self.over_px])

    def camera_m(self, mm_per_px: float) -> tuple[float, float]:
        """Camera to the near disc, m, and its relative standard deviation."""
        deeper_m = BETWEEN_MM / 1000.0 * float(np.cos(np.radians(self.yaw_deg(mm_per_px)[0])))
        distance = self.size / (1.0 - self.size) * deeper_m
        return distance, self.size_sd / (self.size * (1.0 - self.size))

    @property
    def horizon_px(self) -> float:
        """How far below the middle of the picture the bar's axis vanishes, pixels: the horizon."""
        return self.over_px / (1.0 - self.size)

    @property
    def horizon_sd_px(self) -> float:
        """Its standard deviation; the far disc is found as well downward as aside."""
        return self.aside_sd_px / (1.0 - self.size)

    def yaw_deg(self, mm_per_px: float) -> tuple[float, float]:
        """Turn of the camera from side-on, signed, and its standard deviation, degrees."""
        per = mm_per_px / (self.size * BETWEEN_MM)
        yaw = float(np.arcsin(np.clip(self.aside_px * per, -0.9, 0.9)))
        sd = self.aside_sd_px * per
        return float(np.degrees(yaw)), float(np.degrees(sd / np.cos(yaw)))


def turned_by(yaw_deg: float, sigma_deg: float, px_per_mm: float) -> FarDisc:
    """What a far disc would look like that does not show, the camera's turn being known otherwise.

    The camera's distance is then a usual one, with its spread.
    """
    per = USUAL_SIZE * BETWEEN_MM * px_per_mm
    yaw, sigma = np.radians(yaw_deg), np.radians(sigma_deg)
    aside, error = float(np.sin(yaw)) * per, float(sigma * np.cos(yaw)) * per
    return FarDisc(aside, USUAL_SIZE, error, USUAL_SIZE_SD)


class FarWatch:
    """Looks on while frames go by and keeps a strip round the bar of some of them, small."""

    def __init__(self, ring: Ring, size: tuple[int, int], fps: float) -> None:
        """Begin with the near disc as found, and the picture's width and height."""
        self._radius = ring.r
        self._scale = min(1.0, RADIUS_PX / ring.r)
        self._left = max(int(ring.x - STRIP * ring.r), 0)
        self._right = int(ring.x + STRIP * ring.r)
        self._centre = (np.array(size) - 1.0) / 2.0
        self._kept: dict[int, tuple[Gray, ...]] = {}
        self._step = max(round(fps / RATE), 1)

    def watch(self, frames: Iterable[tuple[int, Gray, Gray]]) -> Iterator[tuple[int, Gray, Gray]]:
        """The same frames, looked at on the way: number, luma and tone of shape (height, width)."""
        for number, luma, tone in frames:
            if number % self._step == 0:
                self._keep(number, luma, tone)
            if len(self._kept) > MOST_KEPT:
                self._step *= 2
                self._kept = {n: g for n, g in self._kept.items() if n % self._step == 0}
            yield number, luma, tone

    def find(
        self,
        bar_px: FloatArray,
        again: Callable[[int, int], Iterable[tuple[int, Gray, Gray]]],
        drift_px: FloatArray | None = None,
        grows: tuple[float, float] = (0.0, float("inf")),
    ) -> FarDisc | None:
        """The far disc, with the bar's end (N, 2) known; None where it does not show.

        Args:
            bar_px: the bar's end on all frames.
            again: gives frames from one to before another, as ``watch`` does, where too few of
                them were kept.
            drift_px: how far the room moves on them (N, 2), where the camera was held by hand.
            grows: of the near disc's width, as in ``Tilt``.
        """
        tilt = Tilt(grows, self._radius)
        drift = np.zeros_like(bar_px) if drift_px is None else drift_px
        lo, hi = _first_rise(bar_px[:, 1], self._radius)
        if lo >= hi:
            return None
        if sum(lo <= n <= hi for n in self._kept) < FEW:
            for number, luma, tone in again(lo, hi + 1):
                if (number - lo) % max((hi - lo) // LOOKED_AT, 1) == 0:
                    self._keep(number, luma, tone)
        kept = np.array(sorted(self._kept))
        before = bar_px[np.maximum(kept - self._step, 0)]
        moves = np.linalg.norm(bar_px[kept] - before, axis=1) > LEAST_STEP * self._radius

        def still(n: int, which: int) -> Gray:
            return _moved(self._kept[int(n)][which], -drift[n] * self._scale)

        # While the bar rises the athlete hides little of the far disc; overhead nothing does.
        best: Voted | None = None
        parts = kept[(kept >= lo) & (kept <= hi)], kept[(kept > hi) & moves]
        pictures = len(self._kept[int(kept[0])])
        for which, part in product(range(pictures), parts):
            if len(part) < FEW or (best is not None and best.vote > SURE_VOTE):
                continue
            room = [still(n, which) for n in _everywhere(kept, bar_px)]
            pick = np.linspace(0, len(part) - 1, min(LOOKED_AT, len(part))).round().astype(int)
            numbers = part[np.unique(pick)]
            strips = [still(n, which) for n in numbers]
            ends, centre = self._small((bar_px - drift)[numbers]), self._small(self._centre)
            voted = _vote(strips, room, ends, centre, self._radius * self._scale, tilt)
            if voted.told and (best is None or voted.score > best.score):
                best = voted
        if best is None:
            return None
        r, times = self._radius, 1.0 if best.vote > WEAK else WEAK_TIMES
        aside_sd = times * float(np.hypot(ASIDE_SD, ASIDE_SHARE * best.aside)) * r
        return FarDisc(best.aside * r, best.size, aside_sd, times * SIZE_SD, best.over * r)

    def _small(self, points: FloatArray) -> FloatArray:
        """Points of the picture on a kept strip."""
        return (points - [self._left, 0.0] + 0.5) * self._scale - 0.5

    def _keep(self, number: int, luma: Gray, tone: Gray) -> None:
        """In the tone, and in luma where that is another: the discs do not pass the same places."""
        self._kept[number] = (self._strip(tone), *(() if tone is luma else (self._strip(luma),)))

    def _strip(self, shown: Gray) -> Gray:
        strip = shown[:, self._left : self._right]
        size = (round(strip.shape[1] * self._scale), round(strip.shape[0] * self._scale))
        # INTER_AREA is much slower; this leaves out at most a third of the detail.
        return np.array(cv2.resize(strip, size, interpolation=cv2.INTER_LINEAR), np.uint8)


def _everywhere(kept: NDArray[np.intp], bar_px: FloatArray) -> NDArray[np.intp]:
    """Frames of those kept on which the bar is at places spread over all its way: what most of
    them show is the room.
    """
    steps = np.linalg.norm(np.diff(bar_px[kept], axis=0), axis=1)
    way = np.concatenate([[0.0], np.cumsum(steps)])
    at = np.searchsorted(way, np.linspace(0.0, way[-1], ROOM_LOOKS))
    return np.asarray(kept[np.unique(np.minimum(at, len(kept) - 1))])


def _moved(strip: Gray, shift_px: FloatArray) -> Gray:
    """A picture moved by (2,) pixels, its edge carried on."""
    if not shift_px.any():
        return strip
    matrix = np.array([[1.0, 0.0, shift_px[0]], [0.0, 1.0, shift_px[1]]])
    size = (strip.shape[1], strip.shape[0])
    return np.asarray(
        cv2.warpAffine(strip, matrix, size, borderMode=cv2.BORDER_REPLICATE), np.uint8
    )


def _first_rise(bar_y: FloatArray, radius: float) -> tuple[int, int]:
    """Frames from which to which the bar first rises far, and no longer than until it sinks
    again: then the athlete is under it and hides the far disc.
    """
    low, lowest = 0, float(bar_y[0])
    for i in range(1, len(bar_y)):
        if bar_y[i] > lowest - STILL * radius:
            low = i  # lower, or not yet on its way
            lowest = max(lowest, float(bar_y[i]))
        elif bar_y[i] > bar_y[low : i + 1].min() + SINKS * radius or i == len(bar_y) - 1:
            top = low + int(np.argmin(bar_y[low : i + 1]))
            if bar_y[low] - bar_y[top] >= LEAST_TRAVEL * radius:
                return low, top
            low, lowest = i, float(bar_y[i])
    return 0, 0


@dataclass(frozen=True)
class Voted:
    """The best place: its votes, finely and coarsely, and how many times the next best place's.

    ``aside`` and ``over`` (downward) in near radii, ``size`` against the near disc; ``pitched``
    where the camera's pitch said how high it would be.
    """

    vote: float
    coarse: float
    alone: float
    aside: float
    over: float
    size: float
    pitched: bool = False

    @property
    def told(self) -> bool:
        """Whether a far disc is there."""
        most, least, coarse = LEAST_VOTE, LEAST_ALONE, LEAST_COARSE
        if self.pitched:
            most, least, coarse = PITCHED_VOTE, PITCHED_ALONE, PITCHED_COARSE
        alone = self.alone >= ALONE and self.coarse >= coarse
        return self.vote > most or (alone and self.vote >= least)

    @property
    def score(self) -> float:
        """What tells the better of two."""
        return self.vote + self.alone


def _vote(
    strips: list[Gray],
    room: list[Gray],
    bar: FloatArray,
    centre: FloatArray,
    radius: float,
    tilt: Tilt,
) -> Voted:
    """The far disc's best place: coarsely everywhere, then finely round the best.

    Args:
        strips: grey pictures of one size.
        room: the same with the bar at places spread over all its way.
        bar: middle of the near disc on each, shape (K, 2), strip pixels.
        centre: middle of the whole picture, shape (2,), strip pixels.
        radius: of the near disc, strip pixels.
        tilt: where it is to be looked for.
    """
    share = COARSE_PX / radius
    size = (round(strips[0].shape[1] * share), round(strips[0].shape[0] * share))
    small, small_room = (
        [np.asarray(cv2.resize(s, size, interpolation=cv2.INTER_AREA), np.uint8) for s in some]
        for some in (strips, room)
    )
    ends, middle = (bar + 0.5) * share - 0.5, (centre + 0.5) * share - 0.5
    grid = Grid(SIZES[::2], ASIDE, OVER, RIM[::2])
    (shown,) = _rims(small, small_room, ends, middle, COARSE_PX, [grid])
    coarse = _votes(shown, grid, tilt, shown.middling)
    most, aside, over, _ = _peak(coarse, SIZES[::2], ASIDE, OVER)
    away = np.hypot(ASIDE[:, None] - aside, OVER - over) > ELSEWHERE
    alone = most / max(float(coarse[:, away].max()), 1e-3)
    near = np.arange(-3, 4) * FINE
    wide = Grid(SIZES[::3], ASIDE[::5], OVER[::5], RIM)
    grid = Grid(SIZES, np.asarray(aside + near), np.asarray(over + near), RIM)
    usual, shown = _rims(strips, room, bar, centre, radius, [wide, grid])
    fine = _votes(shown, grid, tilt, usual.middling)
    vote, by, down, size_there = _peak(fine, grid.sizes, grid.asides, grid.overs)
    return Voted(vote, most, alone, by, down, size_there, tilt.sure)


@dataclass(frozen=True)
class Grid:
    """Sizes (S,), shifts aside (A,) and downward (O,) in near radii, points of a rim (P,)."""

    sizes: FloatArray
    asides: FloatArray
    overs: FloatArray
    rim: FloatArray


def _peak(
    vote: FloatArray, sizes: FloatArray, asides: FloatArray, overs: FloatArray
) -> tuple[float, float, float, float]:
    """The greatest vote of an array (S, A, O), and where it is: aside, down, size."""
    i, k, m = (int(n) for n in np.unravel_index(int(np.argmax(vote)), vote.shape))
    if vote[i, k, m] <= 0.0:
        return 0.0, 0.0, 0.0, 1.0
    part = (
        slice(max(i - 1, 0), i + 2), slice(max(k - 2, 0), k + 3), slice(max(m - 2, 0), m + 3),
    )  # fmt: skip
    near = np.clip(vote[part] - 0.6 * vote[i, k, m], 0.0, None)
    weight = near / near.sum()
    aside = (weight.sum(axis=(0, 2)) * asides[part[1]]).sum()
    over = (weight.sum(axis=(0, 1)) * overs[part[2]]).sum()
    size = (weight.sum(axis=(1, 2)) * sizes[part[0]]).sum()
    return float(vote[i, k, m]), float(aside), float(over), float(size)


@dataclass(frozen=True)
class Rims:
    """Of rims at the places of a grid (S, A, O): the share of each that is seen, and how many of
    72 points of it could be.
    """

    share: FloatArray
    count: FloatArray

    @property
    def open(self) -> BoolArray:
        """Places at which enough of a rim would show."""
        return np.asarray(self.count >= LEAST_SHOWN)

    @property
    def middling(self) -> float:
        """The share of a rim that is seen where there is none."""
        return float(np.median(self.share[self.open])) if self.open.any() else 0.0


def _rims(
    strips: list[Gray],
    room_strips: list[Gray],
    bar: FloatArray,
    centre: FloatArray,
    radius: float,
    grids: list[Grid],
) -> list[Rims]:
    """What is seen of rims at the places of each grid; else as ``_vote``."""
    still = np.stack([cv2.GaussianBlur(strip, (0, 0), 1.2) for strip in room_strips])
    room = np.median(still, axis=0).astype(np.float32)
    seen = [_Seen(grid, radius) for grid in grids]
    for strip, end in zip(strips, bar, strict=True):
        # Posts and panels of the room would vote as well, wherever the bar is.
        moved = cv2.GaussianBlur(strip, (0, 0), 1.2).astype(np.float32) - room
        slopes = tuple(
            np.asarray(cv2.Sobel(moved, cv2.CV_32F, *way, scale=1.0 / SOBEL), np.float32)
            for way in ((1, 0), (0, 1))
        )
        for one in seen:
            one.add(slopes, end, centre)
    return [one.rims(len(strips)) for one in seen]


class _Seen:
    """Adds up over pictures what is seen of rims at the places of a grid."""

    def __init__(self, grid: Grid, radius: float) -> None:
        around = np.stack([np.cos(grid.rim), np.sin(grid.rim)], -1)
        self._around, self._radius = around, radius
        shape = (len(grid.sizes), len(grid.asides), len(grid.overs), len(grid.rim))
        self._seen, self._shown = np.zeros(shape, np.float32), np.zeros(shape, np.uint8)
        # Of a rim's points from the near end: aside (S, A, 1, P) and downward (S, 1, O, P).
        round_x, round_y = (grid.sizes[:, None, None, None] * radius * around[:, k] for k in (0, 1))
        self._asides = grid.asides[None, :, None, None] * radius + round_x
        self._overs = grid.overs[None, None, :, None] * radius + round_y
        self._nearer = (grid.sizes - 1.0)[:, None, None, None]

    def add(
        self, slopes: tuple[NDArray[np.float32], ...], end: FloatArray, centre: FloatArray
    ) -> None:
        """A picture's slopes to the right and downward, with the near end (2,) on it."""
        off_x = self._nearer * (end[0] - centre[0]) + self._asides
        off_y = self._nearer * (end[1] - centre[1]) + self._overs
        across, beside = _changes(slopes, end[0] + off_x, end[1] + off_y, self._around)
        noise = 1.48 * float(np.median(np.abs(beside.ravel()[::NOISE_EVERY]))) + 0.3
        shows = off_x**2 + off_y**2 > (SHOWS * self._radius) ** 2
        across *= across
        beside *= beside
        beside += across + np.float32((3.0 * noise) ** 2)
        across /= beside
        across *= shows
        self._seen += across
        self._shown += shows

    def rims(self, pictures: int) -> Rims:
        """What was seen on so many pictures."""
        points = self._shown.shape[-1]
        usual = self._shown > USUAL * pictures
        share = np.where(usual, self._seen / np.maximum(self._shown, 1), -1.0)
        count = usual.sum(axis=-1)
        # The body hides a part of the rim: its better half counts.
        return Rims(_better_half(share, count), count * (len(RIM) / points))


def _votes(shown: Rims, grid: Grid, tilt: Tilt, usual: float) -> FloatArray:
    """Votes (S, A, O) for a far disc of each size at each shift, against the share of a rim that is
    usually seen, which tells of nothing.
    """
    if not shown.open.any():
        return np.zeros(shown.count.shape)
    vote = (shown.share - usual) * np.sqrt(np.minimum(shown.count, ENOUGH_SHOWN) / 2.0)
    vote -= PRIOR_WEIGHT * ((grid.sizes[:, None, None] - USUAL_SIZE) / USUAL_SIZE_SD) ** 2
    over, over_sd = (v[:, None, None] for v in tilt.over(grid.sizes))
    vote -= PRIOR_WEIGHT * ((grid.overs[None, None, :] - over) / over_sd) ** 2
    return np.asarray(np.where(shown.open, vote, -9.0))


def _better_half(values: FloatArray, count: FloatArray) -> FloatArray:
    """Mean of the higher half of ``count`` (...) values along the last axis, the highest."""
    half = np.maximum(np.round(count).astype(int) // 2, 1)
    total = np.cumsum(np.sort(values, axis=-1)[..., ::-1], axis=-1)
    return np.asarray(np.take_along_axis(total, (half - 1)[..., None], -1)[..., 0] / half)


def _changes(
    slopes: tuple[NDArray[np.float32], ...], x: FloatArray, y: FloatArray, around: FloatArray
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Change of grey at places (S, A, O, P) along unit vectors (P, 2), and square to them.

    ``x`` and ``y`` need not be of that shape, if together they come to it.
    """
    shape = np.broadcast_shapes(x.shape, y.shape)
    flat = (-1, shape[-1])
    across_at, down_at = (
        np.broadcast_to(v.astype(np.float32), shape).reshape(flat) for v in (x, y)
    )
    right, down = (
        np.asarray(
            cv2.remap(s, across_at, down_at, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT),
            np.float32,
        )
        for s in slopes
    )
    cos, sin = around.T.astype(np.float32)
    across, beside = right * cos + down * sin, down * cos - right * sin
    return across.reshape(shape), beside.reshape(shape)
