"""Whether both elbows lock together, on a film from between side and front.

The near disc hides an arm overhead there. But a hand that is late leaves its end of the bar low, so
the far arm is as long as the near one less what the bar tilts by between the hands.
"""

from __future__ import annotations

import numpy as np

from keenkettle.measure.front import (
    CALM_S,
    LEAST_SAMPLES,
    LOCK_SIGMA_FRAMES,
    NO_EVENT,
    NOT_BENT,
    NOT_TIMED,
    SETTLED_S,
    TURN_S,
    calm,
    crossing,
    not_seen,
)
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.sheet import Measure
from keenkettle.measure.tilt import HIDDEN, BarEnds, drop_mm

#: Of the height over the shoulder at which the bar is held, where both arms are timed.
LEVELS = np.linspace(0.89, 0.97, 7)
HELD_S = (0.3, 0.6)  # after the bar is received both arms are straight
LOCKING_S = 0.3  # before the bar is received the arms straighten
LEAST_BEND = 0.3  # of that height: arms that were never bent tell nothing
LONGEST_GAP_FRAMES = 4  # in which the far end may be hidden
SLOPE_SD = 0.005  # of the bar's slope from one moment to the next, by benchmarks/aside


def gap_by_ends(
    ends: BarEnds,
    shoulder_px: FloatArray,
    t_s: FloatArray,
    received: int | None,
    first: int,
    last: int,
    hands_mm: tuple[float, float],
) -> Measure:
    """By how much one arm straightens after the other, ms.

    Args:
        ends: both ends of the bar.
        shoulder_px: the near shoulder, shape (N, 2), pixels.
        t_s: times, shape (N,).
        received: sample at which the bar is received, None where that was not seen.
        first, last: samples of the rep.
        hands_mm: from one hand to the other, and its standard deviation.

    Returns:
        The time without its sign and its standard deviation, or None with the reason.
    """
    if received is None or last - first < LEAST_SAMPLES:
        return not_seen("elbow_gap", NO_EVENT)
    spacing_s = float(np.median(np.diff(t_s)))
    begins = max(received - round(TURN_S / spacing_s), first)
    held = received + np.round(np.array(HELD_S) / spacing_s).astype(int)
    until = min(int(held[0]) + round(SETTLED_S / spacing_s), last)
    locking = max(received - round(LOCKING_S / spacing_s), first)
    slope = _known(drop_mm(ends, first) / ends.between_mm, locking, until)
    shoulder = calm(shoulder_px, CALM_S, spacing_s)[:, 1]
    if slope is None or not np.isfinite(shoulder[begins : until + 1]).all():
        return not_seen("elbow_gap", HIDDEN)
    settled = slice(min(int(held[0]), last), min(int(held[1]), last) + 1)
    slope = slope - float(np.nanmedian(slope[settled]))
    # The hand is nearer to the middle than the bar's end is.
    inward = 0.5 * (ends.between_mm - hands_mm[0])
    near = (shoulder - ends.near_px[:, 1]) * ends.mm_per_px - slope * inward
    far = near - slope * hands_mm[0]
    part = slice(begins, until + 1)
    straight = float(np.nanmedian(near[settled]))
    if straight <= 0.0 or float(np.nanmin(near[part])) > (1.0 - LEAST_BEND) * straight:
        return not_seen("elbow_gap", NOT_BENT)
    times = np.array([
        [crossing(t_s[part], arm[part], share * straight) for share in LEVELS]
        for arm in (near, far)
    ])  # fmt: skip
    if not np.isfinite(times).all():
        return not_seen("elbow_gap", NOT_TIMED)
    gaps = times[1] - times[0]
    gap = float(np.median(gaps))
    # How fast the arm straightens where it is timed tells what an error of the slope makes.
    rate = (LEVELS[-1] - LEVELS[0]) * straight / max(float(np.ptp(times[0])), spacing_s)
    sigmas = [
        LOCK_SIGMA_FRAMES * spacing_s,
        1.48 * float(np.median(np.abs(gaps - gap))),
        SLOPE_SD * hands_mm[0] / rate,
        abs(gap) * hands_mm[1] / hands_mm[0],
    ]
    at = locking + int(np.argmax(np.abs(slope[locking : until + 1])))  # the frame that shows it
    return Measure(1000.0 * abs(gap), 1000.0 * float(np.linalg.norm(sigmas)), "ms", at)


def _known(values: FloatArray, begins: int, until: int) -> FloatArray | None:
    """The values (N,), bridged where they are missing for a few samples; None for more."""
    seen = np.flatnonzero(np.isfinite(values))
    own = seen[(seen >= begins) & (seen <= until)]
    edges = np.concatenate([[begins - 1], own, [until + 1]])
    if not len(own) or int(np.diff(edges).max()) > LONGEST_GAP_FRAMES + 1:
        return None
    return np.interp(np.arange(len(values)), seen, values[seen])
