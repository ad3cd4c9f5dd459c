"""Joints behind the disc by the outline of the limbs that lead to them.

A limb is seen up to the disc's rim, and its edges point to the joint that the disc covers. Across
a limb the outline's two edges are each so far from the line through its joints; how far, is a
property of that limb on that film and read from frames on which both edges are clear. The shoe's
sole, tip and heel tell of the foot in the same way.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keenkettle.film.far_disc import FarDisc
from keenkettle.film.fuse import Line
from keenkettle.film.outline import Masks, last_end, run_ends
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.motion import JOINTS

TRUNK = ("hip", "shoulder")
LIMBS = (("ankle", "knee"), ("knee", "hip"), TRUNK)
SHARES = np.array([0.15, 0.25, 0.35, 0.45, 0.55, 0.65, 0.75, 0.85])
#: The spine bends between pelvis and chest, so the small of the back keeps no distance from the
#: line of hip and shoulder.
WAIST = (0.3, 0.7)
STEP_MM = 4.0
REACH_MM = 260.0
WIDEST_MM = 300.0  # across more than this it is not one limb
#: The outline is coarse, and made up where the disc was painted over: beside it, it goes on so far.
NEAR_DISC_MM = 45.0
FAR_MM = 30.0  # more beside the far disc, whose place is known less well
LEAST_WIDTHS = 8  # frames with both edges, before a limb's width at a place is known
WIDTH_SPREAD = 0.15  # of the width: edges further apart or nearer are of something else
LEAST_MARKED = 2  # frames with a coach's marks that tell where the joints' line is
#: Share of what the nets say of the edges' middle against the joints' line: a limb is about as
#: thick before its joints as behind them, and the nets are no surer.
LOPSIDED = 0.5
#: Error of a leg's and of the trunk's middle by both edges, and times that by one alone.
EDGE_MM, TRUNK_EDGE_MM, LONE = 11.0, 16.0, 1.5
#: How far the shoe's sole is under a point of the foot: heel and toe are marked near it, and the
#: ankle is 0.039 of stature over the floor (Winter 2009) and a lifting shoe's heel.
SOLE_UNDER_MM = {"heel": 14.0, "toe": 14.0, "ankle": 76.0}
SOLE_SEEN = 0.25  # share of what the nets say against that; they draw feet up to the disc
SOLE_MM = 12.0
ABOVE_MM, BELOW_MM = 120.0, 160.0  # looked through for the sole, from a point of the foot
#: Points of the foot: before or behind them it ends, at most so far off.
TIPS = (("toe", 1.0, 60.0), ("heel", -1.0, 50.0))
TIP_MM = 14.0
WITHIN_MM, BEYOND_MM = 60.0, 140.0  # looked through for the foot's end, from a point of it


@dataclass(frozen=True)
class Scene:
    """What the outlines are read with; N frames of a span, K of them looked at.

    Attributes:
        masks: outlines of the K frames.
        at: those frames' places in the span, shape (K,).
        sure: where a joint is seen itself, shape (N, J).
        firm: where a coach marked it, shape (N, J).
        planted: while the feet stand on the floor, shape (N,).
        ahead: 1 where the athlete faces right, -1 left.
        discs: middles of the discs on the K frames, shape (K, D, 2), pixels.
        radii: their radii with a margin, shape (D,).
        mm: pixels per millimetre.
    """

    masks: Masks
    at: NDArray[np.int64]
    sure: BoolArray
    firm: BoolArray
    planted: BoolArray
    ahead: float
    discs: FloatArray
    radii: FloatArray
    mm: float

    def clear(self, points: FloatArray) -> BoolArray:
        """Whether points (K, ..., 2) are clear of the discs, shape (K, ...)."""
        middles = self.discs.reshape(len(self.at), *([1] * (points.ndim - 2)), -1, 2)
        away = np.linalg.norm(points[..., None, :] - middles, axis=-1)
        return np.asarray((away > self.radii).all(axis=-1))


def discs_of(
    bar_xy: FloatArray, radius: float, far: FarDisc | None, centre_px: FloatArray, mm: float
) -> tuple[FloatArray, FloatArray]:
    """Middles (K, D, 2) and radii (D,) with a margin of the discs on the bar, its end at (K, 2)."""
    margin = NEAR_DISC_MM * mm
    if far is None:
        return bar_xy[:, None], np.array([radius + margin])
    beside = bar_xy + far.offset(bar_xy, centre_px)
    radii = np.array([radius + margin, radius * far.size + margin + FAR_MM * mm])
    return np.stack([bar_xy, beside], axis=1), radii


def lines_of(p: FloatArray, scene: Scene) -> list[Line]:
    """What the outlines say of legs, trunk and feet, with joints (N, J, 2) known so far."""
    return [*_limb_lines(p, scene), *_sole_lines(p, scene), *_tip_lines(p, scene)]


def _limb_lines(p: FloatArray, scene: Scene) -> list[Line]:
    found = []
    at = scene.at
    for a, b in LIMBS:
        ia, ib = JOINTS.index(a), JOINTS.index(b)
        left, right, normal = _edges(p[at, ia], p[at, ib], scene)
        if (a, b) == TRUNK:
            # Arms hang before it: only the back is its own edge.
            (right if scene.ahead > 0 else left)[:] = np.nan
        sure = scene.sure[at, ia] & scene.sure[at, ib]
        firm = scene.firm[at, ia] & scene.firm[at, ib]
        for k, share in enumerate(SHARES):
            if (a, b) == TRUNK and WAIST[0] < share < WAIST[1]:
                continue
            place, error = _middle(left[:, k], right[:, k], sure, firm)
            middle = (1.0 - share) * p[at, ia] + share * p[at, ib]
            along = (middle * normal).sum(axis=1) + place
            sigma = error * (TRUNK_EDGE_MM if (a, b) == TRUNK else EDGE_MM) * scene.mm
            found.append(_line(ia, ib, float(share), normal, along, sigma, scene))
    return found


def _sole_lines(p: FloatArray, scene: Scene) -> list[Line]:
    """Under heel, toe and planted ankle; the nearer foot is the lower one on the picture."""
    found = []
    at = scene.at
    steps = np.arange(-ABOVE_MM, BELOW_MM, STEP_MM) * scene.mm
    for name, usual in SOLE_UNDER_MM.items():
        j = JOINTS.index(name)
        columns = p[at, j][:, None] + steps[:, None] * np.array([0.0, 1.0])
        end = last_end(scene.masks.read(columns))
        edge = p[at, j] + np.stack([np.zeros(len(at)), _at(end, steps)], -1)
        flat = scene.planted[at]
        known = np.isfinite(end) & scene.clear(edge) & (flat if name == "ankle" else True)
        under = edge[:, 1] - p[at, j, 1]
        marked = known & scene.firm[at, j]
        off = usual * scene.mm
        if marked.sum() >= LEAST_MARKED:
            off = float(np.median(under[marked]))
        elif (known & flat).sum() >= LEAST_WIDTHS:
            off += SOLE_SEEN * (float(np.median(under[known & flat])) - off)
        along = np.where(known, edge[:, 1] - off, np.nan)
        down = np.tile([0.0, 1.0], (len(at), 1))
        found.append(_line(j, j, 0.0, down, along, SOLE_MM * scene.mm, scene))
    return found


def _tip_lines(p: FloatArray, scene: Scene) -> list[Line]:
    """Where the foot ends before the toe and behind the heel."""
    found = []
    at = scene.at
    steps = np.arange(-WITHIN_MM, BEYOND_MM, STEP_MM) * scene.mm
    middle = int(np.argmin(np.abs(steps)))
    for name, side, most in TIPS:
        j, way = JOINTS.index(name), side * scene.ahead
        rows = p[at, j][:, None] + steps[:, None] * np.array([way, 0.0])
        _, end = run_ends(scene.masks.read(rows), middle)
        beyond = _at(end, steps)
        edge = p[at, j] + np.stack([way * beyond, np.zeros(len(at))], -1)
        known = np.isfinite(end) & scene.clear(edge)
        off = _offset(beyond, known & scene.sure[at, j], known & scene.firm[at, j], 1.0)
        off = way * float(np.clip(off, 0.0, most * scene.mm))
        along = np.where(known, edge[:, 0] - off, np.nan)
        across = np.tile([1.0, 0.0], (len(at), 1))
        found.append(_line(j, j, 0.0, across, along, TIP_MM * scene.mm, scene))
    return found


def _line(
    a: int,
    b: int,
    share: float,
    normal: FloatArray,
    along: FloatArray,
    sigma: FloatArray | float,
    scene: Scene,
) -> Line:
    """A line over the whole span from its values on the K frames, NaN where not known."""
    n = len(scene.planted)
    normals, places, sigmas = np.zeros((n, 2)), np.zeros(n), np.full(n, np.inf)
    normals[scene.at] = normal
    places[scene.at] = np.nan_to_num(along)
    sigmas[scene.at] = np.where(np.isfinite(along), sigma, np.inf)
    return Line(a, b, share, normals, places, sigmas)


def _edges(a: FloatArray, b: FloatArray, scene: Scene) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Edges of the limb from ``a`` to ``b``, each (K, 2), across it at SHARES.

    Returns:
        Places of both edges along the normal from the limb's line, shape (K, S), pixels, NaN
        where none is seen clear of the discs; and the normals (K, 2), which keep their side of
        the body however the limb turns.
    """
    limb = b - a
    normal = np.stack([-limb[:, 1], limb[:, 0]], -1)
    normal /= np.maximum(np.linalg.norm(limb, axis=1, keepdims=True), 1e-6)
    steps = np.arange(-REACH_MM, REACH_MM + STEP_MM / 2.0, STEP_MM) * scene.mm
    middles = a[:, None] + SHARES[:, None] * limb[:, None]
    points = middles[:, :, None] + steps[:, None] * normal[:, None, None]
    inside = scene.masks.read(points.reshape(len(a), -1, 2)).reshape(points.shape[:-1])
    ends = []
    for end in run_ends(inside, len(steps) // 2):
        offset = _at(end, steps)
        edge = middles + offset[..., None] * normal[:, None]
        ends.append(np.where(scene.clear(edge), offset, np.nan))
    left, right = ends
    with np.errstate(invalid="ignore"):
        wide = right - left > WIDEST_MM * scene.mm
    left[wide] = right[wide] = np.nan
    return left, right, normal


def _middle(
    left: FloatArray, right: FloatArray, sure: BoolArray, firm: BoolArray
) -> tuple[FloatArray, FloatArray]:
    """Where the joints' line passes, from the edges across a limb at one place, shape (K,).

    Returns:
        Places along the normal, NaN where not known, and errors, times that by both edges.
    """
    pair = np.isfinite(left) & np.isfinite(right)
    if pair.sum() >= LEAST_WIDTHS:
        width = float(np.median((right - left)[pair]))
        with np.errstate(invalid="ignore"):
            pair &= np.abs(right - left - width) < WIDTH_SPREAD * width
        off = _offset((right + left) / 2.0, pair & sure, pair & firm, LOPSIDED)
        ends = [left - (off - width / 2.0), right - (off + width / 2.0)]
    else:
        pair = np.zeros(len(left), bool)
        ends = [
            edge - _offset(edge, np.isfinite(edge) & sure, np.isfinite(edge) & firm, 1.0)
            for edge in (left, right)
        ]
    one = np.isfinite(ends[0]) ^ np.isfinite(ends[1])
    alone = np.where(np.isfinite(ends[0]), ends[0], ends[1])
    place = np.where(pair, (ends[0] + ends[1]) / 2.0, np.where(one, alone, np.nan))
    return place, np.where(pair, 1.0, LONE)


def _offset(place: FloatArray, sure: BoolArray, firm: BoolArray, share: float) -> float:
    """How far a place usually is from the joint or the joints' line, from a coach's marks or else,
    counted by ``share``, from joints that were seen; NaN where that cannot be told, or 0 where
    it is only a share.
    """
    if firm.sum() >= LEAST_MARKED:
        return float(np.median(place[firm]))
    if sure.sum() < LEAST_WIDTHS:
        return 0.0 if share < 1.0 else np.nan
    return share * float(np.median(place[sure]))


def _at(samples: FloatArray, steps: FloatArray) -> FloatArray:
    """Distances at fractional samples of evenly spaced steps; NaN stays."""
    return np.asarray(steps[0] + samples * (steps[1] - steps[0]))
