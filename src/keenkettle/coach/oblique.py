"""A rep filmed from between side and front: heights, speeds upward and times by the near disc, and
what the far end of the bar and both sides of the body tell. The rest needs a film from the side.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from keenkettle.coach.front import ending_of
from keenkettle.coach.lifts import Lift
from keenkettle.coach.reviewed import RepReview, Tracked, both_ends
from keenkettle.film.far_disc import BETWEEN_MM
from keenkettle.measure.calibration import Calibration
from keenkettle.measure.front import judged_at, not_seen
from keenkettle.measure.lockout import gap_by_ends
from keenkettle.measure.motion import JointTrack
from keenkettle.measure.oblique import Oblique, hands_apart, measure_oblique
from keenkettle.measure.segments import STATURE_MM
from keenkettle.measure.sheet import NOT_THIS_LIFT, UPRIGHT, Measures
from keenkettle.measure.tilt import HIDDEN, slope_by_ends

LEAST_TURN_SD_DEG = 1.0  # of bars whose collars are not where they usually are
#: Between the hands, share of stature, as grips are taught, and how much people differ.
HANDS_SHARE, HANDS_SD = {"snatch": 0.48, "jerk": 0.29}, 0.15


def without_sides(joints: dict[str, JointTrack]) -> dict[str, JointTrack]:
    """The joints of the camera's side alone."""
    return {n: t for n, t in joints.items() if not n.startswith(("left_", "right_"))}


def measures_from_aside(
    rep: RepReview,
    lift: Lift,
    tracked: Tracked,
    calibration: Calibration,
    turn_deg: tuple[float, float],
    joints: dict[str, JointTrack],
    stature_mm: float | None,
) -> Measures:
    """Of a rep measured as if from the side, what such a film shows; the rest says why not.

    Args:
        rep: as from the side.
        lift: what was lifted.
        tracked: with the far disc and the bar's far end, where those were seen.
        calibration: of the near disc's plane.
        turn_deg: the camera's turn from the side and its standard deviation.
        joints: with those of both sides, each (N, 2) pixels, where they were found.
        stature_mm: the athlete's, where known.
    """
    degrees = abs(turn_deg[0])
    why = f"the camera looks from {degrees:.0f} degrees beside the side view; film from the side"
    metrics = {
        name: m if name in UPRIGHT or m.value is None else replace(m, value=None, why=why)
        for name, m in rep.metrics.items()
    }
    times = rep.motion.t_s
    ends = both_ends(tracked, calibration)
    if ends is not None:
        received = judged_at(rep.events, ending_of(lift))
        metrics["bar_slope"] = slope_by_ends(ends, times, received, rep.span.lift_off)
    sides = {n: t for n, t in joints.items() if n not in without_sides(joints)}
    if not sides or tracked.far is None:
        return metrics
    yaw = float(np.radians(turn_deg[0]))
    near_mm = 1000.0 * tracked.far.camera_m(calibration.mm_per_px)[0]
    view = Oblique(
        yaw,
        float(np.radians(max(turn_deg[1], LEAST_TURN_SD_DEG))),
        near_mm / calibration.mm_per_px,
        near_mm + 0.5 * BETWEEN_MM * float(np.cos(yaw)),  # half the bar's length further away
        calibration.centre_px[0],
    )
    ending, stature = ending_of(lift), stature_mm or STATURE_MM
    metrics |= measure_oblique(
        times, sides, view, rep.events, rep.span.lift_off, rep.span.end, ending, stature
    )
    if not ending.overhead:
        metrics["elbow_gap"] = not_seen("elbow_gap", NOT_THIS_LIFT)
    elif ends is None or "shoulder" not in joints:
        metrics["elbow_gap"] = not_seen("elbow_gap", HIDDEN)
    else:
        usual = HANDS_SHARE["snatch" if lift.family == "snatch" else "jerk"] * stature
        fast = rep.events.get("peak_velocity") or rep.span.lift_off
        hands = hands_apart(sides, view, rep.span.lift_off, fast, (usual, HANDS_SD * usual))
        metrics["elbow_gap"] = gap_by_ends(
            ends, joints["shoulder"].xy_px, times, judged_at(rep.events, ending),
            rep.span.lift_off, rep.span.end, hands,
        )  # fmt: skip
    return metrics
