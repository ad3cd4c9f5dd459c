"""Smoothing and derivatives of one tracked coordinate on uneven times.

A natural cubic smoothing spline with weights (Reinsch 1967; Green & Silverman 1994, ch. 2).
Its frequency response on evenly spaced samples is ``1 / (1 + (f / cutoff)**4)`` (de Boor 1978;
Craven & Wahba 1979), so the smoothing parameter follows from a stated cut-off in hertz and the
sample spacing, and the noise that is left in value, rate and acceleration follows from the same
response.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.linalg import solveh_banded

from keenkettle.measure.geometry import FloatArray

HUBER = 3.0  # standard deviations within which samples are trusted alike
MIN_SAMPLES = 5  # the spline solver needs five points
BAR_CUTOFF_HZ = 18.0
JOINT_CUTOFF_HZ = 15.0
#: Integral of H^2 and of x^2 H^2 over x > 0 for the response H = 1/(1+x^4): 3*pi/(8*sqrt 2),
#: pi/(8*sqrt 2); and for 2 H - H^2, numerically.
_I_ONCE = (0.83304, 0.27768)
_I_TWICE = (1.08469, 0.54668)
TWICED = 1.24651  # 2 H - H^2 is a half at so many times the cut-off of H


class TrackError(ValueError):
    """A track cannot be measured; the message names argument and value."""


@dataclass(frozen=True)
class Smoothed:
    """Value, rate and acceleration, shape (N,), in the unit of the input and seconds.

    ``sigma``, ``sigma_rate``: one standard deviation left by the input's noise.
    """

    value: FloatArray
    rate: FloatArray
    accel: FloatArray
    sigma: float
    sigma_rate: float


def cutoff_for(spacing_s: float, wanted_hz: float) -> float:
    """Cut-off that this frame spacing can carry: at most 0.4 of the frame rate, Hz."""
    return min(wanted_hz, 0.4 / spacing_s)


def half_amplitude_hz(spacing_s: float, wanted_hz: float, twice: bool = False) -> float:
    """The frequency of which smoothing leaves half, Hz."""
    return cutoff_for(spacing_s, wanted_hz) * (TWICED if twice else 1.0)


def smooth(
    t_s: FloatArray,
    x: FloatArray,
    cutoff_hz: float,
    weights: FloatArray | None = None,
    noise: float | None = None,
    twice: bool = False,
    robust: bool = False,
) -> Smoothed:
    """Smooth a coordinate and differentiate it.

    Args:
        t_s: shape (N,), seconds, strictly increasing, N >= 5.
        x: shape (N,), any unit; NaN samples are bridged, never trusted.
        cutoff_hz: half-amplitude frequency.
        weights: shape (N,), relative trust in each sample, >= 0.
        noise: standard deviation of one sample; taken from the residuals where None.
        twice: smooth what was taken away once more and give it back ("twicing", Tukey 1977):
            response 2 H - H^2, so a peak loses the square of what it lost; for tracks with
            little noise.
        robust: trust samples less that lie far from the others (Huber 1964).

    Raises:
        TrackError: too few samples, or time does not increase.
    """
    good = np.isfinite(x)
    if good.sum() < MIN_SAMPLES:
        raise TrackError(f"a track of {int(good.sum())} samples cannot be smoothed; 5 are needed")
    if np.any(np.diff(t_s) <= 0):
        raise TrackError("frame times do not increase")
    spacing = float(np.median(np.diff(t_s)))
    omega = 2.0 * np.pi * cutoff_for(spacing, cutoff_hz)
    w = np.ones_like(x) if weights is None else np.maximum(weights, 1e-4)
    lam = 1.0 / (spacing * omega**4)
    at = t_s[good]
    own_w = w[good]
    knots, bend = _fitted(at, x[good], own_w, lam, twice)
    if robust:
        residual = np.abs(x[good] - knots)
        least = HUBER * max(1.4826 * float(np.median(residual)), noise or 0.0)
        if residual.max() > least > 0.0:
            own_w = own_w * np.minimum(least / np.maximum(residual, least), 1.0) ** 2
            knots, bend = _fitted(at, x[good], own_w, lam, twice)
    value, rate, accel = _evaluate(at, knots, bend, t_s)
    if noise is None:
        residual = x[good] - value[good]
        noise = float(1.4826 * np.median(np.abs(residual - np.median(residual))))
    gain = spacing * omega / np.pi
    own, rated = _I_TWICE if twice else _I_ONCE
    return Smoothed(
        value=value,
        rate=rate,
        accel=accel,
        sigma=float(noise * np.sqrt(gain * own)),
        sigma_rate=float(noise * np.sqrt(gain * rated) * omega),
    )


def _fitted(
    t: FloatArray, x: FloatArray, w: FloatArray, lam: float, twice: bool
) -> tuple[FloatArray, FloatArray]:
    """``_reinsch``, and where wanted what it took away smoothed and given back."""
    knots, bend = _reinsch(t, x, w, lam)
    if twice:
        more, curl = _reinsch(t, x - knots, w, lam)
        knots, bend = knots + more, bend + curl
    return knots, bend


def running_median(values: FloatArray, wide: int) -> FloatArray:
    """Median of the ``wide`` (odd) values around each, mirrored at both ends, shape (N,)."""
    around = np.pad(values, wide // 2, mode="symmetric")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(around, wide), axis=-1))


def _reinsch(
    t: FloatArray, x: FloatArray, w: FloatArray, lam: float
) -> tuple[FloatArray, FloatArray]:
    """Value and second derivative at the knots of the spline that minimises
    ``sum w (x - g)^2 + lam * integral g''^2``; both shape (N,).
    """
    h = np.diff(t)
    # Column j of Q holds the divided second difference at inner knot j + 1.
    q0, q2 = 1.0 / h[:-1], 1.0 / h[1:]
    q1 = -q0 - q2
    inverse = 1.0 / w
    bands = np.zeros((3, len(t) - 2))
    bands[0] = (h[:-1] + h[1:]) / 3.0 + lam * (
        q0**2 * inverse[:-2] + q1**2 * inverse[1:-1] + q2**2 * inverse[2:]
    )
    bands[1, :-1] = h[1:-1] / 6.0 + lam * (
        q1[:-1] * q0[1:] * inverse[1:-2] + q2[:-1] * q1[1:] * inverse[2:-1]
    )
    bands[2, :-2] = lam * q2[:-2] * q0[2:] * inverse[2:-2]
    second = q0 * x[:-2] + q1 * x[1:-1] + q2 * x[2:]
    bend = np.zeros_like(t)
    bend[1:-1] = solveh_banded(bands, second, lower=True)
    pull = np.zeros_like(t)
    pull[:-2] += q0 * bend[1:-1]
    pull[1:-1] += q1 * bend[1:-1]
    pull[2:] += q2 * bend[1:-1]
    return x - lam * inverse * pull, bend


def _evaluate(
    knots_t: FloatArray, g: FloatArray, bend: FloatArray, t: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Value, rate and acceleration of a natural cubic spline; straight beyond its ends."""
    i = np.clip(np.searchsorted(knots_t, t, side="right") - 1, 0, len(knots_t) - 2)
    h = knots_t[i + 1] - knots_t[i]
    inside = np.clip(t, knots_t[0], knots_t[-1])
    b = (inside - knots_t[i]) / h
    a = 1.0 - b
    rate = (g[i + 1] - g[i]) / h + (
        (3.0 * b**2 - 1.0) * bend[i + 1] - (3.0 * a**2 - 1.0) * bend[i]
    ) * h / 6.0
    value = a * g[i] + b * g[i + 1]
    value += ((a**3 - a) * bend[i] + (b**3 - b) * bend[i + 1]) * h**2 / 6.0
    return value + rate * (t - inside), rate, a * bend[i] + b * bend[i + 1]
