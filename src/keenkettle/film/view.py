"""How the camera stood: rolled or turned, how large the disc is, what leaves the picture.

Roll is read from what stands upright in a room (door frames, racks, wall panels); yaw from the
disc, which looks narrower from beside. Neither is believed where it cannot be told from noise.
"""

from __future__ import annotations

import cv2
import numpy as np

from keenkettle.film.clip import ClipInfo, Gray
from keenkettle.film.far_disc import FarDisc
from keenkettle.film.rim import Ring
from keenkettle.measure.motion import BarTrack

UPRIGHT_DEG = 8.0  # lines leaning more than this are not taken for uprights
LEAST_SHARE = 0.10  # of the picture's height, a line that counts
LEAST_LINES, AGREE_DEG = 4, 0.8
SOUND_YAW_DEG, MOST_YAW_DEG = 20.0, 45.0
LEAST_SAID_DEG = 2.5
SMALL_DISC_PX = 90.0  # the accuracy that is promised needs so wide a disc
MIN_FPS, SLOW_FPS = 24.0, 48.0
ASPECT_NOISE = 0.006  # of the disc's width over its height, at best


def view_says(ring: Ring, bar: BarTrack, info: ClipInfo, turn: tuple[float, float]) -> list[str]:
    """What is to be said about how a clip was filmed, one sentence each.

    Args:
        ring: the disc.
        bar: its track.
        info: size of the clip, and its rate at capture.
        turn: the camera's yaw and its standard deviation, degrees.
    """
    yaw, sigma = abs(turn[0]), turn[1]
    fps = info.fps_nominal
    says = []
    if yaw > SOUND_YAW_DEG:
        says.append(
            f"the camera looks from {yaw:.0f} degrees beside the side view, give or take "
            f"{max(sigma, 1.0):.0f}; heights, speeds upward and times are judged, and, where the "
            "bar's far end shows, its level, the landing and the knees; "
            "film from the side for distances forward and angles"
        )
    elif yaw >= LEAST_SAID_DEG:
        says.append(
            f"the camera is turned by {yaw:.0f} degrees, give or take {max(sigma, 1.0):.0f}; "
            "distances forward are corrected for it"
        )
    if 2.0 * ring.r < SMALL_DISC_PX:
        says.append(
            f"the disc is only {2.0 * ring.r:.0f} pixels wide; film closer, or with more pixels, "
            f"so that it has {SMALL_DISC_PX:.0f}"
        )
    if bar.drift_px is not None:
        says.append(
            f"the camera moved by up to {float(np.ptp(bar.drift_px, axis=0).max()):.0f} pixels "
            "while it filmed; that is taken out by the room behind, so put it on a stand"
        )
    x, y = bar.xy_px[:, 0], bar.xy_px[:, 1]
    edge = 0.6 * ring.r
    out = (x < edge) | (x > info.width - edge) | (y < edge) | (y > info.height - edge)
    if out.mean() > 0.01:
        says.append("the disc leaves the picture; film from further away")
    if fps < MIN_FPS:
        says.append(
            f"{fps:.0f} frames a second is too few to time the turnover; film at 60 or more"
        )
    elif fps < SLOW_FPS:
        says.append(
            f"at {fps:.0f} frames a second a moment is known to {500.0 / fps:.0f} ms only; "
            "film at 60 or more"
        )
    return says


def yaw_of(ring: Ring, radius_sigma: float) -> tuple[float, float]:
    """Turn from side-on and its standard deviation, degrees; 0 where the disc looks round."""
    noise = float(np.hypot(ASPECT_NOISE, 1.4 * radius_sigma / ring.r))
    if ring.aspect > 1.0 - 3.0 * noise:
        return 0.0, float(np.degrees(np.arccos(1.0 - noise)))
    yaw = float(np.arccos(max(ring.aspect, np.cos(np.radians(MOST_YAW_DEG)))))
    return float(np.degrees(yaw)), float(np.degrees(noise / np.sin(yaw)))


def turn_of(
    ring: Ring, radius_sigma: float, far: FarDisc | None, mm_per_px: float
) -> tuple[float, float]:
    """Turn from side-on and its standard deviation, degrees, by the near disc's shape and the far
    disc's place; positive where the far disc stands to the right. Without a far disc the sign is
    not known, and the turn given as positive.
    """
    by_shape, shape_sigma = yaw_of(ring, radius_sigma)
    if far is None:
        return by_shape, shape_sigma
    by_place, place_sigma = far.yaw_deg(mm_per_px)
    # A disc's thickness shows from aside and makes its outline rounder than its face.
    if abs(by_place) >= by_shape - 0.01:
        return by_place, place_sigma
    weights = np.array([place_sigma, shape_sigma]) ** -2.0
    size = float((weights * [abs(by_place), by_shape]).sum() / weights.sum())
    return float(np.copysign(size, by_place)), float(weights.sum() ** -0.5)


def roll_of(gray: Gray) -> float | None:
    """The vertical's lean to the right on the picture, degrees, from upright lines."""
    h, w = gray.shape
    scale = min(1.0, 720.0 / h)
    small = cv2.resize(gray, (round(w * scale), round(h * scale)), interpolation=cv2.INTER_AREA)
    edges = cv2.Canny(cv2.GaussianBlur(small, (0, 0), 1.2), 30, 90)
    least = round(LEAST_SHARE * small.shape[0])
    found = cv2.HoughLinesP(edges, 1, np.radians(0.25), least, None, least, 4)
    if found is None:
        return None
    x0, y0, x1, y1 = found.reshape(-1, 4).astype(float).T
    up = np.where(y0 > y1, 1.0, -1.0)
    lean = np.degrees(np.arctan2(up * (x1 - x0), np.abs(y1 - y0)))
    ok = np.abs(lean) <= UPRIGHT_DEG
    if ok.sum() < LEAST_LINES:
        return None
    lean, length = lean[ok], np.hypot(x1 - x0, y1 - y0)[ok]
    order = np.argsort(lean)
    share = np.cumsum(length[order]) / length.sum()
    middle = float(lean[order][int(np.searchsorted(share, 0.5))])
    near = np.abs(lean - middle) <= AGREE_DEG
    if length[near].sum() < 0.6 * length.sum() or near.sum() < LEAST_LINES:
        return None
    return float(np.average(lean[near], weights=length[near]))
