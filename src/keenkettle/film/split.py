"""A split: which leg is in front, and both followed until the feet are together again.

From the side the nets tell the two legs apart well only while they are apart; before and after
that one hides the other, and it is taken to be beside it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from scipy.ndimage import binary_closing, label

from keenkettle.film.believed import FEET, about
from keenkettle.film.footage import Footage, Look
from keenkettle.film.pose_net import SIDES
from keenkettle.film.whole_body import fuse_span
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.motion import JOINTS, JointTrack

T = TypeVar("T")

LEG = ("knee", "ankle", "heel", "toe")
REAR = "_rear"
#: Shares of a body: ankles apart; as high as each other within; the bar over the hips.
APART, LEVEL, OVER = 0.2, 0.12, 0.2
OVER_FOOT = 0.06  # shares of a body; so far beyond the nearer foot hips may be
#: Ankles so far apart tell the legs on the way into a split and out of it; looks that may not.
STILL_APART, BLINKS = 0.06, 4
LEAST_SPLIT = 8  # frames
#: What the leg away from the camera may be off besides, split and beside the other, mm.
FAR_MM, BESIDE_MM = 25.0, 30.0
REAR_MM = 30.0  # the rear foot stands on its toes, turned
STEPS_S = 0.35  # it takes to split the feet, and to bring one back
RECOVERY_S = 4.0  # the feet are together again so long after the bar is at rest overhead


@dataclass(frozen=True)
class Split:
    """On which looks (K,) the feet are split, and whether the camera's side is in front."""

    apart: BoolArray
    near_front: bool


def split_of(look: Look, bar_xy: FloatArray, side: str, body_px: float) -> Split | None:
    """Whether and when the feet are split, bar held high; None where they never are.

    Args:
        look: what the nets saw on K frames.
        bar_xy: bar end on the same frames, shape (K, 2), pixels.
        side: the way the athlete faces.
        body_px: about how tall the athlete is.
    """
    near, far = SIDES[side], SIDES["left" if side == "right" else "right"]
    ahead = 1.0 if side == "right" else -1.0
    hip = look.xy[:, [near["hip"], far["hip"]]].mean(axis=1)
    legs = [look.xy[:, s["ankle"]] - hip for s in (near, far)]
    with np.errstate(invalid="ignore"):
        apart = ahead * (legs[0] - legs[1])[:, 0]
        between = np.abs(legs[0] + legs[1])[:, 0] / 2.0 - np.abs(apart) / 2.0
        about = between < OVER_FOOT * body_px
        level = np.abs((legs[0] - legs[1])[:, 1]) < LEVEL * body_px
        high = hip[:, 1] - bar_xy[:, 1] > OVER * body_px
        there = about & level & high & (np.abs(apart) > APART * body_px)
        still = level & high & (np.abs(apart) > STILL_APART * body_px)
    if there.sum() < LEAST_SPLIT:
        return None
    runs, _ = label(still | binary_closing(still, np.ones(BLINKS + 1, bool)))
    whole = there | still & np.isin(runs, runs[there])
    return Split(np.asarray(whole), bool(np.median(apart[there]) > 0.0))


def until_recovered(
    spans: list[tuple[int, int]], look: Look, split: Split, fps: float, frames: int
) -> list[tuple[int, int]]:
    """Spans with a split go on until the feet may be together again; joined where they touch."""
    split_at = look.frames[split.apart]
    out: list[tuple[int, int]] = []
    for lo, hi in spans:
        last = hi
        if ((split_at >= lo) & (split_at <= hi)).any():
            last = min(hi + round(RECOVERY_S * fps), frames - 1)
        if out and lo <= out[-1][1] + 1:
            out[-1] = out[-1][0], max(last, out[-1][1])
        else:
            out.append((lo, last))
    return out


def fuse_legs(
    film: Footage,
    look: Look,
    split: Split | None,
    span: tuple[int, int],
    out: dict[str, JointTrack],
) -> None:
    """Solve for a span's joints, in a split for both legs, and write them into ``out``."""
    if split is None:
        fuse_span(film, look, span, out)
        return
    lo, hi = span
    part, count = slice(lo, hi + 1), len(film.times_s)
    told = about(split.apart, look.frames, STEPS_S * film.fps).astype(float)
    apart = np.interp(np.arange(count), look.frames, told)
    for front in (True, False):
        legs = _legs(look, film, split, front)
        marks, flow = film.marks, film.flow
        if not front:
            marks, flow = _of_rear(marks), _of_rear(flow)
        made = {n: JointTrack(t.xy_px.copy(), t.sigma_px.copy()) for n, t in out.items()}
        fuse_span(replace(film, marks=marks, flow=flow, split=True), legs, span, made)
        away = front != split.near_front
        for name in LEG if not front else JOINTS:
            key = name if front else name + REAR
            whole = out.setdefault(key, nothing(count))
            more = np.zeros(count)
            if name in LEG:
                more = np.hypot(away * (BESIDE_MM + apart * (FAR_MM - BESIDE_MM)),
                                REAR_MM * apart * (not front and name in FEET))  # fmt: skip
            whole.xy_px[part] = made[name].xy_px[part]
            whole.sigma_px[part] = np.hypot(made[name].sigma_px, more * film.mm)[part]
            if away and name in LEG:
                far_side = np.zeros(count, bool) if whole.far_side is None else whole.far_side
                far_side[part] = apart[part] > 0.5
                out[key] = replace(whole, far_side=far_side)


def _of_rear(told: dict[str, T]) -> dict[str, T]:
    """What was told of joints, with the rear leg's in the place of the front one's."""
    body = {k: v for k, v in told.items() if k not in LEG}
    return body | {n: told[n + REAR] for n in LEG if n + REAR in told}


def nothing(frames: int) -> JointTrack:
    """A joint that is known on none of so many frames."""
    return JointTrack(np.full((frames, 2), np.nan), np.full(frames, np.inf))


def _legs(look: Look, film: Footage, split: Split, front: bool) -> Look:
    """The looks with the front or the rear leg in the place of the camera's side.

    While the feet are together the near leg stands for both: the other is made up.
    """
    near, far = SIDES[film.side], SIDES["left" if film.side == "right" else "right"]
    ahead = 1.0 if film.side == "right" else -1.0
    first = ahead * (look.xy[:, near["ankle"], 0] - look.xy[:, far["ankle"], 0]) > 0.0
    in_front = np.where(split.apart, first, split.near_front)
    own = (in_front == front) | ~about(split.apart, look.frames, STEPS_S * film.fps)
    xy, seen = look.xy.copy(), look.seen.copy()
    for name in LEG:
        xy[~own, near[name]] = look.xy[~own, far[name]]
        seen[~own, near[name]] = look.seen[~own, far[name]]
    return replace(look, xy=xy, seen=seen)
