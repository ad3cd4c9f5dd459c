"""Joints of a whole span fused from weak observations and what is known of a lifter.

One weighted least-squares problem over all frames: what was seen of each joint (each with its
own error, outliers weighed down), limbs that keep their lengths, the hand on the bar, feet that
stay where they are, and motion without impossible accelerations. The unknowns of frame n touch
only those of n - 1, n - 2 and n + 1, n + 2, so the normal matrix is banded and solved as such;
columns of its inverse give the covariance.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.linalg import cho_solve_banded, cholesky_banded

from keenkettle.measure.geometry import FloatArray

ROUNDS = 14
OUTLIER_AT = 2.0  # residuals beyond so many standard deviations lose weight (Cauchy)
SIGMA_EVERY = 6  # frames between those whose covariance is worked out; between, interpolated


@dataclass(frozen=True)
class Seen:
    """What was seen: ``xy`` (N, J, 2) pixels, NaN where nothing; ``sigma`` (N, J) pixels.

    ``firm`` (N, J) marks what a coach clicked: it is never taken for an outlier.
    """

    xy: FloatArray
    sigma: FloatArray
    firm: FloatArray


@dataclass(frozen=True)
class Limb:
    """Joints ``a`` and ``b`` stay ``length`` pixels apart, give or take ``sigma``.

    ``length`` may change over the frames, shape (N,). ``most`` means at most so far apart: a limb
    that turns out of the picture's plane looks shorter than it is.
    """

    a: int
    b: int
    length: float | FloatArray
    sigma: float
    most: bool = False


@dataclass(frozen=True)
class Pull:
    """Joint ``j`` is near ``xy`` (N, 2) with ``sigma`` (N,), infinite where that is not known."""

    j: int
    xy: FloatArray
    sigma: FloatArray


@dataclass(frozen=True)
class Line:
    """The point at ``share`` from joint ``a`` to ``b`` lies on a line across the limb.

    ``normal`` (N, 2) and ``along`` (N,) give it (normal . point = along); ``sigma`` (N,) pixels,
    infinite where that is not known.
    """

    a: int
    b: int
    share: float
    normal: FloatArray
    along: FloatArray
    sigma: FloatArray


@dataclass(frozen=True)
class Smooth:
    """Motion: ``accel`` (J,) px/s2 and ``speed`` (N, J) px/s, one standard deviation each."""

    dt_s: float
    accel: FloatArray
    speed: FloatArray


@dataclass(frozen=True)
class Fused:
    """Joints ``xy`` (N, J, 2), pixels, and the factor of what holds them there."""

    xy: FloatArray
    factor: FloatArray

    def sigma(self) -> FloatArray:
        """Standard deviations (N, J), pixels, from columns of the inverse, every few frames."""
        n, joints = self.xy.shape[:2]
        width = 2 * joints
        frames = np.unique(np.append(np.arange(0, n, SIGMA_EVERY), n - 1))
        sigma = np.zeros((len(frames), joints))
        for k, frame in enumerate(frames):
            unit = np.zeros((self.factor.shape[1], width))
            rows = frame * width + np.arange(width)
            unit[rows, np.arange(width)] = 1.0
            inverse = cho_solve_banded((self.factor, True), unit)[rows]
            sigma[k] = np.sqrt(np.diag(inverse).reshape(joints, 2).mean(axis=1))
        every = np.arange(n)
        return np.stack([np.interp(every, frames, sigma[:, j]) for j in range(joints)], -1)


def fuse(
    seen: Seen,
    limbs: list[Limb],
    pulls: list[Pull],
    smooth: Smooth,
    start: FloatArray,
    lines: Sequence[Line] = (),
) -> Fused:
    """Solve for all joints of all frames.

    Args:
        seen: observations.
        limbs: lengths.
        pulls: places that a joint is drawn to.
        smooth: how joints may move.
        start: first guess, shape (N, J, 2).
        lines: what limbs are known to lie on; outliers are weighed down.

    Returns:
        Joints (N, J, 2), pixels, which tell their standard deviations.
    """
    n, joints = start.shape[:2]
    width = 2 * joints
    band = 2 * width  # the band below the diagonal that second differences reach
    p = start.copy()
    known = np.isfinite(seen.xy[..., 0])
    target = np.where(known[..., None], np.nan_to_num(seen.xy), 0.0)
    base = np.where(known, 1.0 / np.maximum(seen.sigma, 0.2) ** 2, 0.0)
    fixed = _motion_band(n, joints, smooth)
    factor = fixed
    for _ in range(ROUNDS):
        gap = np.linalg.norm(p - target, axis=-1) * np.sqrt(base)
        robust = np.where(seen.firm > 0, 1.0, 1.0 / (1.0 + (gap / OUTLIER_AT) ** 2))
        matrix = fixed.copy()
        right = -_band_times(fixed, p.reshape(-1))
        _add_points(matrix, right, p, target, base * robust)
        for pull in pulls:
            weight = np.zeros((n, joints))
            ok = np.isfinite(pull.sigma)
            weight[ok, pull.j] = 1.0 / pull.sigma[ok] ** 2
            toward = np.zeros_like(p)
            toward[ok, pull.j] = pull.xy[ok]
            _add_points(matrix, right, p, toward, weight)
        for limb in limbs:
            _add_limb(matrix, right, p, limb)
        for line in lines:
            _add_line(matrix, right, p, line)
        factor = cholesky_banded(matrix, lower=True)
        step = cho_solve_banded((factor, True), right)
        p = p + step.reshape(p.shape)
        if float(np.abs(step).max()) < 0.02:
            break
    assert band == matrix.shape[0] - 1
    return Fused(p, factor)


def _motion_band(n: int, joints: int, smooth: Smooth) -> FloatArray:
    """Second and first differences as a lower banded matrix, shape (4 J + 1, 2 J N)."""
    width = 2 * joints
    out = np.zeros((2 * width + 1, width * n))
    per = np.repeat(1.0 / (smooth.accel * smooth.dt_s**2) ** 2, 2)
    for i in range(n - 2):
        s = slice(i * width, (i + 1) * width)
        t = slice((i + 1) * width, (i + 2) * width)
        u = slice((i + 2) * width, (i + 3) * width)
        out[0, s] += per
        out[0, t] += 4.0 * per
        out[0, u] += per
        out[width, s] -= 2.0 * per
        out[width, t] -= 2.0 * per
        out[2 * width, s] += per
    first = 1.0 / (smooth.speed * smooth.dt_s) ** 2
    for i in range(n - 1):
        w = np.repeat(np.minimum(first[i], first[i + 1]), 2)
        s, t = slice(i * width, (i + 1) * width), slice((i + 1) * width, (i + 2) * width)
        out[0, s] += w
        out[0, t] += w
        out[width, s] -= w
    out[0] += 1e-9
    return out


def _band_times(band: FloatArray, x: FloatArray) -> FloatArray:
    """A symmetric matrix in lower banded form times a vector."""
    out = band[0] * x
    for k in range(1, len(band)):
        row = band[k, : len(x) - k]
        if np.any(row):
            out[k:] += row * x[: len(x) - k]
            out[: len(x) - k] += row * x[k:]
    return np.asarray(out)


def _add_points(
    matrix: FloatArray, right: FloatArray, p: FloatArray, target: FloatArray, weight: FloatArray
) -> None:
    w = np.repeat(weight.reshape(-1), 2)
    matrix[0] += w
    right += w * (target - p).reshape(-1)


def _add_limb(matrix: FloatArray, right: FloatArray, p: FloatArray, limb: Limb) -> None:
    n, joints = p.shape[:2]
    d = p[:, limb.b] - p[:, limb.a]
    dist = np.maximum(np.linalg.norm(d, axis=1), 1e-6)
    u = d / dist[:, None]
    w = 1.0 / limb.sigma**2 * np.where(limb.most & (dist < limb.length), 0.0, 1.0)
    miss = w * (limb.length - dist)
    at = np.arange(n) * 2 * joints
    ia, ib = at + 2 * limb.a, at + 2 * limb.b
    for r in (0, 1):
        right[ia + r] -= miss * u[:, r]
        right[ib + r] += miss * u[:, r]
        for c in (0, 1):
            product = w * u[:, r] * u[:, c]
            if r >= c:
                matrix[r - c, ia + c] += product
                matrix[r - c, ib + c] += product
            low, high = (ia, ib) if limb.a < limb.b else (ib, ia)
            # The pair's block below the diagonal: row in the higher joint, column in the lower.
            matrix[(high + r) - (low + c), low + c] -= product


def _add_line(matrix: FloatArray, right: FloatArray, p: FloatArray, line: Line) -> None:
    joints = p.shape[1]
    point = (1.0 - line.share) * p[:, line.a] + line.share * p[:, line.b]
    miss = line.along - (line.normal * point).sum(axis=1)
    known = np.isfinite(line.sigma)
    sigma = np.where(known, line.sigma, 1.0)
    w = np.where(known, 1.0 / (1.0 + (miss / sigma / OUTLIER_AT) ** 2), 0.0) / sigma**2
    width = 2 * joints
    parts = [(2 * line.a, 1.0 - line.share), (2 * line.b, line.share)]
    if line.a == line.b:
        parts = [(2 * line.a, 1.0)]
    terms = [(col + c, s * line.normal[:, c]) for col, s in parts for c in (0, 1)]
    for column, own in terms:
        right[column::width] += w * miss * own
        for row, other in terms:
            if row >= column:
                matrix[row - column, column::width] += w * own * other
