"""One arm of the simulated lifter that straightens after the other, and tilts the bar by it."""

from __future__ import annotations

import numpy as np

from keenkettle.lifter.motion import RATE_HZ, SimMotion
from keenkettle.measure.geometry import FloatArray

MOST_TILT = 0.14  # tan of 8 degrees: what one late arm lets the bar tilt by


def at_time(xy: FloatArray, t: float) -> FloatArray:
    """A point of the 1 kHz motion, of shape (N, 2), at a time in seconds, interpolated; (2,)."""
    i = min(max(t * RATE_HZ, 0.0), len(xy) - 1.001)
    k = int(i)
    return np.asarray(xy[k] * (1 - (i - k)) + xy[k + 1] * (i - k))


def behind(sim: SimMotion, joint: str, t: float, lag_s: float, apart_mm: float) -> FloatArray:
    """How far a point of the late arm is from where the other's is, (2,), mm.

    Args:
        sim: the motion of the arm that is in time.
        joint: "wrist" or "elbow".
        t: seconds.
        lag_s: by so much the arm is late.
        apart_mm: from one hand to the other.
    """

    def arm(name: str, when: float) -> FloatArray:
        return at_time(sim.joints[name], when) - at_time(sim.joints["shoulder"], when)

    wrist = arm("wrist", t - lag_s) - arm("wrist", t)
    share = min(1.0, apart_mm * MOST_TILT / max(float(np.linalg.norm(wrist)), 1e-9))
    return np.asarray(share * (arm(joint, t - lag_s) - arm(joint, t)))
