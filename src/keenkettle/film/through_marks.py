"""Where joints are between a coach's marks that say it, by what they stand on, hold or turn with.

The picture may show nothing of them there: the disc is before them, or the nets are drawn to it.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from keenkettle.film.fuse import Pull
from keenkettle.film.plausible import Marks
from keenkettle.film.with_marks import DRIFT_S
from keenkettle.measure.geometry import BoolArray, FloatArray

HAND_MM, HAND_DRIFT_MM = 16.0, 35.0
#: A foot that stands is where marks before and after say; the head goes on as the trunk turns.
STANDS_MM, HEAD_MM = 8.0, 40.0
RACKED_MM, RACKED_DRIFT_MM = 25.0, 50.0  # of an elbow in the rack; the more of it half a second on
LEAST_TURN_DEG = 8.0  # of the trunk between two marks, that tells how the head goes with it


def shoulder_under(
    held: FloatArray, on: BoolArray, shoulder: dict[int, tuple[float, float]], lo: int
) -> FloatArray:
    """Where the shoulder is while the bar lies on it, by its marks, shape (N, 2); NaN elsewhere.

    It goes with the bar: what a mark differs by from the bar's middle is carried between marks.

    Args:
        held: where the bar is held, over a span, shape (N, 2).
        on: whether it lies on the shoulders, shape (N,).
        shoulder: its marks by frame.
        lo: first frame of the span.
    """
    out = np.full_like(held, np.nan)
    at = np.array(sorted(n - lo for n in shoulder if 0 <= n - lo < len(on) and on[n - lo]), int)
    if len(at):
        off = np.array([shoulder[int(n) + lo] for n in at]) - held[at]
        every = np.arange(len(on))
        through = np.stack([np.interp(every, at, off[:, r]) for r in (0, 1)], -1)
        out[on] = (held + through)[on]
    return out


def _marked_runs(
    on: BoolArray, marks: dict[int, tuple[float, float]], lo: int
) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Of a span from frame ``lo``, the frames of each run of ``on`` (N,) in which there are marks,
    and those that are marked.
    """
    runs, count = label(on)
    for run in range(1, count + 1):
        every = np.flatnonzero(runs == run)
        at = np.array([n for n in every if int(n) + lo in marks], np.int64)
        if len(at):
            yield every, at


def elbow_racked(
    p: FloatArray, on: BoolArray, elbow: dict[int, tuple[float, float]], lo: int, fps: float,
    mm: float, joints: tuple[int, int],
) -> Pull:  # fmt: skip
    """Where the elbow is while the bar lies in the rack and a mark shows it there: it goes with the
    shoulder.

    Args:
        p: joints as known so far, shape (N, J, 2), pixels.
        on: whether the bar lies there, shape (N,).
        elbow: its marks by frame.
        lo: first frame of the span.
        fps: frames a second.
        mm: pixels per millimetre.
        joints: numbers of shoulder and elbow.
    """
    shoulder, j = joints
    place, sigma = p[:, j].copy(), np.full(len(p), np.inf)
    for every, at in _marked_runs(on, elbow, lo):
        off = np.array([elbow[int(n) + lo] for n in at]) - p[at, shoulder]
        through = np.stack([np.interp(every, at, off[:, r]) for r in (0, 1)], -1)
        place[every] = p[every, shoulder] + through
        away_s = np.abs(every[:, None] - at).min(axis=1) / fps
        sigma[every] = np.hypot(RACKED_MM, RACKED_DRIFT_MM * away_s / DRIFT_S) * mm
    return Pull(j, place, sigma)


def stands_through(
    j: int, foot: dict[int, tuple[float, float]], stands: BoolArray, lo: int, mm: float
) -> Pull:
    """Where a point of a foot that stands is, through its marks: the disc may hide it in between.

    Args:
        j: the joint.
        foot: its marks by frame.
        stands: whether it is planted, over a span, shape (N,).
        lo: first frame of the span.
        mm: pixels per millimetre.
    """
    place, sigma = np.zeros((len(stands), 2)), np.full(len(stands), np.inf)
    for every, at in _marked_runs(stands, foot, lo):
        marked = np.array([foot[int(n) + lo] for n in at])
        place[every] = np.stack([np.interp(every, at, marked[:, r]) for r in (0, 1)], -1)
        # Marks on both sides that differ say that it did not stand all the while.
        after = np.clip(np.searchsorted(at, every), 1, max(len(at) - 1, 1))
        apart = marked[np.minimum(after, len(at) - 1)] - marked[after - 1]
        sigma[every] = np.hypot(STANDS_MM * mm, 0.5 * np.linalg.norm(apart, axis=1))
    return Pull(j, place, sigma)


def head_through(
    p: FloatArray, marks: Marks, lo: int, mm: float, joints: tuple[int, int, int]
) -> Pull:
    """Where the ear is by its marks: between two of them it goes with the trunk as that turns.

    Args:
        p: joints as known so far, shape (N, J, 2), pixels.
        marks: all of the clip's marks.
        lo: first frame of the span.
        mm: pixels per millimetre.
        joints: numbers of hip, shoulder and ear.
    """
    hip, shoulder, ear = joints
    own = marks.get("ear", {})
    at = np.array(sorted(n - lo for n in own if 0 <= n - lo < len(p)), int)
    if not len(at):
        return Pull(ear, p[:, ear], np.full(len(p), np.inf))
    off = np.array([own[int(n) + lo] for n in at]) - p[at, shoulder]
    way = p[:, shoulder] - p[:, hip]
    trunk = np.unwrap(np.arctan2(way[:, 1], way[:, 0]))
    every = np.arange(len(p))
    after = np.clip(np.searchsorted(at, every), 1, max(len(at) - 1, 1))
    first, last = np.minimum(after - 1, len(at) - 1), np.minimum(after, len(at) - 1)
    a, b = at[first], at[last]
    share = np.clip((every - a) / np.maximum(b - a, 1), 0.0, 1.0)
    turned = trunk[b] - trunk[a]
    tells = np.abs(turned) > np.radians(LEAST_TURN_DEG)
    by_turn = np.clip((trunk - trunk[a]) / np.where(tells, turned, 1.0), 0.0, 1.0)
    share = np.where(tells, by_turn, share)[:, None]
    place = p[:, shoulder] + (1.0 - share) * off[first] + share * off[last]
    return Pull(ear, place, np.full(len(p), HEAD_MM * mm))


def hand_through(
    usual: Pull, wrist: dict[int, tuple[float, float]], lo: int, fps: float, mm: float
) -> Pull:
    """Where the hand holds the bar, brought through the marks of the wrist.

    What a mark differs by from the usual place is carried to the frames between marks; the
    further from a mark, the less sure.

    Args:
        usual: the wrist's place without marks, over a span.
        wrist: its marks by frame.
        lo: first frame of the span.
        fps: frames a second.
        mm: pixels per millimetre.
    """
    at = np.array(sorted(n - lo for n in wrist if 0 <= n - lo < len(usual.xy)), int)
    if not len(at):
        return usual
    off = np.array([wrist[int(n) + lo] for n in at]) - usual.xy[at]
    every = np.arange(len(usual.xy))
    place = usual.xy + np.stack([np.interp(every, at, off[:, r]) for r in (0, 1)], -1)
    away = np.abs(every[:, None] - at).min(axis=1) / fps
    drift = HAND_DRIFT_MM * np.minimum(away / DRIFT_S, 1.0)
    return Pull(usual.j, place, np.hypot(HAND_MM, drift) * mm)
