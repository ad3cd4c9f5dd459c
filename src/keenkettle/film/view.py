"""How the camera stood: rolled or turned, how large the disc is, what leaves the picture.

Roll is read from what stands upright in a room (door frames, racks, wall panels); yaw from the
disc, which looks narrower from beside. Neither is believed where it cannot be told from noise.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from keenkettle.film.clip import ClipInfo
from keenkettle.film.far_disc import FarDisc
from keenkettle.film.planes import Gray
from keenkettle.film.rim import Ring
from keenkettle.film.uprights import uprights
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import BarTrack

LEAST_LINES, AGREE_DEG = 4, 0.8
SAME_SHARE, SAME_DEG, AGAIN = 0.012, 0.6, 0.6  # picture widths; so many others show it as well
LINE_DEG, MOST_LINES, ROUNDS = 0.3, 8.0, 8  # spread of one line; more than that add little
LEAST_ROLL_SD = 0.2  # degrees; frames of doors are not hung truer
#: Cameras are rolled by so much; by their pitch, lines a picture's width aside lean so much.
USUAL_DEG = np.array([2.5, 6.0])
UNKNOWN_ROLL_DEG = 1.5  # where nothing upright shows
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
            "bar's far end shows, its level, both elbows, landing and knees; "
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


@dataclass(frozen=True)
class Roll:
    """The vertical's lean to the right in mid-picture, degrees, and its standard deviation.

    ``outward_deg`` is how much more it leans a picture's width further right, with its standard
    deviation and the correlation of both errors: lines on one side alone cannot tell them apart.
    """

    deg: float
    sd_deg: float
    outward_deg: float = 0.0
    outward_sd_deg: float = 0.0
    correlation: float = 0.0

    def grows(self, width_px: int) -> tuple[float, float] | None:
        """Share by which what is seen is wider a pixel lower, and its standard deviation, as the
        uprights tell; None where they do not.

        Args:
            width_px: of the picture.
        """
        if not 0.0 < self.outward_sd_deg < np.inf:
            return None
        return (
            float(-np.radians(self.outward_deg) / width_px),
            float(np.radians(self.outward_sd_deg) / width_px),
        )

    def knowing(self, outward_deg: float, sd_deg: float) -> Roll:
        """The lean where something else tells how much it changes across the picture."""
        shared = self.correlation * self.sd_deg * self.outward_sd_deg
        gain = shared / max(self.outward_sd_deg**2 + sd_deg**2, 1e-9)
        left = float(np.sqrt(max(self.sd_deg**2 - gain * shared, LEAST_ROLL_SD**2)))
        deg = self.deg + gain * (outward_deg - self.outward_deg)
        return replace(self, deg=deg, sd_deg=min(left, self.sd_deg))


def outward_of(grows: tuple[float, float], width_px: int) -> tuple[float, float]:
    """How much more a vertical leans a picture's width further right, and the standard deviation,
    degrees: a camera that looks upward shows the disc smaller higher up, and verticals converging.

    Args:
        grows: share by which the disc's width grows a pixel downward, and its standard deviation.
        width_px: of the picture.
    """
    return (
        float(-np.degrees(grows[0] * width_px)),
        float(np.hypot(LINE_DEG, np.degrees(2.0 * grows[1] * width_px))),
    )


def roll_of(grays: Sequence[Gray]) -> Roll | None:
    """The camera's roll by upright lines; None where none keep their place or they disagree.

    A camera that looks upward shows uprights leaning toward the middle, the further out the more
    (Hartley & Zisserman 2004, ch. 8.6): so a lean and its growth across the picture are fitted.

    Args:
        grays: pictures of one camera; limbs and people move from one to the next, the room not.
    """
    found = [uprights(gray) for gray in grays]
    lines = np.concatenate([_staying(k, found) for k in range(len(found))])
    if len(lines) < LEAST_LINES:
        return None
    across, lean, length = lines.T
    held = np.stack([np.ones_like(across), across], -1)
    order = np.argsort(lean)
    share = np.cumsum(length[order]) / length.sum()
    fit = np.array([lean[order][int(np.searchsorted(share, 0.5))], 0.0])
    usual = np.diag(USUAL_DEG**-2.0)
    # Lines of one edge, and of one place on several pictures, tell the same.
    worth = length / length.sum() * min(len(lines) / len(grays), MOST_LINES) / LINE_DEG**2
    for _ in range(ROUNDS):
        off = lean - held @ fit
        weight = worth / (1.0 + (off / LINE_DEG) ** 2)
        inverse = np.linalg.inv(held.T @ (weight[:, None] * held) + usual)
        fit = inverse @ (held.T @ (weight * lean))
    near = np.abs(lean - held @ fit) <= AGREE_DEG
    if length[near].sum() < 0.6 * length.sum() or near.sum() < LEAST_LINES:
        return None
    sd = np.sqrt(np.diag(inverse))
    return Roll(
        float(fit[0]),
        float(np.hypot(LEAST_ROLL_SD, sd[0])),
        float(fit[1]),
        float(sd[1]),
        float(inverse[0, 1] / (sd[0] * sd[1])),
    )


def _staying(k: int, found: list[FloatArray]) -> FloatArray:
    """The lines of picture ``k`` that most of the others show as well."""
    others = [lines for n, lines in enumerate(found) if n != k]
    if not others:
        return found[k]
    again = np.zeros(len(found[k]))
    for lines in others:
        same = np.abs(found[k][:, None, :2] - lines[None, :, :2]) <= [SAME_SHARE, SAME_DEG]
        again += np.any(np.all(same, axis=-1), axis=1)
    return np.asarray(found[k][again >= AGAIN * len(others)])
