"""What of the nets' looks is believed, and how much: the disc pulls hidden joints toward it, a head
behind it presses the body together, somebody who walks past is another body.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from keenkettle.film.footage import Footage, Look
from keenkettle.film.limb_lines import LIMBS
from keenkettle.film.outline import Masks
from keenkettle.film.pose_net import SIDES
from keenkettle.film.two_sides import drawn_px
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.motion import JOINTS
from keenkettle.measure.segments import SEGMENT_SHARE, STATURE_MM

COVER = 1.10  # a joint this near the disc's middle, in radii, is behind it
#: How the net's points jump about from frame to frame; what is wrong all film long is BIAS_MM.
SEEN_MM = {"elbow": 45.0, "wrist": 55.0, "heel": 27.0, "toe": 30.0, "ear": 18.0}
OTHER_SEEN_MM = 18.0
#: So much higher than its joints the nets see a lower leg, whose kneecap and shoe they go by: a
#: part of what films by two renderers show alike (10 to 25, 25 to 31, 15 to 29 and 17).
HIGH_MM = {"knee": 15.0, "ankle": 20.0, "heel": 10.0, "toe": 10.0}
#: Behind the disc, where they see what it was painted over with; off the same way on many frames,
#: so more than on one (median 25 to 60 on 37 films by two renderers). Feet and arms are guesses.
HIDDEN_MM = {"hip": 60.0, "knee": 100.0, "shoulder": 100.0, "ear": 100.0}
OTHER_HIDDEN_MM = 320.0
#: A hip behind the disc: from so many radii to its middle, where nets put it so far back and up,
#: and how unsure that is there and near the rim, radii; by 25 films by two renderers.
DEEP_R, DRAWN_BACK_R, DRAWN_UP_R = 0.75, 0.45, 0.27
HIP_AT_RIM_R, HIP_DEEP_R = 0.2, 0.45
#: Near the disc as well, fading out at DRAWN_FROM radii from its middle.
DRAWN_MM = {"hip": 25.0, "knee": 60.0, "ankle": 300.0, "heel": 300.0, "toe": 300.0}
DRAWN_FROM = 2.2
#: How far over the hip these are on an upright body, share of stature, and the radii by which a
#: body that leans may be nearer to the disc.
OVER_HIP = {
    "shoulder": SEGMENT_SHARE["hip", "shoulder"],
    "elbow": 0.25,
    "ear": SEGMENT_SHARE["hip", "shoulder"] + SEGMENT_SHARE["shoulder", "ear"],
}
LEANS = 0.4
HEADLESS = 4.0  # errors of all joints with the head behind the disc, times
UNSURE_SHARE = 3.0  # errors grow up to this many times as the net's own visibility falls
HIP_HEIGHT = 0.530  # share of stature (Winter 2009)
TOO_HIGH = 1.3  # legs are not so much longer, nor does a jump make up for it
#: An outline's area against its middling one; bending, jumping and the disc make it 0.6 to 1.7.
LEAST_AREA, MOST_AREA = 0.45, 2.0
NEARBY_S = 0.2  # somebody is beside the athlete so long before they are one, and after
FEET = ("ankle", "heel", "toe")
SHAKY_KNEE_MM = 110.0
ODD_SHARE = 0.30  # a length this far off the body's cannot be right
ODD_TIMES = 5.0
DOUBTED = {
    ("ankle", "knee"): ("ankle", "heel", "toe", "knee"),
    ("knee", "hip"): ("knee",),
    ("hip", "shoulder"): ("hip", "shoulder"),
}


def observed(
    look: Look, at: NDArray[np.int64], bar_xy: FloatArray, headless: BoolArray, film: Footage
) -> tuple[FloatArray, FloatArray]:
    """What the nets saw of a span, with errors that are larger behind and by the disc.

    Args:
        look: the nets' looks at K frames.
        at: those frames' places in the span, shape (K,).
        bar_xy: the bar's end, shape (N, 2), pixels.
        headless: where the disc is before the head, shape (K,).
        film: what is known of the film.

    Returns:
        Joints (N, J, 2) and their standard deviations (N, J), pixels; NaN and infinite where
        nothing was seen.
    """
    n, mm = len(bar_xy), film.mm
    xy, sigma = np.full((n, len(JOINTS), 2), np.nan), np.full((n, len(JOINTS)), np.inf)
    hip = int(SIDES[film.side]["hip"])
    for j, name in enumerate(JOINTS):
        k = int(SIDES[film.side][name])
        xy[at, j] = look.xy[:, k] - [drawn_px(film, name), -HIGH_MM.get(name, 0.0) * mm]
        doubt = 1.0 + (UNSURE_SHARE - 1.0) * (1.0 - look.seen[:, k])
        doubt = np.where(headless, HEADLESS, doubt)
        away = np.linalg.norm(xy[at, j] - bar_xy[at], axis=1) / film.radius_px
        if name in OVER_HIP:
            away = np.fmin(away, np.maximum(_over(look, hip, name, bar_xy[at], film) - LEANS, 0.0))
        near = np.clip((DRAWN_FROM - away) / (DRAWN_FROM - 1.0), 0.0, 1.0)
        own = np.hypot(SEEN_MM.get(name, OTHER_SEEN_MM) * doubt, DRAWN_MM.get(name, 0.0) * near)
        behind = HIDDEN_MM.get(name, OTHER_HIDDEN_MM)
        sigma[at, j] = np.where(away < COVER, np.maximum(behind, own), own) * mm
        sigma[~np.isfinite(xy[:, j, 0]), j] = np.inf
    backward = _backward_feet(xy, film.side)
    for name in ("heel", "toe"):
        xy[backward, JOINTS.index(name)] = np.nan
        sigma[backward, JOINTS.index(name)] = np.inf
    return xy, sigma


def _backward_feet(xy: FloatArray, side: str) -> BoolArray:
    """Frames (N,) of joints (N, J, 2) on which the nets turn the feet round: a lifter does not."""
    ahead = 1.0 if side == "right" else -1.0
    with np.errstate(invalid="ignore"):
        foot = xy[:, JOINTS.index("toe"), 0] - xy[:, JOINTS.index("heel"), 0]
        return np.asarray(ahead * foot < 0.0)


def behind_head(look: Look, bar_xy: FloatArray, film: Footage) -> BoolArray:
    """Frames (K,) on which the disc is before the head: the nets then take the body for a shorter
    one, and put head and arms anywhere. ``bar_xy`` (K, 2) is the bar's end, pixels.
    """
    hip = int(SIDES[film.side]["hip"])
    return _over(look, hip, "ear", bar_xy, film) < COVER + LEANS


def pressed_together(look: Look, masks: Masks, film: Footage) -> BoolArray:
    """Frames (K,) on which the nets put the hip higher over the feet than legs are long: with the
    head behind the disc they may press the whole body together about it.
    """
    hip = look.xy[:, int(SIDES[film.side]["hip"]), 1]
    legs = HIP_HEIGHT * (film.stature_mm or STATURE_MM) * film.depth_share * film.mm
    with np.errstate(invalid="ignore"):
        return np.asarray(masks.lowest() - hip > TOO_HIGH * legs)


def somebody_else(masks: Masks) -> BoolArray:
    """Frames (K,) on which somebody who walks past was taken for the athlete, or makes one body
    with the athlete: the outline is then far larger or smaller than it mostly is.
    """
    areas = masks.areas()
    share = areas / max(float(np.median(areas)), 1.0)
    return np.asarray((share < LEAST_AREA) | (share > MOST_AREA))


def about(which: BoolArray, frames: NDArray[np.int64], reach: float) -> BoolArray:
    """Those of frames (K,) that are within ``reach`` frames of one of some of them."""
    if not which.any():
        return which
    return np.asarray(np.abs(frames[:, None] - frames[which]).min(axis=1) <= reach)


def _over(look: Look, hip: int, name: str, bar_xy: FloatArray, film: Footage) -> FloatArray:
    """How far from the disc's middle a joint is that stands upright over the hip, radii (K,)."""
    tall = (film.stature_mm or STATURE_MM) * film.depth_share * film.mm
    place = look.xy[:, hip] - np.array([0.0, OVER_HIP[name] * tall])
    away = np.linalg.norm(place - bar_xy, axis=1) / film.radius_px
    return np.asarray(np.nan_to_num(away, nan=9.0))


def odd_limbs(xy: FloatArray, stature_px: float) -> dict[tuple[str, str], NDArray[np.bool_]]:
    """Frames (K,) on which a leg's or the trunk's length cannot be this body's.

    Args:
        xy: joints on each frame, shape (K, J, 2).
        stature_px: the body's stature at the disc's scale.
    """
    out = {}
    for a, b in LIMBS:
        length = np.linalg.norm(xy[:, JOINTS.index(a)] - xy[:, JOINTS.index(b)], axis=1)
        share = length / (SEGMENT_SHARE[a, b] * stature_px)
        with np.errstate(invalid="ignore"):
            out[a, b] = ~(np.abs(share - 1.0) <= ODD_SHARE)
    return out


def doubt_odd(
    xy: FloatArray, sigma: FloatArray, firmly: FloatArray, at: NDArray[np.int64], stature_px: float
) -> NDArray[np.bool_]:
    """Errors where a limb came out with a length it cannot have; ``sigma`` is changed in place.

    Args:
        xy: what was seen, shape (N, J, 2), pixels.
        sigma: its errors, shape (N, J), pixels.
        firmly: 1 where a coach's mark is believed, shape (N, J).
        at: frames that were looked at, shape (K,).
        stature_px: the body's stature at the disc's scale.

    Returns:
        Where that is so, shape (N, J).
    """
    odd = np.zeros(sigma.shape, bool)
    for (a, b), strange in odd_limbs(xy[at], stature_px).items():
        for name in DOUBTED[a, b]:
            j = JOINTS.index(name)
            odd[at[strange & (firmly[at, j] == 0)], j] = True
    sigma[odd] *= ODD_TIMES
    return odd


def hip_behind_disc(
    p: FloatArray, bar_xy: FloatArray, film: Footage
) -> tuple[FloatArray, FloatArray]:
    """How far a hip behind the disc is from where the nets see it, (N, 2) pixels, and the error of
    that, (N,): with the front of the pelvis painted over they put it into what is left to see,
    which is behind and above, the more so the nearer the disc's middle is.

    Args:
        p: joints as known so far, shape (N, J, 2), pixels.
        bar_xy: the bar's end, shape (N, 2), pixels.
        film: what is known of the film.
    """
    deep = deep_behind_disc(p, bar_xy, film)
    ahead = 1.0 if film.side == "right" else -1.0
    shift = deep[:, None] * np.array([ahead * DRAWN_BACK_R, DRAWN_UP_R]) * film.radius_px
    return shift, np.where(deep > 0.0, HIP_AT_RIM_R + deep * HIP_DEEP_R, 0.0) * film.radius_px


def deep_behind_disc(p: FloatArray, bar_xy: FloatArray, film: Footage) -> FloatArray:
    """How deep behind the disc a hip is, (N,): 1 behind its middle, 0 from DEEP_R radii on."""
    away = np.linalg.norm(p[:, JOINTS.index("hip")] - bar_xy, axis=1) / film.radius_px
    return np.asarray(np.maximum(1.0 - away / DEEP_R, 0.0))


def doubt_hidden(
    p: FloatArray, bar_xy: FloatArray, sigma: FloatArray, firmly: FloatArray, film: Footage
) -> tuple[FloatArray, BoolArray]:
    """Errors (N, J), pixels, of what was seen, larger where the disc is now thought to cover a
    joint itself; and where it does.

    Args:
        p: joints as known so far, shape (N, J, 2), pixels.
        bar_xy: the bar's end, shape (N, 2), pixels.
        sigma: errors of what was seen, shape (N, J), pixels.
        firmly: 1 where a coach's mark is believed, shape (N, J).
        film: what is known of the film.
    """
    hidden = np.linalg.norm(p - bar_xy[:, None], axis=-1) < COVER * film.radius_px
    ankle, knee = JOINTS.index("ankle"), JOINTS.index("knee")
    feet = [JOINTS.index(f) for f in FEET]
    # With its ankle covered the whole lower leg is guessed, and the guess is drawn to the disc.
    hidden[:, feet] |= hidden[:, [ankle]]
    behind = np.array([HIDDEN_MM.get(name, OTHER_HIDDEN_MM) for name in JOINTS]) * film.mm
    out = np.where(hidden & (firmly == 0), np.maximum(sigma, behind), sigma)
    shaky = hidden[:, ankle] & (firmly[:, knee] == 0)
    out[shaky, knee] = np.maximum(out[shaky, knee], SHAKY_KNEE_MM * film.mm)
    return np.asarray(out), hidden
