"""Smoothing and derivatives of one tracked coordinate on uneven times.

A cubic smoothing spline with weights. Its frequency response on evenly spaced samples
is ``1 / (1 + (f / cutoff)**4)`` (de Boor 1978; Craven & Wahba 1979), so the smoothing
parameter follows from a stated cut-off in hertz and the sample spacing, and the noise
that is left in value, rate and acceleration follows from the same response.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.interpolate import make_smoothing_spline

from keenkettle.measure.geometry import FloatArray

MIN_SAMPLES = 5  # the spline solver needs five points
BAR_CUTOFF_HZ = 18.0
JOINT_CUTOFF_HZ = 15.0
#: Integral of 1/(1+x^4)^2 and of x^2/(1+x^4)^2 over x > 0: 3*pi/(8*sqrt 2), pi/(8*sqrt 2).
_I0, _I2 = 0.83304, 0.27768


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


def smooth(
    t_s: FloatArray,
    x: FloatArray,
    cutoff_hz: float,
    weights: FloatArray | None = None,
    noise: float | None = None,
) -> Smoothed:
    """Smooth a coordinate and differentiate it.

    Args:
        t_s: shape (N,), seconds, strictly increasing, N >= 5.
        x: shape (N,), any unit; NaN samples are bridged, never trusted.
        cutoff_hz: half-amplitude frequency.
        weights: shape (N,), relative trust in each sample, >= 0.
        noise: standard deviation of one sample; taken from the residuals where None.

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
    spline = make_smoothing_spline(t_s[good], x[good], w[good], lam=1.0 / (spacing * omega**4))
    value = np.asarray(spline(t_s))
    if noise is None:
        residual = x[good] - value[good]
        noise = float(1.4826 * np.median(np.abs(residual - np.median(residual))))
    gain = spacing * omega / np.pi
    return Smoothed(
        value=value,
        rate=np.asarray(spline.derivative(1)(t_s)),
        accel=np.asarray(spline.derivative(2)(t_s)),
        sigma=float(noise * np.sqrt(gain * _I0)),
        sigma_rate=float(noise * np.sqrt(gain * _I2) * omega),
    )
