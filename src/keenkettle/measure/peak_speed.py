"""The greatest upward speed of the bar, between frames, with what is not known of it."""

from __future__ import annotations

import numpy as np

from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import Motion
from keenkettle.measure.sheet import UNITS, Measure, Sheet

#: A bar that is hidden may have sped up and slowed down by this, m/s2, half the gap each.
HIDDEN_ACCEL, NEAR_PEAK_S = 12.0, 0.15
SMEAR_FRAMES = 2  # to each side of a frame, on which its speed depends
UNKNOWN_SPEED = 0.1  # share of a speed by which it may be off and still says something
PEAK_LOSS = 0.006  # share of the greatest speed that smoothing takes; by benchmarks/accuracy
NOT_SEEN_FAST = "the bar was hidden where it was fastest"


def put_peak_speed(s: Sheet, at: int) -> None:
    """Keep the greatest speed near its sample, m/s; not measured where the bar was hidden then."""
    m = s.ctx.motion
    peak = _crest(m.t_s, m.bar_v[:, 1], m.bar_a[:, 1], at)
    hidden = HIDDEN_ACCEL / 4.0 * _hidden_near_s(m, at)
    parts = [m.speed_sigma, m.scale_error * peak, PEAK_LOSS * peak, hidden, _smeared_m_s(m, at)]
    s.put("bar_peak_velocity", peak, float(np.linalg.norm(parts)), at)
    if hidden > UNKNOWN_SPEED * peak:
        unit = UNITS["bar_peak_velocity"]
        s.out["bar_peak_velocity"] = Measure(None, 0.0, unit, None, NOT_SEEN_FAST)


def _hidden_near_s(m: Motion, i: int) -> float:
    """How long the bar was hidden in the longest gap near a sample, s."""
    if m.seen is None:
        return 0.0
    longest, begun = 0.0, None
    for k in np.flatnonzero(np.abs(m.t_s - m.t_s[i]) <= NEAR_PEAK_S):
        if m.seen[k]:
            begun = None
            continue
        begun = k if begun is None else begun
        longest = max(longest, float(m.t_s[k] - m.t_s[begun]) + m.spacing_s)
    return longest


def _smeared_m_s(m: Motion, i: int) -> float:
    """What a bar that is smeared about a sample adds to its speed's error there."""
    if m.smeared is None or m.bar_sigma <= 0.0:
        return 0.0
    near = m.smeared[max(i - SMEAR_FRAMES, 0) : i + SMEAR_FRAMES + 1]
    return float(np.median(near)) * m.speed_sigma / m.bar_sigma


def _crest(t_s: FloatArray, v: FloatArray, a: FloatArray, i: int) -> float:
    """Greatest speed near its greatest sample ``i``: between samples acceleration is linear."""
    j = i + 1 if a[i] > 0 else i - 1
    if not 0 <= j < len(v) or a[i] * a[j] >= 0:
        return float(v[i])
    return float(v[i] + a[i] ** 2 * abs(t_s[j] - t_s[i]) / (2.0 * abs(a[i] - a[j])))
