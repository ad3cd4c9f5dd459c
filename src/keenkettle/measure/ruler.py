"""Lines a coach lays on a picture: a distance in the disc's plane, an angle of three points,
the gap from hip to bar; and where a grid's lines are.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.calibration import Calibration
from keenkettle.measure.geometry import FloatArray, included_deg
from keenkettle.measure.motion import Motion
from keenkettle.measure.sheet import to_bar_sigma

CLICK_PX = 1.0  # how far off a click usually is, one standard deviation, each way
NEWTON_STEPS = 12  # each leaves less than half of what is off, up to 20 degrees of turn


@dataclass(frozen=True)
class Reading:
    """A value with its standard deviation; ``unit`` is "mm" or "deg"."""

    value: float
    sigma: float
    unit: str


def distance(a_px: FloatArray, b_px: FloatArray, calibration: Calibration) -> Reading:
    """Distance of two points in the disc's plane, mm.

    Args:
        a_px, b_px: shape (2,), pixels.
        calibration: scale; what lies behind the disc's plane reads short by its depth.
    """
    ends = calibration.to_mm(np.stack([a_px, b_px]), np.asarray(a_px, float), "right")
    value = float(np.hypot(*(ends[1] - ends[0])))
    click = np.sqrt(2.0) * CLICK_PX * calibration.mm_per_px
    return Reading(value, float(np.hypot(click, calibration.scale_error * value)), "mm")


def hip_to_bar(motion: Motion, frame: int) -> Reading | None:
    """How far the bar is ahead of the hip joint, mm; None where the hip is not measured.

    Args:
        motion: bar and joints; what they may be off goes into the error.
        frame: sample of the motion.
    """
    hip = motion.joints.get("hip")
    if hip is None or not np.isfinite(hip[frame, 0]):
        return None
    gap = float(motion.bar[frame, 0] - hip[frame, 0])
    return Reading(gap, to_bar_sigma(motion, frame, "hip"), "mm")


def on_picture(mm: FloatArray, start_px: FloatArray, calibration: Calibration) -> FloatArray:
    """Where points of the disc's plane are on the picture, pixels: the way back of ``to_mm``, by
    Newton's method from a plane that is seen squarely.

    Args:
        mm: shape (..., 2), millimetres to the right and up from the start.
        start_px: shape (2,), pixels.
        calibration: scale, vertical and turn of the camera.
    """
    about = start_px + np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])
    at = calibration.to_mm(about, start_px, "right")
    px_of = np.linalg.inv(at[1:] - at[0])
    px = start_px + mm @ px_of
    for _ in range(NEWTON_STEPS):
        px = px + (mm - calibration.to_mm(px, start_px, "right")) @ px_of
    return np.asarray(px)


def angle(
    a_px: FloatArray, vertex_px: FloatArray, b_px: FloatArray, calibration: Calibration
) -> Reading:
    """Included angle at the middle point, degrees, 0 to 180.

    Args:
        a_px, vertex_px, b_px: shape (2,), pixels.
        calibration: corrects for a rolled or turned camera.
    """
    points = calibration.to_mm(
        np.stack([a_px, vertex_px, b_px]), np.asarray(vertex_px, float), "right"
    )
    value = float(included_deg(points[0], points[1], points[2]))
    click = CLICK_PX * calibration.mm_per_px
    l1, l2 = (max(float(np.hypot(*points[i])), click) for i in (0, 2))
    far = float(np.hypot(*(points[0] - points[2]))) / (l1 * l2)
    sigma = np.degrees(click * np.sqrt(1 / l1**2 + 1 / l2**2 + far**2))
    return Reading(value, float(min(sigma, 180.0)), "deg")
