"""What was lifted and which way the athlete faces, where nobody said so."""

from __future__ import annotations

import numpy as np

from keenkettle.measure.events import RepSpan
from keenkettle.measure.motion import BarTrack, JointTrack, Motion

CLEAN_MM, SNATCH_MM = 850.0, 1420.0  # finish above the start, from the floor
NEAR_SHARE = 0.35  # of the trunk's length, bar from the shoulder joint in the rack
RIDDEN_MM = 30.0  # a press is not ridden down after its highest point
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


def on_shoulders(motion: Motion, span: RepSpan) -> bool:
    """Whether the bar lies on the shoulders where a rep begins; False without joints."""
    if not motion.has("shoulder", "hip"):
        return False
    i = span.lift_off
    bar, shoulder, hip = (
        float(xy[i, 1]) for xy in (motion.bar, motion.joints["shoulder"], motion.joints["hip"])
    )
    return bool(abs(bar - shoulder) < NEAR_SHARE * abs(shoulder - hip))


def guess_overhead(motion: Motion, span: RepSpan) -> str:
    """A lift from the shoulders: split feet tell a split jerk, a caught bar a power jerk."""
    if "ankle_rear" in motion.joints:
        return "split-jerk"
    y, v = motion.bar[:, 1], motion.bar_v[:, 1]
    fast = span.lift_off + int(np.argmax(v[span.lift_off : span.end + 1]))
    turned = np.flatnonzero(v[fast : span.end + 1] <= 0.0)
    if len(turned) == 0:
        return "push-press"
    peak = fast + int(turned[0])
    return "power-jerk" if y[peak] - y[peak : span.end + 1].min() > RIDDEN_MM else "push-press"


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
