"""What was lifted and which way the athlete faces, where nobody said so."""

from __future__ import annotations

import numpy as np

from keenkettle.measure.events import RepSpan
from keenkettle.measure.motion import BarTrack, JointTrack, Motion

CLEAN_MM, SNATCH_MM = 850.0, 1420.0  # finish above the start, from the floor
DEEP_CLEAN_MM, DEEP_SNATCH_MM = 430.0, 420.0  # rise from the bottom to standing


def guess_lift(motion: Motion, spans: list[RepSpan]) -> str:
    """The likeliest lift id by how high the bar ends and how far it was ridden down.

    Finish heights: shoulder 0.82 and overhead about 1.2 of stature less the disc's radius.
    """
    if not spans:
        return "power-clean"
    span = max(spans, key=lambda s: motion.bar[s.lift_off : s.end + 1, 1].max())
    y = motion.bar[span.lift_off : span.end + 1, 1] - motion.bar[span.lift_off, 1]
    v = motion.bar_v[span.lift_off : span.end + 1, 1]
    finish = float(y[-1])
    peak = int(np.argmax(v < 0)) if (v < 0).any() else len(y) - 1
    dropped = y[peak:].min() if peak < len(y) - 1 else finish
    rise = finish - float(dropped)
    if finish > SNATCH_MM:
        return "snatch" if rise > DEEP_SNATCH_MM else "power-snatch"
    if finish > CLEAN_MM:
        return "clean" if rise > DEEP_CLEAN_MM else "power-clean"
    return "clean-pull"


def guess_facing(joints: dict[str, JointTrack], bar: BarTrack) -> str:
    """Which way the athlete faces: the toes tell, else the body's side of the bar.

    Without joints the athlete is taken to face right; a clean or snatch comes in toward
    the athlete as it rises, so a bar that drifts right means facing left.
    """
    if "toe" in joints and "heel" in joints:
        ahead = np.nanmedian(joints["toe"].xy_px[:, 0] - joints["heel"].xy_px[:, 0])
        return "right" if ahead > 0 else "left"
    for name in ("hip", "shoulder"):
        if name in joints:
            away = np.nanmedian(bar.xy_px[:, 0] - joints[name].xy_px[:, 0])
            return "right" if away > 0 else "left"
    low = bar.xy_px[np.argmax(bar.xy_px[:, 1])]
    high = bar.xy_px[np.argmin(bar.xy_px[:, 1])]
    return "right" if high[0] <= low[0] else "left"
