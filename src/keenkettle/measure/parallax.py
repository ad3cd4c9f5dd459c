"""How far away the camera stood, from the hand on the bar.

The hand holds the bar behind the disc's plane. Things behind that plane shrink toward the
middle of the picture, so as the bar rises the wrist drifts against the bar end by a share
of the bar's own travel: ``-k / (1 + k)`` with k = depth of the wrist over the distance of
the camera (similar triangles). The hand's own reach does not change while the arms hang.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.calibration import JOINT_DEPTH_MM
from keenkettle.measure.geometry import FloatArray

MIN_SAMPLES = 8
MIN_TRAVEL_PX = 60.0
MOST_SIGMA = 0.03


@dataclass(frozen=True)
class CameraDistance:
    """Camera to the disc's plane, m, with one standard deviation."""

    metres: float
    sigma: float


def camera_from_hand(
    bar_px: FloatArray, wrist_px: FloatArray, sigma_px: FloatArray
) -> CameraDistance | None:
    """Estimate the camera's distance from a pull with hanging arms.

    Args:
        bar_px: bar end over the pull, shape (N, 2), pixels.
        wrist_px: wrist, shape (N, 2), NaN where unknown.
        sigma_px: standard deviation of the wrist, shape (N,).

    Returns:
        The distance, or None where the pull is too short, too uncertain, or makes no sense.
    """
    ok = np.isfinite(wrist_px).all(axis=1) & np.isfinite(sigma_px)
    if ok.sum() < MIN_SAMPLES or np.ptp(bar_px[ok, 1]) < MIN_TRAVEL_PX:
        return None
    y = bar_px[ok, 1]
    gap = wrist_px[ok, 1] - y
    w = 1.0 / np.maximum(sigma_px[ok], 0.5) ** 2
    mean_y, mean_gap = np.average(y, weights=w), np.average(gap, weights=w)
    spread = float(np.sum(w * (y - mean_y) ** 2))
    slope = float(np.sum(w * (y - mean_y) * (gap - mean_gap)) / spread)
    residual = gap - mean_gap - slope * (y - mean_y)
    # Tracks between marks are not independent; a third of the samples is a fair count.
    sigma = float(np.sqrt(3.0 * np.average(residual**2, weights=w) * w.sum() / spread / ok.sum()))
    k = -slope / (1.0 + slope)
    if sigma > MOST_SIGMA or not 0.035 < k < 0.22:
        return None
    metres = JOINT_DEPTH_MM["wrist"] / k / 1000.0
    return CameraDistance(metres, metres * sigma / k)
