"""Lines a coach lays on a picture: a distance in the disc's plane, an angle of three points."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.calibration import Calibration
from keenkettle.measure.geometry import FloatArray, included_deg

CLICK_PX = 1.0  # how far off a click usually is, one standard deviation, each way


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
