"""Joints of each frame held to what a body can be, by weighted least squares.

What was followed on the picture, the limbs' lengths and the hand on the bar are weighed
together, each with its own error (Gauss-Newton on all frames at once). The inverse of the
normal matrix is the covariance of the joints, so what the limbs add to a joint behind the
disc shows in its error too.
"""

from __future__ import annotations

import numpy as np

from keenkettle.measure.geometry import FloatArray

#: Legs and feet do not change their length on film: one length for the whole clip.
RIGID = (
    ("ankle", "knee", 0.010), ("knee", "hip", 0.010), ("ankle", "heel", 0.03),
    ("ankle", "toe", 0.03), ("heel", "toe", 0.03),
)  # fmt: skip
#: These are shortened by the view as they turn: interpolated between marks, held loosely.
SOFT = (
    ("hip", "shoulder", 0.03), ("shoulder", "elbow", 0.06), ("elbow", "wrist", 0.08),
    ("shoulder", "ear", 0.06),
)  # fmt: skip
HAND_SHARE = 0.035  # how far the wrist may stray from its interpolated place on the bar
CURVE_SHARE, CURVE_GAP_S = 0.04, 0.167  # curve error for marks a sixth of a second apart
ROUNDS = 6
UNKNOWN_PX = 1e4

Marks = dict[str, dict[int, tuple[float, float]]]


def hold_together(
    xy: FloatArray,
    sigma: FloatArray,
    names: list[str],
    marks: Marks,
    bar_px: FloatArray,
    plate_px: float,
) -> tuple[FloatArray, FloatArray]:
    """Weigh followed joints with limb lengths and the hand on the bar.

    Args:
        xy: followed joints, shape (N, J, 2), pixels; NaN where unknown.
        sigma: their standard deviation, shape (N, J); infinite where unknown.
        names: the J joints.
        marks: the coach's marks, from which lengths are read.
        bar_px: bar end, shape (N, 2).
        plate_px: disc diameter.

    Returns:
        Joints and their standard deviations, same shapes; unknown stays unknown.
    """  # fmt: skip
    index = {n: i for i, n in enumerate(names)}
    frames = np.arange(len(xy), dtype=float)
    known = np.isfinite(xy[..., 0])
    limbs = _limbs(index, marks, frames)
    start = np.where(known[..., None], np.nan_to_num(xy), bar_px[:, None, :])
    own = np.where(known, np.minimum(np.where(known, sigma, UNKNOWN_PX), UNKNOWN_PX), UNKNOWN_PX)
    weight = 1.0 / np.maximum(own, 0.2) ** 2
    target, extra = start.copy(), np.zeros_like(weight)
    wrist = index.get("wrist")
    hand = None
    if wrist is not None:
        hand = bar_px + hand_offset(marks["wrist"], bar_px, frames)
        extra[:, wrist] = 1.0 / (HAND_SHARE * plate_px) ** 2
    p = start.copy()
    for _ in range(ROUNDS):
        normal, right = _normal(p, target, weight, extra, hand, wrist, limbs)
        p = p + np.linalg.solve(normal, right[..., None])[..., 0].reshape(p.shape)
    covariance = np.linalg.inv(normal)
    variance = np.diagonal(covariance, axis1=1, axis2=2).reshape(p.shape).mean(axis=2)
    out, error = p.copy(), np.sqrt(variance)
    out[~known] = np.nan
    error[~known] = np.inf
    return out, error


def between_marks(
    marks: dict[int, tuple[float, float]], frames: int, plate_px: float, fps: float
) -> tuple[FloatArray, FloatArray]:
    """A smooth curve through one joint's marks, for where its picture tells nothing.

    Its error is that of a cubic through samples of a movement: small for marks a few frames
    apart, useless for marks a second apart.

    Returns:
        Points (frames, 2) and standard deviations (frames,); infinite outside the marks.
    """
    from scipy.interpolate import CubicSpline  # slow to load

    at = np.array(sorted(marks))
    points = np.array([marks[int(n)] for n in at])
    n = np.arange(frames)
    sigma = np.full(frames, np.inf)
    if len(at) < 4:
        return np.zeros((frames, 2)), sigma
    curve = CubicSpline(at, points)(np.clip(n, at[0], at[-1]))
    i = np.clip(np.searchsorted(at, n, side="right") - 1, 0, len(at) - 2)
    gap = (at[i + 1] - at[i]).astype(float)
    share = (n - at[i]) / gap
    inside = (share >= 0.0) & (share <= 1.0)
    reach = CURVE_SHARE * plate_px * (gap / fps / CURVE_GAP_S) ** 3
    error = np.hypot(reach * 4.0 * share * (1.0 - share), 0.012 * plate_px)
    sigma[inside] = error[inside]
    return np.asarray(curve), sigma


Limb = tuple[int, int, FloatArray, float]


def _limbs(index: dict[str, int], marks: Marks, frames: FloatArray) -> list[Limb]:
    limbs: list[Limb] = []
    for table, rigid in ((RIGID, True), (SOFT, False)):
        for a, b, give in table:
            if a not in index or b not in index:
                continue
            common = sorted(set(marks[a]) & set(marks[b]))
            if not common:
                continue
            lengths = np.array(
                [np.hypot(marks[a][n][0] - marks[b][n][0], marks[a][n][1] - marks[b][n][1])
                 for n in common]
            )  # fmt: skip
            over = (
                np.full(len(frames), float(np.median(lengths)))
                if rigid
                else np.interp(frames, common, lengths)
            )
            limbs.append((index[a], index[b], over, give))
    return limbs


def hand_offset(
    wrist: dict[int, tuple[float, float]], bar_px: FloatArray, frames: FloatArray
) -> FloatArray:
    """Wrist against the bar end, interpolated between its marks, shape (N, 2)."""
    at = sorted(wrist)
    offset = np.array([wrist[n] for n in at]) - bar_px[at]
    return np.stack([np.interp(frames, at, offset[:, i]) for i in (0, 1)], axis=-1)


def _normal(
    p: FloatArray,
    target: FloatArray,
    weight: FloatArray,
    extra: FloatArray,
    hand: FloatArray | None,
    wrist: int | None,
    limbs: list[Limb],
) -> tuple[FloatArray, FloatArray]:
    """Normal matrices (N, 2J, 2J) and right sides (N, 2J) of one Gauss-Newton round."""
    n, joints, _ = p.shape
    normal = np.zeros((n, 2 * joints, 2 * joints))
    diagonal = np.repeat(weight + extra, 2, axis=1)
    normal[:, np.arange(2 * joints), np.arange(2 * joints)] = diagonal
    right = weight[..., None] * (target - p)
    if hand is not None and wrist is not None:
        right[:, wrist] += extra[:, wrist, None] * (hand - p[:, wrist])
    side = right.reshape(n, 2 * joints)
    for a, b, lengths, give in limbs:
        d = p[:, b] - p[:, a]
        dist = np.maximum(np.linalg.norm(d, axis=1), 1e-6)
        u = d / dist[:, None]
        w = 1.0 / (give * lengths) ** 2
        jac = np.zeros((n, 2 * joints))
        jac[:, 2 * a : 2 * a + 2], jac[:, 2 * b : 2 * b + 2] = -u, u
        normal += w[:, None, None] * jac[:, :, None] * jac[:, None, :]
        side += (w * (lengths - dist))[:, None] * jac
    return normal, side
