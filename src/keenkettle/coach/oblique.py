"""A rep filmed from between side and front: heights, speeds upward and times by the near disc, and
what the far end of the bar and both sides of the body tell. The rest needs a film from the side.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from keenkettle.coach.front import OVERHEAD
from keenkettle.coach.judge import judge
from keenkettle.coach.lifts import Lift
from keenkettle.coach.reviewed import RepReview, Request, Tracked, both_ends
from keenkettle.film.far_disc import BETWEEN_MM
from keenkettle.measure.calibration import Calibration
from keenkettle.measure.motion import JointTrack
from keenkettle.measure.oblique import Oblique, measure_oblique
from keenkettle.measure.segments import STATURE_MM
from keenkettle.measure.sheet import UPRIGHT, Measures
from keenkettle.measure.tilt import slope_by_ends


def without_sides(joints: dict[str, JointTrack]) -> dict[str, JointTrack]:
    """The joints of the camera's side alone."""
    return {n: t for n, t in joints.items() if not n.startswith(("left_", "right_"))}


def judge_oblique(
    rep: RepReview,
    lift: Lift,
    request: Request,
    tracked: Tracked,
    calibration: Calibration,
    turn_deg: tuple[float, float],
    joints: dict[str, JointTrack],
) -> RepReview:
    """A rep as it was judged from the side, with only what such a film shows.

    Args:
        rep: as from the side.
        lift, request: what was lifted, and what is known.
        tracked: with the far disc and the bar's far end, where those were seen.
        calibration: of the near disc's plane.
        turn_deg: the camera's turn from the side and its standard deviation.
        joints: with those of both sides, pixels, where they were found.
    """
    degrees = abs(turn_deg[0])
    why = f"the camera looks from {degrees:.0f} degrees beside the side view; film from the side"
    metrics = {
        name: m if name in UPRIGHT or m.value is None else replace(m, value=None, why=why)
        for name, m in rep.metrics.items()
    }
    ends = both_ends(tracked, calibration)
    if ends is not None:
        known = [rep.events.get(name) for name in ("catch", "lockout")]
        received = next((i for i in known if i is not None), None)
        level = slope_by_ends(ends, rep.motion.t_s, received, rep.span.lift_off)
        metrics["bar_slope"] = level
    sides = {n: t for n, t in joints.items() if n not in without_sides(joints)}
    if sides and tracked.far is not None:
        stature = request.reference.stature_mm or STATURE_MM
        metrics |= _of_sides(rep, lift, tracked, calibration, turn_deg, sides, stature)
    verdict = judge(lift, metrics, rep.events, request.reference)
    return replace(rep, metrics=metrics, verdict=verdict)


def _of_sides(
    rep: RepReview,
    lift: Lift,
    tracked: Tracked,
    calibration: Calibration,
    turn_deg: tuple[float, float],
    sides: dict[str, JointTrack],
    stature_mm: float,
) -> Measures:
    """Feet and knees; the athlete's middle is half the bar's length further away."""
    assert tracked.far is not None
    yaw, yaw_sd = np.radians(turn_deg[0]), np.radians(max(turn_deg[1], 1.0))
    near_mm = 1000.0 * tracked.far.camera_m(calibration.mm_per_px)[0]
    view = Oblique(
        float(yaw),
        float(yaw_sd),
        near_mm / calibration.mm_per_px,
        near_mm + 0.5 * BETWEEN_MM * float(np.cos(yaw)),
        calibration.centre_px[0],
    )
    return measure_oblique(
        rep.motion.t_s,
        sides,
        view,
        rep.events,
        rep.span.end,
        lift.family in OVERHEAD,
        lift.ends == "split-catch",
        stature_mm,
    )
