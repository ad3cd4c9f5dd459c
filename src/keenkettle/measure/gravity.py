"""How much a file is slowed, from a dropped bar: it falls at 9.81 m/s2 and at nothing else.

Only a drop says so: a bar that is lowered, or pulled under, may fall at any rate. A claim needs a
fall of constant acceleration that ends in an impact, and a lift that would be too slow to be one
if the file's times were true.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.geometry import FloatArray

G_M_S2 = 9.81
LEAST_TRAVEL_M = 0.45
LEAST_SAMPLES = 7
MOST_RESIDUAL = 0.012  # of the way fallen
IMPACT_SHARE = 0.5  # of the speed is gone within a few frames when the disc meets the floor
IMPACT_FRAMES = 4
TOO_SLOW_M_S = 1.3  # no lift that is dropped from this height was pulled more slowly
FASTEST_M_S = 4.5
LEAST_SLOWED = 1.4
SCALE_SHARE = 0.015  # error of the disc's size on the picture


@dataclass(frozen=True)
class Slowed:
    """The file runs ``times`` slower than life, one standard deviation ``sigma``."""

    times: float
    sigma: float
    fall_m: float


def falls(y_m: FloatArray, t_s: FloatArray) -> list[tuple[float, float, float]]:
    """Free falls in a track: acceleration m/s2, its standard deviation, way fallen m.

    Args:
        y_m: height, shape (N,), metres, as tracked (not smoothed).
        t_s: times, shape (N,), seconds.
    """
    found = []
    step = np.diff(y_m)
    down = np.concatenate([[0], (step < 0).astype(int), [0]])
    edges = np.flatnonzero(np.diff(down))
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        # Samples a..b fall all the way; the impact is at b or just before it.
        fall = _best_fall(y_m[a : b + 1], t_s[a : b + 1])
        if fall is None:
            continue
        end = a + fall[3]
        before = (y_m[end] - y_m[end - 1]) / (t_s[end] - t_s[end - 1])
        last = min(end + IMPACT_FRAMES, len(y_m) - 1)
        if last <= end:
            continue
        after = np.max(np.diff(y_m[end : last + 1]) / np.diff(t_s[end : last + 1]))
        if after > before * (1.0 - IMPACT_SHARE):
            found.append(fall[:3])
    return found


def _best_fall(y: FloatArray, t: FloatArray) -> tuple[float, float, float, int] | None:
    """The longest stretch up to near the end with one acceleration, and where it ends."""
    for cut in range(min(3, len(y) - 1)):
        stop = len(y) - cut
        for start in range(0, max(stop - LEAST_SAMPLES, 0)):
            ys, ts = y[start:stop], t[start:stop] - t[start]
            way = float(ys[0] - ys[-1])
            if way < LEAST_TRAVEL_M:
                break
            design = np.stack([np.ones_like(ts), ts, 0.5 * ts**2], -1)
            fit, *_ = np.linalg.lstsq(design, ys, rcond=None)
            rest = ys - design @ fit
            noise = float(np.sqrt(np.mean(rest**2)))
            if fit[2] < 0 and noise < MOST_RESIDUAL * way:
                spread = np.linalg.inv(design.T @ design)[2, 2] ** 0.5 * max(noise, 5e-4)
                return float(-fit[2]), float(spread), way, stop - 1
    return None


def how_slowed(y_m: FloatArray, t_s: FloatArray) -> Slowed | None:
    """How much the file is slowed, or None where nothing says so for sure.

    Args:
        y_m: bar height, shape (N,), metres, as tracked.
        t_s: the file's own times, shape (N,), seconds.
    """
    drops = falls(y_m, t_s)
    if not drops:
        return None
    accel, spread, way = max(drops, key=lambda d: d[2])
    times = float(np.sqrt(G_M_S2 / accel))
    if times < LEAST_SLOWED:
        return None
    window = max(len(t_s) // 200, 2)
    rise = (y_m[window:] - y_m[:-window]) / (t_s[window:] - t_s[:-window])
    fastest = float(np.percentile(rise, 99.5))
    if fastest >= TOO_SLOW_M_S or fastest * times > FASTEST_M_S:
        return None
    share = np.hypot(0.5 * spread / accel, 0.5 * SCALE_SHARE)
    return Slowed(times, float(times * share), way)
