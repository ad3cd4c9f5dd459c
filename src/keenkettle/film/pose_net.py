"""A person's joints on one picture, by two offline nets shipped inside the package.

The detector finds the person on a 224 x 224 picture; the landmark net reads 33 points from a
256 x 256 crop turned so that the body stands up, and the crop of the next frame follows from
them (Bazarevsky et al. 2020, BlazePose). Weights: see ``nets/README.md``.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import files
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.measure.geometry import FloatArray

DETECT_PX, CROP_PX, MAP_PX = 224, 256, 64
POINTS = 39  # 33 body points, 2 that place the next crop, 4 spare
HIP_CENTRE, CIRCLE = 33, 34
ROI_SCALE = 1.25
LEAST_SCORE, LEAST_PRESENCE = 0.5, 0.5
#: A square about the bar where nobody is found on the whole picture, shares of its shorter side.
PARTS = (0.65, 1.0, 0.45)
HALF = 0.6  # of the picture's width, a half with some overlap
HOLDS, STAYS = 0.42, 0.15  # of the body: a hand's way to the bar; the hips' way between looks
LIKE_SIZE = 0.6  # of the largest person: smaller ones stand far behind
#: Shares of a body's height. Trunk and leg are 0.29 and 0.49 of it (Winter 2009), less what a turn
#: to the camera hides; shoulders over ankles at least; ears below hips at most, of the trunk.
TRUNK, LEGS, LOW_HEAD, LEAST_TALL = (0.13, 0.45), (0.27, 0.68), 0.2, 0.28
MOST_TURN = 1.2  # a lifter's trunk from upright, radians
LEAST_SEEN = 0.35  # the detector's least score for somebody to count at all
FACE_POINTS = 11  # the first landmarks: nose, eyes, ears, mouth
HEAD = 0.07  # least radius of a head, as a share of its body's crop
REFINE_CELLS = 3  # cells of the heat map to each side of a point
LEAST_HEAT = 0.1
STRIDES = ((8, 2), (16, 2), (32, 6))  # grid step in pixels, anchors a cell

#: Landmarks by our joint names, for the left and the right side of the body.
SIDES: dict[str, dict[str, int]] = {
    "left": {
        "ear": 7, "shoulder": 11, "elbow": 13, "wrist": 15, "hip": 23, "knee": 25, "ankle": 27,
        "heel": 29, "toe": 31,
    },
    "right": {
        "ear": 8, "shoulder": 12, "elbow": 14, "wrist": 16, "hip": 24, "knee": 26, "ankle": 28,
        "heel": 30, "toe": 32,
    },
}  # fmt: skip


class NoNetError(RuntimeError):
    """The nets cannot run on this machine; joints are then marked by hand."""


@dataclass(frozen=True)
class Crop:
    """A turned square on the picture: centre and side in pixels, turn in radians."""

    x: float
    y: float
    side: float
    turn: float


@dataclass(frozen=True)
class Landmarks:
    """``xy`` (33, 2) pixels; ``seen`` (33,) visibility 0 to 1; ``presence`` of a person.

    ``mask`` (256, 256): logits of the person on the crop; ``matrix`` (2, 3) goes from its pixels
    to the picture's.
    """

    xy: FloatArray
    seen: FloatArray
    presence: float
    next_crop: Crop
    mask: NDArray[np.float32]
    matrix: FloatArray


def available() -> bool:
    """Whether the nets can run here."""
    try:
        import ai_edge_litert.interpreter  # noqa: F401
    except (ImportError, OSError):
        return False
    return True


class _Net:
    """A net that is loaded, and where its picture goes in and what it tells comes out."""

    def __init__(self, net: Any) -> None:
        self._net = net
        self._picture = int(net.get_input_details()[0]["index"])
        outputs = sorted(net.get_output_details(), key=lambda d: str(d["name"]))
        self._outputs = [int(d["index"]) for d in outputs]

    def run(self, picture: NDArray[np.float32]) -> list[NDArray[np.float32]]:
        """Outputs in the order of their names, of a picture (height, width, 3)."""
        self._net.set_tensor(self._picture, picture[None])
        self._net.invoke()
        return [self._net.get_tensor(index) for index in self._outputs]


def _load(name: str) -> _Net:
    try:
        from ai_edge_litert.interpreter import Interpreter
    except (ImportError, OSError) as err:
        raise NoNetError(
            "joints cannot be found by themselves on this machine (the net's runtime is missing); "
            "mark them by hand"
        ) from err
    nets = files("keenkettle.film") / "nets"
    parts = sorted(p.name for p in nets.iterdir() if p.name.startswith(name))
    data = b"".join((nets / part).read_bytes() for part in parts)
    with _without_chatter():
        # Another thread hardly makes one net faster; two of them at once are worth both cores.
        net = Interpreter(model_content=data, num_threads=1)
        net.allocate_tensors()
    return _Net(net)


@contextmanager
def _without_chatter() -> Iterator[None]:
    """The runtime writes of its own doings to standard error, where scripts read ours."""
    sys.stderr.flush()
    kept, nothing = os.dup(2), os.open(os.devnull, os.O_WRONLY)
    os.dup2(nothing, 2)
    try:
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)
        os.close(nothing)


@cache
def _anchors() -> FloatArray:
    """Centres of the detector's anchors, shape (2254, 2), 0 to 1."""
    rows = []
    for stride, count in STRIDES:
        n = DETECT_PX // stride
        y, x = np.mgrid[0:n, 0:n]
        centre = (np.stack([x, y], -1).reshape(-1, 2) + 0.5) / n
        rows.append(np.repeat(centre, count, axis=0))
    return np.concatenate(rows)


class PoseNet:
    """Both nets, a thread's own. ``crop`` carries over from frame to frame; ``begin`` on a seek."""

    def __init__(self) -> None:
        """Load the nets.

        Raises:
            NoNetError: the runtime is missing.
        """
        self._detector, self._landmarker = (
            _load("pose_detection.tflite"),
            _load("pose_landmark_full.tflite"),
        )
        self.crop: Crop | None = None
        self._hips: FloatArray | None = None  # of who had a hand near the bar

    def find(
        self,
        rgb: NDArray[np.uint8],
        near: tuple[float, float] | None = None,
        body_px: float | None = None,
    ) -> Landmarks | None:
        """Landmarks of one person, None where nobody is found.

        Args:
            rgb: picture, shape (height, width, 3).
            near: a point, pixels, beside which the person is looked for first.
            body_px: about how tall the person is, where known; nobody is then found who is on
                their head, and one of that size before one of another. With ``near``, the end of
                the bar, whoever had a hand near it is found again, and nobody else.
        """
        other: Landmarks | None = None
        odd: Landmarks | None = None
        for crop in self._to_try(rgb, near, body_px):
            found = self.read(rgb, crop)
            if found.presence < LEAST_PRESENCE:
                continue
            if body_px is not None and not is_upright(found.xy, body_px):
                if odd is None and head_up(found.xy):
                    odd = found  # of another size: what was taken for the disc may be none
            elif near is None or body_px is None or self._is_meant(found.xy, near, body_px):
                self.crop = found.next_crop
                return found
            else:
                other = other or found
        spare = (other if self._hips is None else None) or odd
        self.crop = None if spare is None else spare.next_crop
        return spare

    def begin(self) -> None:
        """Forget where the person was, as after a cut."""
        self.crop = self._hips = None

    def _is_meant(self, xy: FloatArray, near: tuple[float, float], body_px: float) -> bool:
        """Whether somebody has a hand near the bar, or is where who had one was just before: others
        lift behind.
        """
        (hips,) = _both_sides(xy, "hip")
        (wrists,) = _both_sides(xy, "wrist")
        at = hips.mean(axis=0)
        holds = np.linalg.norm(wrists - np.array(near), axis=1).min() < HOLDS * body_px
        stays = self._hips is not None and np.linalg.norm(at - self._hips) < STAYS * body_px
        if holds or stays:
            self._hips = at
        return bool(holds or stays)

    def _to_try(
        self, rgb: NDArray[np.uint8], near: tuple[float, float] | None, body_px: float | None
    ) -> Iterator[Crop]:
        """The crop that carries over, the detector's, and upright ones of the body's size."""
        if self.crop is not None:
            yield self.crop
        found = self.detect(rgb, near)
        if found is not None:
            yield found
        if body_px is not None and near is not None:
            yield from upright_crops(found, near, body_px)

    def detect(self, rgb: NDArray[np.uint8], near: tuple[float, float] | None) -> Crop | None:
        """The crop round the person, by the detector; None where nobody is found.

        Somebody small in the picture shows in a part of it only, larger there.
        """
        shares = (None, *PARTS) if near is not None else (None,)
        for share in shares:
            scores, points = self._people(*_part(rgb, near, share))
            if len(scores) and scores.max() >= LEAST_SCORE:
                break
        else:
            return None
        good = scores >= min(LEAST_SCORE, 0.9 * float(scores.max()))
        scores, points = scores[good], points[good]
        best = int(np.argmax(scores))
        if near is not None:
            reach = 2.0 * np.linalg.norm(points[:, 1] - points[:, 0], axis=1)
            off = np.linalg.norm(points[:, 0] - np.array(near), axis=1)
            best = int(np.argmax(scores - np.minimum(off / np.maximum(reach, 1.0), 2.0)))
        return _crop(points[best, 0], points[best, 1])

    def heads(self, rgb: NDArray[np.uint8]) -> list[tuple[float, float, float]]:
        """Circles (x, y, radius) in pixels round the heads of everyone who is found."""
        heads = []
        for crop in self._crops(rgb, LEAST_SEEN):
            face = self.read(rgb, crop).xy[:FACE_POINTS]
            middle = face.mean(axis=0)
            reach = float(np.linalg.norm(face - middle, axis=1).max())
            heads.append((float(middle[0]), float(middle[1]), max(2.2 * reach, HEAD * crop.side)))
        return heads

    def count(self, rgb: NDArray[np.uint8]) -> int:
        """How many people of like size are in the picture; those far behind do not count.

        Looked for on the whole and on both halves, where people are larger.
        """
        width = rgb.shape[1]
        part = round(HALF * width)
        found = self._crops(rgb, LEAST_SEEN)
        for left in (0, width - part):
            for crop in self._crops(rgb[:, left : left + part], LEAST_SEEN):
                found.append(replace(crop, x=crop.x + left))
        people: list[Crop] = []
        for crop in found:
            if _apart(crop, people) and self.read(rgb, crop).presence >= LEAST_PRESENCE:
                people.append(crop)
        return sum(c.side >= LIKE_SIZE * max(p.side for p in people) for c in people)

    def _crops(self, rgb: NDArray[np.uint8], least: float) -> list[Crop]:
        """A crop round everyone who is found, the surest first."""
        scores, points = self._people(rgb)
        crops: list[Crop] = []
        for i in np.argsort(-scores):
            crop = _crop(points[i, 0], points[i, 1])
            if scores[i] >= least and _apart(crop, crops):
                crops.append(crop)
        return crops

    def _people(
        self, rgb: NDArray[np.uint8], corner: tuple[int, int] = (0, 0)
    ) -> tuple[FloatArray, FloatArray]:
        """Scores (K,), and of each the hips' middle and a point round it (K, 2, 2), pixels.

        ``corner`` is where a part of a picture begins in the whole of it.
        """
        height, width = rgb.shape[:2]
        side = max(height, width)
        scale = DETECT_PX / side
        small = cv2.resize(rgb, (round(width * scale), round(height * scale)),
                           interpolation=cv2.INTER_AREA)  # fmt: skip
        box = np.zeros((DETECT_PX, DETECT_PX, 3), np.float32)
        top, left = (DETECT_PX - small.shape[0]) // 2, (DETECT_PX - small.shape[1]) // 2
        box[top : top + small.shape[0], left : left + small.shape[1]] = small / 127.5 - 1.0
        out = self._detector.run(box)
        raw = next(o for o in out if o.shape[-1] == 12)[0].astype(float)
        logits = np.clip(next(o for o in out if o.shape[-1] == 1)[0, :, 0].astype(float), -60, 60)
        scores = 1.0 / (1.0 + np.exp(-logits))
        good = np.flatnonzero(scores >= LEAST_SEEN)
        points = raw[good, 4:8].reshape(-1, 2, 2) + _anchors()[good][:, None] * DETECT_PX
        return scores[good], (points - np.array([left, top])) / scale + np.array(corner)

    def read(self, rgb: NDArray[np.uint8], crop: Crop) -> Landmarks:
        """Landmarks from one crop of the picture, whether or not somebody is in it."""
        cos, sin = np.cos(crop.turn), np.sin(crop.turn)
        s = crop.side / CROP_PX
        # From crop pixels to picture pixels.
        matrix = np.array([[s * cos, -s * sin, 0.0], [s * sin, s * cos, 0.0]])
        matrix[:, 2] = (crop.x, crop.y) - matrix[:, :2] @ np.array([CROP_PX / 2, CROP_PX / 2])
        square = cv2.warpAffine(rgb, matrix, (CROP_PX, CROP_PX),
                                flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)  # fmt: skip
        out = self._landmarker.run(square.astype(np.float32) / np.float32(255.0))
        points = next(o for o in out if o.size == POINTS * 5).reshape(POINTS, 5)
        flag = next(o for o in out if o.size == 1)
        heat = next(o for o in out if o.size == MAP_PX * MAP_PX * POINTS)[0]
        xy = _refine(np.asarray(points[:, :2], float), heat)
        pixels = xy @ matrix[:, :2].T + matrix[:, 2]
        seen = 1.0 / (1.0 + np.exp(-np.asarray(points[:33, 3], float)))
        return Landmarks(
            pixels[:33],
            seen,
            float(flag.ravel()[0]),
            _crop(pixels[HIP_CENTRE], pixels[CIRCLE]),
            next(o for o in out if o.size == CROP_PX * CROP_PX).reshape(CROP_PX, CROP_PX),
            matrix,
        )


def is_upright(xy: FloatArray, body_px: float) -> bool:
    """Whether landmarks (33, 2) are of somebody of about this size whose head is up."""
    shoulder, hip = _both_sides(xy, "shoulder", "hip")
    trunk = float(np.linalg.norm(shoulder - hip, axis=1).mean()) / body_px
    return TRUNK[0] < trunk < TRUNK[1] and head_up(xy)


def head_up(xy: FloatArray) -> bool:
    """Whether the ears are above the hips, or hardly below: the nets know people from any side."""
    ear, shoulder, hip = _both_sides(xy, "ear", "shoulder", "hip")
    trunk = float(np.linalg.norm(shoulder - hip, axis=1).mean())
    return float((ear - hip)[:, 1].mean()) < LOW_HEAD * trunk


def has_legs(xy: FloatArray, body_px: float) -> bool:
    """Whether legs are under the body and about as long as they must be; behind a disc the nets
    make them up.
    """
    shoulder, hip, knee, ankle = _both_sides(xy, "shoulder", "hip", "knee", "ankle")
    if float((ankle - shoulder)[:, 1].mean()) < LEAST_TALL * body_px:
        return False
    parts = ((hip, knee), (knee, ankle))
    length = sum(float(np.linalg.norm(a - b, axis=1).mean()) for a, b in parts) / body_px
    return LEGS[0] < length < LEGS[1]


def _both_sides(xy: FloatArray, *names: str) -> list[FloatArray]:
    """Both sides' landmarks of each name, shape (2, 2)."""
    return [xy[[side[n] for side in SIDES.values()]] for n in names]


def upright_crops(found: Crop | None, near: tuple[float, float], body_px: float) -> Iterator[Crop]:
    """Crops that hold a lifter of a known size, about whom a detector found or else the bar."""
    side = ROI_SCALE * body_px
    if found is not None:
        if abs(found.turn) < MOST_TURN:
            yield replace(found, side=side)
        yield Crop(found.x, found.y, side, 0.0)
    yield Crop(near[0], near[1], side, 0.0)


def _part(
    rgb: NDArray[np.uint8], near: tuple[float, float] | None, share: float | None
) -> tuple[NDArray[np.uint8], tuple[int, int]]:
    """A square about a point, its side a share of the picture's shorter one; and its corner."""
    if near is None or share is None:
        return rgb, (0, 0)
    height, width = rgb.shape[:2]
    side = round(share * min(height, width))
    x = int(np.clip(near[0] - side / 2, 0, width - side))
    y = int(np.clip(near[1] - side / 2, 0, height - side))
    return rgb[y : y + side, x : x + side], (x, y)


def _apart(crop: Crop, others: list[Crop]) -> bool:
    return all(np.hypot(c.x - crop.x, c.y - crop.y) > 0.3 * c.side for c in others)


def _crop(hip: FloatArray, circle: FloatArray) -> Crop:
    """The square round a body from its hip's middle and a point on the circle round it."""
    d = circle - hip
    turn = np.pi / 2.0 - np.arctan2(-d[1], d[0])
    turn = float((turn + np.pi) % (2.0 * np.pi) - np.pi)
    side = 2.0 * float(np.hypot(*d)) * ROI_SCALE
    return Crop(float(hip[0]), float(hip[1]), max(side, 16.0), turn)


def _refine(xy: FloatArray, heat: NDArray[np.float32]) -> FloatArray:
    """Move each point to the middle of its heat map's peak, where there is one."""
    share = MAP_PX / CROP_PX
    cell = (xy * share).astype(int)
    inside = ((cell >= 0) & (cell < MAP_PX)).all(axis=1)
    near = np.arange(-REFINE_CELLS, REFINE_CELLS + 1)
    x, y = cell[:, :1] + near, cell[:, 1:] + near  # (points, cells)
    on_x, on_y = (np.clip(at, 0, MAP_PX - 1) for at in (x, y))
    value = heat[on_y[:, :, None], on_x[:, None, :], np.arange(len(xy))[:, None, None]]
    patch = 1.0 / (1.0 + np.exp(-value.astype(float)))
    patch *= (on_y == y)[:, :, None] & (on_x == x)[:, None, :]
    total = patch.sum(axis=(1, 2))
    peak = inside & (patch.max(axis=(1, 2)) >= LEAST_HEAT)
    middle = np.stack(
        [(patch.sum(axis=1) * x).sum(axis=1), (patch.sum(axis=2) * y).sum(axis=1)], -1
    )
    return np.where(peak[:, None], middle / np.maximum(total, 1e-9)[:, None] / share, xy)
