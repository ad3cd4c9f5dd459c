"""How a clip's pixels become millimetres: the disc or a known length, and how the camera stood."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from keenkettle.coach.reviewed import Request, Tracked
from keenkettle.film.thick import PITCH_SD
from keenkettle.film.view import SOUND_YAW_DEG, UNKNOWN_ROLL_DEG, Roll, turn_of
from keenkettle.measure.calibration import Calibration, from_disc, from_length
from keenkettle.measure.ruler import CLICK_PX

UPRIGHT_SD_DEG = 0.3  # of a door frame or a rack


def calibrate(request: Request, tracked: Tracked) -> Calibration:
    """From pixels to the world: scale, level, turn and pitch, by all that the film tells.

    Raises:
        CalibrationError: the disc or the known length cannot be.
    """
    if request.known is not None:
        mm, x1, y1, x2, y2 = request.known
        made = from_length(mm, np.array([x1, y1]), np.array([x2, y2]), request.camera_m)
    else:
        widest = tracked.ring.r * max(tracked.ring.aspect, 1.0)
        made = from_disc(
            widest,
            tracked.radius_sigma,
            request.plate_mm,
            "found" if tracked.found else "given",
            request.camera_m,
        )
    info = tracked.info
    yaw, yaw_sigma = turn_of(tracked.ring, tracked.radius_sigma, tracked.far, made.mm_per_px)
    if tracked.far is not None:
        metres, error = tracked.far.camera_m(made.mm_per_px)
        made = replace(
            made,
            camera_m=request.camera_m or round(metres, 2),
            camera_error=made.camera_error if request.camera_m else error,
            side_px_per_mm=float(np.sin(np.radians(yaw))) / made.mm_per_px,
            turn_sine=float(np.sin(np.radians(yaw))),
            scale_col_px=tracked.ring.x,
            side_sigma_px_per_mm=float(np.radians(yaw_sigma)) / made.mm_per_px,
        )
    elif yaw > 0.0:  # to which side is not known
        made = replace(made, side_sigma_px_per_mm=float(np.sin(np.radians(yaw))) / made.mm_per_px)
    horizon = _horizon(tracked, made)
    if horizon:
        made = replace(made, horizon_px=horizon, scale_row_px=tracked.ring.y)
    turn = np.radians(min(abs(yaw), SOUND_YAW_DEG))
    roll = tracked.roll or Roll(0.0, UNKNOWN_ROLL_DEG)
    if request.upright is not None:
        roll = _by_upright(request.upright, tracked, made)
    lean = np.radians(roll.deg)
    return replace(
        made,
        centre_px=((info.width - 1) / 2.0, (info.height - 1) / 2.0),
        vertical_px=(float(np.sin(lean)), -float(np.cos(lean))),
        vertical_sigma=float(np.radians(roll.sd_deg)),
        forward_stretch=1.0 / float(np.cos(turn)),
        scale_error=float(np.hypot(made.scale_error, np.tan(turn) * np.radians(yaw_sigma))),
    )


def _by_upright(
    line: tuple[float, float, float, float], tracked: Tracked, made: Calibration
) -> Roll:
    """The camera's roll by something upright; from one that looks up or down it leans the more the
    further aside it stands, which only other upright things, or the disc, can tell.
    """
    (x1, y1), (x2, y2) = sorted((line[:2], line[2:]), key=lambda end: -end[1])
    aside = (x1 + x2) / 2.0 / tracked.info.width - 0.5
    known = tracked.roll
    outward_sd = np.degrees(PITCH_SD * tracked.info.width / made.lens_px)
    if known is not None and known.outward_sd_deg:
        outward_sd = known.outward_sd_deg
    click = np.degrees(np.sqrt(2.0) * CLICK_PX / np.hypot(x2 - x1, y2 - y1))
    lean = np.degrees(np.arctan2(x2 - x1, y1 - y2))
    return Roll(
        float(lean - aside * (known.outward_deg if known is not None else 0.0)),
        float(np.linalg.norm([click, UPRIGHT_SD_DEG, aside * outward_sd])),
    )


def _horizon(tracked: Tracked, made: Calibration) -> float:
    """How far below the picture's middle the horizon lies, pixels, by how the disc's width changes
    as it rises and by where the far disc stands.
    """
    grows, sd = tracked.bar.grows
    by_width, width_sd = grows * made.lens_px**2, sd * made.lens_px**2
    if tracked.far is None:
        return by_width if tracked.bar.looks_up else 0.0
    place, place_sd = tracked.far.horizon_px, tracked.far.horizon_sd_px
    weight = place_sd**2 / (width_sd**2 + place_sd**2)
    return float(place if np.isinf(width_sd) else weight * by_width + (1.0 - weight) * place)
