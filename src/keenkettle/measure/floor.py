"""How far above the floor the bar is, by the feet that stand on it."""

from __future__ import annotations

import numpy as np

from keenkettle.measure.motion import Motion

TOE_MM = 25.0  # the toe's joint above the floor, in a shoe
FEWEST = 3  # samples in which the toe was seen


def bar_above_floor_mm(motion: Motion, at: int) -> float | None:
    """Height of the bar's middle above the floor at a sample, mm; None without feet.

    Args:
        motion: whose toes stand still up to the sample.
        at: sample, as a lift's beginning.
    """
    if not motion.has("toe"):
        return None
    toe = motion.joints["toe"][: at + 1, 1]
    toe = toe[np.isfinite(toe)]
    if len(toe) < FEWEST:
        return None
    return float(motion.bar[at, 1] - np.median(toe)) + TOE_MM
