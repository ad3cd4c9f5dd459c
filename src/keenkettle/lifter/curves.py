"""Smooth pieces of motion in time. SI or mm alike; arrays over time, shape (N,)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.geometry import FloatArray


@dataclass(frozen=True)
class State:
    """Value, rate and acceleration of one coordinate at one instant."""

    x: float
    v: float = 0.0
    a: float = 0.0


def quintic(t: FloatArray, t0: float, t1: float, start: State, end: State) -> FloatArray:
    """Fifth-degree piece that meets both states; used for t0 <= t <= t1."""
    d = t1 - t0
    u = np.clip((t - t0) / d, 0.0, 1.0)
    c0, c1, c2 = start.x, start.v * d, 0.5 * start.a * d * d
    p, v, a = end.x - c0 - c1 - c2, end.v * d - c1 - 2 * c2, end.a * d * d - 2 * c2
    c3, c4, c5 = 10 * p - 4 * v + a / 2, -15 * p + 7 * v - a, 6 * p - 3 * v + a / 2
    return np.asarray(c0 + u * (c1 + u * (c2 + u * (c3 + u * (c4 + u * c5)))))


def ramp_accel(t: FloatArray, t0: float, t1: float, start: State, a_end: float) -> FloatArray:
    """Piece whose acceleration runs straight from ``start.a`` to ``a_end``."""
    u = np.clip(t - t0, 0.0, t1 - t0)
    jerk = (a_end - start.a) / (t1 - t0)
    return np.asarray(start.x + u * (start.v + u * (start.a / 2 + u * jerk / 6)))


def after_ramp(start: State, duration: float, a_end: float) -> State:
    """State at the end of a straight acceleration ramp."""
    d = duration
    return State(
        start.x + d * (start.v + d * (start.a / 3 + a_end / 6)),
        start.v + d * (start.a + a_end) / 2,
        a_end,
    )


def pulse(t: FloatArray, start: float, peak: float) -> FloatArray:
    """A push that begins at ``start`` with no jump in speed, is 1 at ``peak`` and dies away."""
    u = np.clip((t - start) / (peak - start), 0.0, None)
    return np.asarray(u**2 * np.exp(2.0 * (1.0 - u)))


def hump(t: FloatArray, start: float, end: float) -> FloatArray:
    """Smooth 0-1-0 between start and end."""
    u = np.clip((t - start) / (end - start), 0.0, 1.0)
    return np.asarray(np.sin(np.pi * u) ** 2)


def smoothstep(t: FloatArray, start: float, end: float) -> FloatArray:
    """Smooth 0-1 step with still ends."""
    u = np.clip((t - start) / (end - start), 0.0, 1.0)
    return np.asarray(u**3 * (10 - 15 * u + 6 * u * u))
