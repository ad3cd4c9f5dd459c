"""Pictures on which the legs cannot be as the nets saw them, looked at anew.

Nets that know a body from any side read a crouched one turned over, where they come upon it first;
they follow it right once it stands. So these pictures are gone through backward, from the first
one after them that was read right: the body is then where it just was, and turned as it was.
"""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from itertools import chain, pairwise, takewhile

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.believed import FEET
from keenkettle.film.clip import Clip
from keenkettle.film.footage import Look
from keenkettle.film.no_disc import hide_disc
from keenkettle.film.outline import Outline, pack
from keenkettle.film.pose_net import (
    LEAST_PRESENCE,
    ROI_SCALE,
    SIDES,
    Crop,
    Landmarks,
    PoseNet,
    has_legs,
    head_up,
    is_upright,
    upright_crops,
)
from keenkettle.measure.geometry import FloatArray

TURNED_SHARE = 0.12  # of the disc's diameter, before legs count as bent the wrong way
LONG_TRUNK, LONG_THIGH = 0.38, 0.34  # shares of a body, which has 0.29 and 0.25
LOWEST_HIP = 0.15  # of the disc's diameter over the ankle; a full squat is twice as high
KNEES_APART = 0.08  # of a body: legs that are split
LARGER = 1.25
#: Of one who bends over the bar: hips behind and above its end, and the crop's side, in bodies;
#: the trunk from upright, radians.
BENT_AT, BENT_SIDE, BENT_TURN = (0.13, 0.2), 1.05, 1.05
CROP_PX = 320.0  # pictures are kept so small that a body's crop has as many pixels
AT_ONCE, SURE = 48, 8  # pictures kept at once; that must be right one after the other
USUAL, MOST_SHOW = (0.29, 0.245), 0.6  # trunk and thigh of a body (Winter 2009); share of looks
#: Shares of a limb: more is somebody else's; one squared tolerance; and what is odd.
LEAST_OFF, LONGER, SHORTER, ODD = 0.15, 0.12, 0.3, 6.0
#: Trunk, thigh and shank of a body, which has 0.78: with its head behind a disc the nets may take
#: what shows of two discs and the chest for a whole small one.
LEAST_BODY = 0.5
TIPPED = 0.06  # of a body: ears so little above the shoulders are those of one turned over


@dataclass(frozen=True)
class Doubt:
    """What a lifter's legs cannot do.

    Attributes:
        side: the way the athlete faces.
        plate_px: the disc's diameter.
        body_px: about how tall the athlete is.
    """

    side: str
    plate_px: float
    body_px: float

    def turned(self, xy: FloatArray, bar_xy: FloatArray) -> NDArray[np.bool_]:
        """Bodies (K,) whose hips cannot be: legs bent the wrong way, hips ahead of a hanging bar,
        a trunk or thigh far too long, a body far too small.

        Args:
            xy: landmarks, shape (K, 33, 2).
            bar_xy: bar end on the same frames, shape (K, 2).
        """
        index, ahead = SIDES[self.side], 1.0 if self.side == "right" else -1.0
        hip, knee, shoulder = (xy[:, index[n]] for n in ("hip", "knee", "shoulder"))
        wrong = ahead * (knee[:, 0] - hip[:, 0]) < -TURNED_SHARE * self.plate_px
        wrong &= ~self._split(xy, bar_xy)
        hanging = bar_xy[:, 1] > shoulder[:, 1] + 0.5 * self.plate_px
        wrong |= hanging & (ahead * (hip[:, 0] - bar_xy[:, 0]) > TURNED_SHARE * self.plate_px)
        wrong |= np.linalg.norm(shoulder - hip, axis=1) > LONG_TRUNK * self.body_px
        wrong |= np.linalg.norm(knee - hip, axis=1) > LONG_THIGH * self.body_px
        return np.asarray(wrong | self.small(xy))

    def _split(self, xy: FloatArray, bar_xy: FloatArray) -> NDArray[np.bool_]:
        """Bodies (K,) under a bar over the shoulders with the leg on the camera's side behind, the
        other in front: of one that is turned round both are behind.
        """
        near, far = SIDES[self.side], SIDES["left" if self.side == "right" else "right"]
        ahead = 1.0 if self.side == "right" else -1.0
        apart = ahead * (xy[:, far["knee"], 0] - xy[:, near["knee"], 0])
        high = bar_xy[:, 1] < xy[:, near["shoulder"], 1]
        return np.asarray(high & (apart > KNEES_APART * self.body_px))

    def small(self, xy: FloatArray) -> NDArray[np.bool_]:
        """Bodies (K,) that are far too small."""
        joints = [xy[:, SIDES[self.side][n]] for n in ("shoulder", "hip", "knee", "ankle")]
        parts = [np.linalg.norm(a - b, axis=1) for a, b in pairwise(joints)]
        return np.asarray(np.sum(parts, axis=0) < LEAST_BODY * self.body_px)

    def made_up(self, xy: FloatArray) -> NDArray[np.bool_]:
        """Bodies (K,) whose feet cannot be: as high as the hips, or on legs of another length."""
        index = SIDES[self.side]
        low = xy[:, index["ankle"], 1] - xy[:, index["hip"], 1] < LOWEST_HIP * self.plate_px
        return np.asarray(low | [not has_legs(body, self.body_px) for body in xy])

    def bent(self, bar_xy: tuple[float, float]) -> Crop:
        """Where a lifter is who bends over a bar that lies or hangs, turned as the trunk is."""
        x, y = bar_xy
        ahead = 1.0 if self.side == "right" else -1.0
        hip_x, hip_y = x - ahead * BENT_AT[0] * self.body_px, y - BENT_AT[1] * self.body_px
        return Crop(hip_x, hip_y, BENT_SIDE * self.body_px, ahead * BENT_TURN)

    def tipped(self, xy: FloatArray) -> NDArray[np.bool_]:
        """Bodies (K,) whose ears are hardly above their shoulders."""
        index = SIDES[self.side]
        above = xy[:, index["shoulder"], 1] - xy[:, index["ear"], 1]
        return np.asarray(above < TIPPED * self.body_px)


@dataclass(frozen=True)
class Limbs:
    """How long an athlete's trunk and thigh look to the nets, pixels."""

    trunk: float
    thigh: float

    def off(self, xy: FloatArray, side: str) -> FloatArray:
        """How far bodies (K, 33, 2) are from having such limbs, in squared tolerances (K,).

        A knee that points toward the camera shortens the thigh; nothing lengthens one.
        """
        trunk, thigh = _lengths(xy, side)
        long = np.clip(trunk / self.trunk - 1.0, -LEAST_OFF, None) / LONGER
        of_thigh = thigh / self.thigh - 1.0
        return np.asarray(long**2 + (of_thigh / np.where(of_thigh > 0.0, LONGER, SHORTER)) ** 2)


def limbs_of(xy: FloatArray, side: str, body_px: float) -> Limbs:
    """What most of the bodies (K, 33, 2) that are not wrong show, near to what is usual."""
    out = []
    for seen, usual in zip(_lengths(xy, side), USUAL, strict=True):
        own = float(np.quantile(seen, MOST_SHOW)) / body_px if len(seen) else usual
        out.append(
            body_px * float(np.clip(own, (1.0 - LEAST_OFF) * usual, (1 + LEAST_OFF) * usual))
        )
    return Limbs(*out)


def _lengths(xy: FloatArray, side: str) -> tuple[FloatArray, FloatArray]:
    hip, knee, shoulder = (xy[:, SIDES[side][n]] for n in ("hip", "knee", "shoulder"))
    return np.linalg.norm(shoulder - hip, axis=1), np.linalg.norm(knee - hip, axis=1)


class _Again:
    """The looks as they become better, and which are wrong still."""

    def __init__(self, look: Look, doubt: Doubt, bar_xy: FloatArray) -> None:
        self.xy, self.seen = look.xy.copy(), look.seen.copy()
        self.outlines: list[Outline] = list(look.outlines)
        self.doubt, self._bar_xy = doubt, bar_xy
        self.thighs, self.feet = doubt.turned(self.xy, bar_xy), doubt.made_up(self.xy)
        right = ~(self.thighs | self.feet)
        self._limbs = limbs_of(self.xy[right], doubt.side, doubt.body_px)
        self.off = self._limbs.off(self.xy, doubt.side)

    @property
    def impossible(self) -> NDArray[np.bool_]:
        """Looks (K,) whose thighs cannot be."""
        return np.asarray(self.thighs | (self.off > ODD))

    @property
    def doubtful(self) -> NDArray[np.bool_]:
        """Looks (K,) that should be read anew."""
        return np.asarray(self.impossible | self.feet)

    def wrong(self, k: int, read: Landmarks) -> tuple[bool, bool, bool, float]:
        """What is wrong with a reading of look ``k``, the worst first: the less, the better."""
        if read.presence < LEAST_PRESENCE or not is_upright(read.xy, self.doubt.body_px):
            return True, True, True, float("inf")
        thighs = bool(self.doubt.turned(read.xy[None], self._bar_xy[k][None])[0])
        off = float(self._limbs.off(read.xy[None], self.doubt.side)[0])
        return thighs, off > ODD, bool(self.doubt.made_up(read.xy[None])[0]), off

    def take(self, k: int, read: Landmarks) -> bool:
        """Keep a reading of look ``k`` if it is less wrong; whether its thighs can be."""
        now, off = self.wrong(k, read), float(self.off[k])
        if now < (bool(self.thighs[k]), off > ODD, bool(self.feet[k]), off):
            self.xy[k], self.seen[k] = read.xy, read.seen
            self.outlines[k] = pack(read.mask, read.matrix)
            self.thighs[k], _, self.feet[k], self.off[k] = now
        return not now[0]


def look_again(
    nets: tuple[PoseNet, ...],
    clip: Clip,
    look: Look,
    doubt: Doubt,
    bar_xy: FloatArray,
    radius_px: float,
) -> Look:
    """The looks with the wrong ones read anew, and what stays wrong dropped.

    Args:
        nets: that read pictures, as many at once.
        clip: the film.
        look: what they saw.
        doubt: what cannot be.
        bar_xy: bar end on all frames, shape (N, 2).
        radius_px: of the disc.
    """
    again = _Again(look, doubt, bar_xy[look.frames])
    with ThreadPoolExecutor(len(nets)) as pool:
        for first, last in _runs(again.doubtful):
            crop: Crop | None = look.crops[last]
            for hi in range(last, first - 1, -AT_ONCE):
                part = range(max(hi - AT_ONCE + 1, first), hi + 1)
                pictures = _kept(clip, look, part, bar_xy, radius_px, doubt.body_px)
                crop = _backward(nets, pool, pictures, crop, again)
    for n, rgb in clip.rgbs([int(n) for n in look.frames[again.thighs]]):
        k = int(np.flatnonzero(look.frames == n)[0])
        x, y = bar_xy[n].tolist()
        hide_disc(rgb, x, y, radius_px)
        found = nets[0].detect(rgb, (x, y))
        crops = [found, replace(found, side=found.side * LARGER)] if found is not None else []
        crops += [doubt.bent((x, y)), *upright_crops(found, (x, y), doubt.body_px)]
        for crop in crops:
            # Feet behind the disc are made up with any crop; thighs mostly are not.
            if again.take(k, nets[0].read(rgb, crop)):
                break
    # What stays wrong is not believed; the rest of the body was seen all the same, unless the
    # whole of it is turned over or another's.
    over = again.thighs & (doubt.tipped(again.xy) | doubt.small(again.xy))
    for names, rows in (
        (("hip", "knee", *FEET), again.impossible),
        (FEET, again.feet),
    ):
        legs = [i for s in SIDES.values() for n, i in s.items() if n in names]
        again.xy[np.flatnonzero(rows)[:, None], legs] = np.nan
    again.xy[over] = np.nan
    return replace(look, xy=again.xy, seen=again.seen, outlines=again.outlines)


def _runs(doubtful: NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    """First of each run of doubtful looks, and the look from which to go back to it: the last of
    SURE ones that are not. Runs with fewer between them are one.
    """
    first, calm = None, 0
    for k, bad in enumerate(doubtful):
        if bad:
            first, calm = k if first is None else first, 0
        elif first is not None:
            calm += 1
            if calm == SURE:
                yield first, k
                first = None
    if first is not None and calm:
        yield first, len(doubtful) - 1


@dataclass(frozen=True)
class _Small:
    """A picture kept small: look ``k``, its scale against the film's, and the bar's end on it."""

    k: int
    rgb: NDArray[np.uint8]
    scale: float
    bar_xy: tuple[float, float]

    def read(self, net: PoseNet, crop: Crop) -> Landmarks:
        """Landmarks by a crop of the film's picture, in its pixels."""
        s, half = self.scale, 0.5 * (1.0 - self.scale)  # pixels' centres are at whole numbers
        small = replace(crop, x=crop.x * s - half, y=crop.y * s - half, side=crop.side * s)
        read = net.read(self.rgb, small)
        matrix = read.matrix.copy()
        matrix[:, 2] += half
        there = self._large(read.next_crop)
        return replace(read, xy=(read.xy + half) / s, matrix=matrix / s, next_crop=there)

    def begin(self, net: PoseNet, body_px: float) -> Iterator[Crop]:
        """Crops of the film's picture where nothing is known of the one before."""
        s, half = self.scale, 0.5 * (1.0 - self.scale)
        x, y = self.bar_xy
        found = net.detect(self.rgb, (x * s - half, y * s - half))
        if found is not None:
            found = self._large(found)
            yield found
        yield from upright_crops(found, self.bar_xy, body_px)

    def _large(self, crop: Crop) -> Crop:
        s, half = self.scale, 0.5 * (1.0 - self.scale)
        return replace(crop, x=(crop.x + half) / s, y=(crop.y + half) / s, side=crop.side / s)


def _kept(
    clip: Clip, look: Look, part: range, bar_xy: FloatArray, radius_px: float, body_px: float
) -> list[_Small]:
    """These looks' pictures, the disc painted over."""
    scale = min(1.0, CROP_PX / (ROI_SCALE * body_px))
    place = {int(look.frames[k]): k for k in part}
    out = []
    for n, rgb in clip.rgbs(list(place)):
        x, y = bar_xy[n].tolist()
        hide_disc(rgb, x, y, radius_px)
        out.append(_Small(place[n], _reduced(rgb, scale), scale, (x, y)))
    return out


def _reduced(rgb: NDArray[np.uint8], scale: float) -> NDArray[np.uint8]:
    """A picture made smaller; halved first, as averages over other areas take ten times as long."""
    size = (round(rgb.shape[1] * scale), round(rgb.shape[0] * scale))
    while rgb.shape[1] >= 2 * size[0]:
        half = (rgb.shape[1] // 2, rgb.shape[0] // 2)
        rgb = np.asarray(cv2.resize(rgb, half, interpolation=cv2.INTER_AREA), np.uint8)
    return np.asarray(cv2.resize(rgb, size, interpolation=cv2.INTER_LINEAR), np.uint8)


def _backward(
    nets: tuple[PoseNet, ...],
    pool: ThreadPoolExecutor,
    pictures: list[_Small],
    crop: Crop | None,
    again: _Again,
) -> Crop | None:
    """Follow a body backward, from several beginnings where the first does not hold. The nets take
    turns, each with the crop of its own last picture.

    Returns:
        The crop to go on with, by the beginning that held longest; None where none did.
    """
    if not pictures:
        return None

    def read(net: PoseNet, picture: _Small, here: Crop) -> Landmarks:
        found = picture.read(net, here)
        if not again.wrong(picture.k, found)[0]:
            return found
        bent = picture.read(net, again.doubt.bent(picture.bar_xy))
        bent = picture.read(net, bent.next_crop)
        return min((found, bent), key=lambda r: again.wrong(picture.k, r))

    longest, on = 0, None
    begin = pictures[-1].begin(nets[0], again.doubt.body_px)
    for start in chain([] if crop is None else [crop], begin):
        crops, here, count = [start] * len(nets), start, 0
        for lo in range(0, len(pictures), len(nets)):
            some = pictures[::-1][lo : lo + len(nets)]
            reads = list(pool.map(read, nets, some, crops))
            held = list(takewhile(_holds, reads))
            for picture, found in zip(some, held, strict=False):
                again.take(picture.k, found)
                here, count = found.next_crop, count + 1
            if len(held) < len(reads):
                break
            crops = [found.next_crop for found in reads]
        if count > longest:
            longest, on = count, here
        if not any(again.impossible[p.k] for p in pictures):
            break
    return on


def _holds(read: Landmarks) -> bool:
    """Whether somebody is there, and not upside down."""
    return read.presence >= LEAST_PRESENCE and head_up(read.xy)
