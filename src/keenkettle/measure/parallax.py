"""Where the camera stood, from the hand on the bar.

The hand holds the bar behind the disc's plane. Things behind that plane shrink toward the
middle of the picture, so as the bar rises the wrist drifts against the bar end by a share
of the bar's own travel: ``-k / (1 + k)`` with k = depth of the wrist over the distance of
the camera (similar triangles). And where the camera is turned a little from side-on, all
that lies behind the plane is shifted sideways by its depth; hanging arms show by how much.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from keenkettle.measure.calibration import JOINT_DEPTH_MM, Calibration
from keenkettle.measure.geometry import BoolArray, FloatArray

MIN_SAMPLES = 8
MIN_TRAVEL_PX = 25.0  # less says next to nothing; what little there is, is weighed by its error
MANY_CLICKS, WRIST_TURNS = 12, 0.012  # marks that average out how the wrist turns, and by how much
HAND_TURNS_MM = 6.0  # so much the hand's height over the bar changes as hanging arms tilt
#: Cameras stand 3 to 9 m away: inverse distance of the wrist's depth, mean and spread.
PRIOR_K, PRIOR_SIGMA = 0.092, 0.03
HAND_SHARE = 0.14  # wrist to grip as a share of shoulder to grip: 0.054 / 0.386, Winter (2009)
HAND_ERROR_MM = 10.0  # how far that may be off sideways


@dataclass(frozen=True)
class CameraPlace:
    """Camera to the disc's plane, m; its relative error; sideways shift by depth, px per mm."""

    metres: float
    relative_sigma: float
    side_px_per_mm: float
    side_sigma: float


def camera_from_hand(
    bar_px: FloatArray,
    wrist_px: FloatArray,
    sigma_px: FloatArray,
    mm_per_px: float,
    shoulder_px: FloatArray | None = None,
    clicks: int = MANY_CLICKS,
) -> CameraPlace | None:
    """Estimate where the camera stood from a pull with hanging arms.

    Args:
        bar_px: bar end over the pull, shape (N, 2), pixels.
        wrist_px: wrist, shape (N, 2), NaN where unknown.
        sigma_px: standard deviation of the wrist, shape (N,).
        mm_per_px: scale of the disc's plane.
        shoulder_px: shoulder, shape (N, 2); without it the arms are taken as vertical.
        clicks: marks of the wrist within the pull, on which all of this rests.

    Returns:
        The place, or None where the pull is too short to tell.
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
    seen = -slope / (1.0 + slope)
    # The wrist turns on the bar: few marks do not average that out.
    sigma = float(
        np.hypot(
            max(sigma, HAND_TURNS_MM / (mm_per_px * np.ptp(y))),
            WRIST_TURNS * np.sqrt(MANY_CLICKS / max(clicks, 1)) - WRIST_TURNS,
        )
    )
    trust = PRIOR_SIGMA**2 / (PRIOR_SIGMA**2 + sigma**2)
    k = PRIOR_K + trust * (float(np.clip(seen, 0.03, 0.22)) - PRIOR_K)
    k_sigma = PRIOR_SIGMA * float(np.sqrt(1.0 - trust))
    side, side_sigma = _sideways(bar_px, wrist_px, sigma_px, mm_per_px, shoulder_px, ok)
    return CameraPlace(JOINT_DEPTH_MM["wrist"] / k / 1000.0, k_sigma / k, side, side_sigma)


def placed(calibration: Calibration, hand: CameraPlace) -> Calibration:
    """A calibration with what the hand tells of the camera, weighed with what is known."""
    metres, error = hand.metres, hand.relative_sigma
    side, sigma = hand.side_px_per_mm, hand.side_sigma
    if calibration.camera_m is not None and calibration.side_sigma_px_per_mm is not None:
        near = np.log([calibration.camera_m, metres])
        far, error = _weighed(near, np.array([calibration.camera_error, error]))
        metres = float(np.exp(far))
        both = np.array([calibration.side_px_per_mm, side])
        side, sigma = _weighed(both, np.array([calibration.side_sigma_px_per_mm, sigma]))
    return replace(
        calibration,
        camera_m=round(metres, 2),
        camera_error=error,
        side_px_per_mm=side,
        side_sigma_px_per_mm=sigma,
    )


def _weighed(values: FloatArray, sigmas: FloatArray) -> tuple[float, float]:
    """Mean by inverse variance and its standard deviation."""
    weight = 1.0 / sigmas**2
    return float((values * weight).sum() / weight.sum()), float(1.0 / np.sqrt(weight.sum()))


def _sideways(
    bar_px: FloatArray,
    wrist_px: FloatArray,
    sigma_px: FloatArray,
    mm_per_px: float,
    shoulder_px: FloatArray | None,
    ok: BoolArray,
) -> tuple[float, float]:
    """Shift of the wrist beyond what the tilt of the arm explains, per mm of depth."""
    offset = wrist_px[ok, 0] - bar_px[ok, 0]
    if shoulder_px is not None:
        tilt = HAND_SHARE * (shoulder_px[ok, 0] - bar_px[ok, 0])
        offset = offset - np.where(np.isfinite(tilt), tilt, 0.0)
    w = 1.0 / np.maximum(sigma_px[ok], 0.5) ** 2
    depth = JOINT_DEPTH_MM["wrist"]
    noise = float(np.sqrt(3.0 / w.sum()))
    return (
        float(np.average(offset, weights=w)) / depth,
        float(np.hypot(noise, HAND_ERROR_MM / mm_per_px)) / depth,
    )
