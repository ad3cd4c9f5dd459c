"""A few marks of the coach make the nets better on all other frames.

A net's idea of a joint differs from the coach's by an offset that sits on the limb and turns with
it. Each mark shows it; between marks it is interpolated along the limb and taken away. What
optical flow carried from the marks is weighed in, and limb lengths and the hand's place on the
bar are read from the marks.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from keenkettle.film.fuse import Limb
from keenkettle.film.plausible import RIGID, SOFT, Marks
from keenkettle.measure.geometry import FloatArray, included_deg
from keenkettle.measure.motion import JOINTS, JointTrack

NOISE_MM = {"elbow": 26.0, "wrist": 24.0, "knee": 12.0}  # a net's scatter from frame to frame
OTHER_NOISE_MM = 13.5
DRIFT_MM = {"elbow": 45.0, "wrist": 35.0}  # how far the offset may go astray half a second on
OTHER_DRIFT_MM = 20.0
DRIFT_S = 0.5
#: A net further off than this was astray on that frame: its offset on others is another.
ASTRAY_MM = {"elbow": 120.0, "wrist": 120.0}
OTHER_ASTRAY_MM = 90.0
LEFT_MM = {"wrist": 17.0, "elbow": 12.0}  # of the offset, after all
OTHER_LEFT_MM = 3.5
CLICK_MM = 5.0
#: Behind the disc the nets are off the same way frame after frame; marks tell better what is there.
#: The hip least of all: the trunk and the thigh that are seen on both sides of the disc lead to it.
HIDDEN_TIMES = {"hip": 1.0}
OTHER_HIDDEN_TIMES = 3.0
#: The limb that a joint's offset turns with; feet lie still.
ON_LIMB = {
    "hip": ("hip", "shoulder"), "shoulder": ("hip", "shoulder"), "ear": ("hip", "shoulder"),
    "knee": ("ankle", "knee"), "elbow": ("shoulder", "elbow"), "wrist": ("elbow", "wrist"),
}  # fmt: skip
ASTRAY = 2.0  # standard deviations between nets and flow from which flow loses its weight
#: A bent knee's cap and a hip's folds draw the nets; a straight leg's hardly, standard deviations.
WITH_BEND = ("knee", "hip")
STRAIGHT_MM, BENT_MM, BENT_OVER = 12.0, 30.0, 5
TRUNK_GIVE = 0.06  # a shrug lifts the shoulder from the hip


@dataclass(frozen=True)
class _Limb:
    """Over a span (N,): direction of the limb that a joint sits on, and how far the knee is bent,
    where that counts.
    """

    turn: FloatArray
    bent: FloatArray


@dataclass(frozen=True)
class Marked:
    """What marks say about a span: ``firm`` (N, J) where clicked, observations and errors."""

    xy: FloatArray
    sigma: FloatArray
    firm: FloatArray
    limbs: list[Limb]


def with_marks(
    xy: FloatArray,
    sigma: FloatArray,
    hidden: NDArray[np.bool_],
    marks: Marks,
    flow: dict[str, JointTrack],
    span: tuple[int, int],
    fps: float,
    mm: float,
) -> Marked:
    """Correct what the nets saw by marks and weigh in what was carried from them.

    Args:
        xy, sigma: what the nets saw in the span, shapes (N, J, 2) and (N, J), pixels.
        hidden: where the disc covers that, shape (N, J).
        marks: all of the clip's marks.
        flow: joints carried between marks over the whole clip.
        span: first and last frame.
        fps: frames a second.
        mm: pixels per millimetre.
    """
    lo, hi = span
    xy, sigma = xy.copy(), sigma.copy()
    firm = np.zeros(sigma.shape)
    every = np.arange(len(xy))
    net = xy.copy()
    straight = np.zeros(len(net))
    bent = _bent(net)
    for name, at in marks.items():
        if name not in JOINTS:
            continue
        j = JOINTS.index(name)
        here = {n - lo: p for n, p in at.items() if lo <= n <= hi}
        limb = _Limb(_turn(net, name), bent if name in WITH_BEND else straight)
        _correct(xy, sigma, hidden, j, name, here, every / fps, mm, limb)
        track = flow.get(name)
        if track is not None:
            _weigh_in(xy, sigma, j, track, lo, hi)
        for n, p in here.items():
            xy[n, j], sigma[n, j], firm[n, j] = p, CLICK_MM * mm, 1.0
    return Marked(xy, sigma, firm, _limbs(marks, lo, hi))


def _correct(
    xy: FloatArray,
    sigma: FloatArray,
    hidden: NDArray[np.bool_],
    j: int,
    name: str,
    here: dict[int, tuple[float, float]],
    t_s: FloatArray,
    mm: float,
    limb: _Limb,
) -> None:
    """Take the offset between net and marks away, in place."""
    seen = np.isfinite(xy[:, j, 0])
    sigma[hidden[:, j], j] *= HIDDEN_TIMES.get(name, OTHER_HIDDEN_TIMES)
    usable = []
    for n in sorted(here):
        near = slice(max(n - 1, 0), n + 2)
        if seen[n] and not hidden[n, j]:
            offset = np.array(here[n]) - np.nanmedian(xy[near, j], axis=0)
            if float(np.hypot(*offset)) < ASTRAY_MM.get(name, OTHER_ASTRAY_MM) * mm:
                usable.append((n, offset))
    if not usable:
        return
    frames = np.array([n for n, _ in usable])
    offsets = np.array([o for _, o in usable])
    every = np.arange(len(xy))
    own = _rotated(offsets, -limb.turn[frames])
    usual = _by_bend(own / mm, limb.bent[frames], limb.bent) * mm
    left = own - usual[frames]
    along = usual + np.stack([np.interp(every, frames, left[:, r]) for r in (0, 1)], -1)
    xy[:, j] += _rotated(along, limb.turn)
    away = np.abs(t_s[:, None] - t_s[frames][None]).min(axis=1)
    drift = DRIFT_MM.get(name, OTHER_DRIFT_MM) * np.minimum(away / DRIFT_S, 1.0)
    error = np.hypot(NOISE_MM.get(name, OTHER_NOISE_MM), drift) * mm
    ok = seen & ~hidden[:, j]
    sigma[ok, j] = error[ok]


def _by_bend(own_mm: FloatArray, bent_at: FloatArray, bent: FloatArray) -> FloatArray:
    """The offset that goes with how far the knee is bent, (N, 2) mm, by those of K marks (K, 2): on
    a straight leg it is small, so what a mark shows on a bent one is not all of it there.
    """
    noise = OTHER_NOISE_MM**2
    design = np.column_stack([np.ones(len(bent_at)), bent_at])
    normal = design.T @ design / noise + np.diag([1.0 / STRAIGHT_MM**2, 1.0 / BENT_MM**2])
    fit = np.linalg.solve(normal, design.T @ own_mm / noise)
    return np.asarray(fit[0] + bent[:, None] * fit[1])


def _bent(net: FloatArray) -> FloatArray:
    """How far the knee is bent, as the nets see it: 0 where it is straight, 1 at a right angle,
    shape (N,).
    """
    legs = (net[:, JOINTS.index(n)] for n in ("ankle", "knee", "hip"))
    bent = 2.0 - included_deg(*legs) / 90.0
    known = np.flatnonzero(np.isfinite(bent))
    if not len(known):
        return np.zeros(len(net))
    calm = median_filter(bent[known], BENT_OVER)
    return np.asarray(np.interp(np.arange(len(net)), known, calm))


def _turn(net: FloatArray, name: str) -> FloatArray:
    """Direction of the limb that a joint sits on, radians, shape (N,), as the nets see it."""
    if name not in ON_LIMB:
        return np.zeros(len(net))
    a, b = (JOINTS.index(n) for n in ON_LIMB[name])
    way = net[:, b] - net[:, a]
    known = np.flatnonzero(np.isfinite(way[:, 0]))
    if not len(known):
        return np.zeros(len(net))
    angle = np.unwrap(np.arctan2(way[known, 1], way[known, 0]))
    return np.asarray(np.interp(np.arange(len(net)), known, angle))


def _rotated(vectors: FloatArray, angle: FloatArray) -> FloatArray:
    """Vectors (N, 2) turned by angles (N,)."""
    cos, sin = np.cos(angle), np.sin(angle)
    x, y = vectors[:, 0], vectors[:, 1]
    return np.stack([cos * x - sin * y, sin * x + cos * y], -1)


def _weigh_in(
    xy: FloatArray,
    sigma: FloatArray,
    j: int,
    track: JointTrack,
    lo: int,
    hi: int,
) -> None:
    """Weigh what the nets saw of a joint with what flow carried, by their errors, in place."""
    flow, error = track.xy_px[lo : hi + 1], track.sigma_px[lo : hi + 1]
    wf = np.where(np.isfinite(flow[:, 0]), 1.0 / np.maximum(error, 0.5) ** 2, 0.0)
    wn = np.where(np.isfinite(xy[:, j, 0]), 1.0 / sigma[:, j] ** 2, 0.0)
    # Flow that has gone astray does not know it; where the nets see the joint they tell.
    gap = np.linalg.norm(np.nan_to_num(flow - xy[:, j]), axis=1)
    spread = np.hypot(np.minimum(error, 1e6), np.minimum(sigma[:, j], 1e6))
    wf /= (1.0 + (gap / (ASTRAY * spread)) ** 2) ** 2
    both = wf + wn
    ok = both > 0
    mixed = (np.nan_to_num(flow) * wf[:, None] + np.nan_to_num(xy[:, j]) * wn[:, None])[ok]
    xy[ok, j] = mixed / both[ok, None]
    sigma[ok, j] = 1.0 / np.sqrt(both[ok])


def _limbs(marks: Marks, lo: int, hi: int) -> list[Limb]:
    """Lengths between joints that are marked on the same frames; soft ones change in between."""
    every = np.arange(lo, hi + 1)
    limbs = []
    for table, rigid in ((RIGID, True), (SOFT, False)):
        for a, b, give in table:
            common = sorted(set(marks.get(a, {})) & set(marks.get(b, {})))
            if not common:
                continue
            ends = np.array([[marks[a][n], marks[b][n]] for n in common])
            lengths = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)
            middle = float(np.median(lengths))
            over = np.full(len(every), middle) if rigid else np.interp(every, common, lengths)
            least = 0.015 if rigid else TRUNK_GIVE if a == "hip" else give
            arm = "elbow" in (a, b)
            if arm:
                # One mark may show it foreshortened, the next frames not.
                over = np.full(len(every), float(lengths.max()))
            limbs.append(
                Limb(JOINTS.index(a), JOINTS.index(b), over, max(give, least) * middle, arm)
            )
    return limbs
