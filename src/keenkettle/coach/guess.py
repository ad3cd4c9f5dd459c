"""What was lifted and which way the athlete faces, where nobody said so."""

from __future__ import annotations

import numpy as np

from keenkettle.measure.calibration import PLATE_MM
from keenkettle.measure.descents import find_descents
from keenkettle.measure.events import RepSpan, leg_angles
from keenkettle.measure.floor import bar_above_floor_mm
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.kinds import Kind, has_jerk, reps_of
from keenkettle.measure.motion import BarTrack, JointTrack, Motion

CLEAN_MM, SNATCH_MM = 850.0, 1420.0  # finish above the start, from the floor
NEAR_SHARE = 0.35  # of the trunk's length, bar from the shoulder joint in the rack
OVERHEAD_SHARE = 0.7
BACK_SHARE = 0.3  # of a rep's range: so near its beginning are a squat's end and what was before
HANG_MM = 150.0  # above its place on the floor
PULLED_M_S = 0.9  # what never gets so fast was stood up with
RIDDEN_MM = 30.0  # a press is not ridden down after its highest point
DEEP_CLEAN, DEEP_SNATCH = 0.34, 0.30  # rise from the bottom to standing, of the finish
STRAIGHT_DEG = 160.0  # knees that stay so straight receive nothing
BENT_DEG = ((95.0, "squat-jerk"), (150.0, "power-jerk"))  # knees under the bar


def guess(motion: Motion) -> tuple[str, list[RepSpan]]:
    """The likeliest lift id and its reps, by where the bar lies at first and how it goes on.

    Without joints nobody knows where on the body the bar lies: what goes up first is taken for a
    pull.
    """
    squats = find_descents(motion)
    if squats and _first(motion, squats[0]) and _comes_back(motion, squats[0]):
        return guess_descent(motion, squats[0]), squats
    for kind in (Kind.OVERHEAD, Kind.GENTLE):
        presses = reps_of(kind, motion)
        if presses and _first(motion, presses[0]) and on_shoulders(motion, presses[0]):
            dips = kind is Kind.OVERHEAD
            return guess_overhead(motion, presses[0]) if dips else "strict-press", presses
    pulls = reps_of(Kind.PULL, motion) or reps_of(Kind.GENTLE, motion)
    if pulls and has_jerk(motion, pulls[0]):
        return "clean-and-jerk", reps_of(Kind.CLEAN_AND_JERK, motion)
    return guess_lift(motion, pulls), pulls


def guess_lift(motion: Motion, spans: list[RepSpan]) -> str:
    """A lift from below by how high the bar ends and how far it was ridden down.

    Finish heights: shoulder 0.82 and overhead about 1.2 of stature less the disc's radius.
    """
    if not spans:
        return "power-clean"
    span = max(spans, key=lambda s: motion.bar[s.lift_off : s.end + 1, 1].max())
    y = motion.bar[span.lift_off : span.end + 1, 1] - motion.bar[span.lift_off, 1]
    v = motion.bar_v[span.lift_off : span.end + 1, 1]
    hung = _hangs(motion, span.lift_off)
    finish = float(y[-1]) + hung
    hang = "hang-" if hung else ""
    peak = int(np.argmax(v < 0)) if (v < 0).any() else len(y) - 1
    dropped = y[peak:].min() if peak < len(y) - 1 else y[-1]
    rise = float(y[-1] - dropped) / finish if finish > 0.0 else 0.0
    if finish > CLEAN_MM:
        snatched = finish > SNATCH_MM
        name, deep = ("snatch", DEEP_SNATCH) if snatched else ("clean", DEEP_CLEAN)
        if rise > deep:
            return hang + name
        straight = _least_knee(motion, span) > STRAIGHT_DEG
        return f"muscle-{name}" if straight and not hung else f"{hang}power-{name}"
    if hung:
        return "clean-above-knee-pull"
    return "deadlift" if v.max() < PULLED_M_S else "clean-pull"


def _least_knee(motion: Motion, span: RepSpan) -> float:
    """The knee's least angle after the bar was fastest, degrees; NaN without legs."""
    if not motion.has("hip", "knee", "ankle"):
        return float("nan")
    fast = span.lift_off + int(np.argmax(motion.bar_v[span.lift_off : span.end + 1, 1]))
    knee = leg_angles(motion)[1][fast : span.end + 1]
    return float(np.nanmin(knee)) if np.isfinite(knee).any() else float("nan")


def _hangs(motion: Motion, begin: int) -> float:
    """How far above its place on the floor the bar is, mm; 0 where it stands there."""
    above = (bar_above_floor_mm(motion, begin) or 0.0) - PLATE_MM / 2.0
    return above if above > HANG_MM else 0.0


def _first(motion: Motion, span: RepSpan) -> bool:
    """Whether the bar had not been much lower before a rep than it is in it."""
    y = motion.bar[:, 1]
    begin, rep = float(y[span.lift_off]), y[span.lift_off : span.end + 1]
    return float(y[: span.lift_off + 1].min()) > begin - BACK_SHARE * float(np.ptp(rep))


def _comes_back(motion: Motion, span: RepSpan) -> bool:
    """Whether the bar ends about where it was."""
    rep = motion.bar[span.lift_off : span.end + 1, 1]
    return abs(float(rep[-1] - rep[0])) < BACK_SHARE * float(np.ptp(rep))


def _on_body(motion: Motion, at: int) -> FloatArray | None:
    """The bar from the shoulder joint, forward and up, in lengths of the trunk."""
    if not motion.has("shoulder", "hip"):
        return None
    shoulder, hip = motion.joints["shoulder"][at], motion.joints["hip"][at]
    off = (motion.bar[at] - shoulder) / np.linalg.norm(shoulder - hip)
    return off if np.isfinite(off).all() else None


def guess_descent(motion: Motion, span: RepSpan) -> str:
    """A lift that goes down first, by where the bar lies on the body, if known."""
    where = _on_body(motion, span.lift_off)
    ahead, up = (1.0, 0.0) if where is None else where
    if up > OVERHEAD_SHARE:
        return "overhead-squat"
    if up < -OVERHEAD_SHARE:
        bottom = span.lift_off + int(np.argmin(motion.bar[span.lift_off : span.end + 1, 1]))
        return "romanian-deadlift" if _hangs(motion, bottom) else "deadlift"
    return "front-squat" if ahead > 0.0 else "back-squat"


def on_shoulders(motion: Motion, span: RepSpan) -> bool:
    """Whether the bar lies on the shoulders where a rep begins; False without joints."""
    where = _on_body(motion, span.lift_off)
    return where is not None and bool(abs(where[1]) < NEAR_SHARE)


def guess_overhead(motion: Motion, span: RepSpan) -> str:
    """A lift from the shoulders: by split feet, knees that bend under the bar, a caught bar."""
    if "ankle_rear" in motion.joints:
        return "split-jerk"
    knee = _least_knee(motion, span)
    if np.isfinite(knee):
        return next((name for most, name in BENT_DEG if knee < most), "push-press")
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
