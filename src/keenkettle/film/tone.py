"""What sets the disc apart from what is around it: its grey, or its colour.

Contrast across the rim is taken ray by ray on frames where the disc was seen, and against what
lies above and below it, where it will go or came from; the mixture of luma and colour differences
that stands clear of the noise on most of it is looked at.
"""

from __future__ import annotations

import cv2
import numpy as np

from keenkettle.film.clip import Clip
from keenkettle.film.planes import LUMA, Gray, Tone
from keenkettle.film.rim import Pictures, Ring, rays
from keenkettle.measure.geometry import BoolArray, FloatArray

INSIDE, OUTSIDE = (0.86, 0.96), (1.05, 1.17)  # radii compared, shares of the rim's
INSIDE_RINGED = (0.9, 0.97)
CLEAR = 5.0  # contrast in units of the noise of one sample that shows an edge
ENOUGH = 0.55  # a rim that so many rays show in grey is looked at in grey, which is sharper
WORTH = 0.12  # colour is looked at only where it shows this share of rays more
WAY_R, CELL_R = 1.2, 0.12  # half the breadth of the disc's way, and of a piece of it; radii
WAY_LOST, WAY_WORTH = 0.4, 0.3  # share of a stretch that shows too little; more that is worth it
LEAST_NOISE = 0.7  # greys; compression leaves less to be seen than there is
#: Of luma where colour tells more: with so many times its grain hardly any of it passes for a rim.
GRAIN_TIMES = 2.0
TONE_NOISE, MOST_GAIN = 5.0, 6.0  # grey levels that the noise is brought to, at this gain
GREYS, LEFT_OUT = (12.0, 244.0), 0.03  # in which there is room; share of contrasts beyond them


def best_tone(clip: Clip, seen: list[tuple[int, Ring]], ringed: bool = False) -> Tone:
    """The mixture that shows the most of the rim.

    Args:
        clip: the film.
        seen: frames and where the disc is on them.
        ringed: a printed ring lies close inside the rim.
    """
    contrast, noise, ways, own = [], [], [], []
    for number, ring in seen:
        planes = clip.planes(number)
        if planes is None:
            return LUMA
        within = INSIDE_RINGED if ringed else INSIDE
        steps, grains, greys = zip(*(_across(p, ring, within) for p in planes), strict=True)
        ways.append(_against(planes, ring))
        contrast.append(np.stack(steps, -1))
        noise.append(np.stack(grains, -1))
        own.append(greys)
    d = np.concatenate(contrast)
    # Printed rings are no noise: the middling difference of neighbours is.
    grain = 1.4826 * np.median(np.abs(np.concatenate(noise)), axis=0) / np.sqrt(2.0)
    cov = np.diag(grain**2 + LEAST_NOISE**2)
    lean = np.linalg.solve(cov, np.median(d, axis=0))
    choices = [np.array(LUMA[:3]), np.array([0.0, 1.0, 0.0]), np.array([0.0, 0.0, 1.0]), lean]
    shares = [_clear(d, cov, w) for w in choices]
    k = int(np.argmax(shares))
    if shares[0] >= ENOUGH:
        alone = [[_clear_by_stretch(way, cov, w) for way in ways] for w in choices]
        # Grey is looked at as well: a colour that shows what grey does not will do.
        beside = [[np.maximum(a, b) for a, b in zip(own, alone[0], strict=True)] for own in alone]
        for shown in (alone, beside):
            worst = [min(float(way.min(initial=1.0)) for way in own) for own in shown]
            k = int(np.argmax(worst))
            if worst[0] < WAY_LOST and worst[k] >= worst[0] + WAY_WORTH:
                break
        else:
            return LUMA
    elif shares[k] < shares[0] + WORTH:
        return LUMA
    w = choices[k] * TONE_NOISE / max(float(np.sqrt(choices[k] @ cov @ choices[k])), 1e-6)
    w = w * min(1.0, MOST_GAIN / max(float(np.abs(w).max()), 1e-6))
    by_row = [np.nanmedian(way[_known(way).any(axis=1)] @ w, axis=1) for way in ways]
    against = np.concatenate([*by_row, d @ w])
    gain, grey = _room(against, float(np.median(np.array(own), axis=0) @ w))
    w = w * gain
    grain_luma = GRAIN_TIMES * max(float(grain[0]), LEAST_NOISE)
    return Tone(float(w[0]), float(w[1]), float(w[2]), grey, TONE_NOISE * gain, grain_luma)


def _room(beside: FloatArray, own: float) -> tuple[float, float]:
    """Gain and added grey with which the disc, whose own grey is given, and what it is seen
    against, by its contrasts, have room: an edge that is cut off at black or white seems to lie
    where that is.
    """
    beyond = np.quantile(-beside, (LEFT_OUT, 1.0 - LEFT_OUT))
    low, high = min(float(beyond[0]), 0.0), max(float(beyond[1]), 0.0)
    gain = min(1.0, (GREYS[1] - GREYS[0]) / max(high - low, 1e-6))
    return gain, (GREYS[0] + GREYS[1]) / 2.0 - gain * (own + (low + high) / 2.0)


def _across(
    gray: Gray, ring: Ring, within: tuple[float, float]
) -> tuple[FloatArray, FloatArray, float]:
    """Contrast across the rim by ray, differences of neighbours inside it (the noise), and the
    middling grey there.
    """
    inside = rays(gray, ring, within[0] * ring.r, within[1] * ring.r, 1.5)
    outside = rays(gray, ring, OUTSIDE[0] * ring.r, OUTSIDE[1] * ring.r, 1.5)
    contrast = inside.mean(1) - outside.mean(1)
    return contrast, np.diff(inside, axis=1).reshape(-1), float(np.median(inside))


def _against(planes: tuple[Gray, Gray, Gray], ring: Ring) -> FloatArray:
    """The disc's colours less those above and below it: pieces by row, column and plane; NaN where
    the disc itself is.
    """
    height, width = planes[0].shape
    side = max(CELL_R * ring.r, 2.0)
    rows, columns = round(height / side), max(round(2.0 * WAY_R * ring.r / side), 1)
    left, right = (float(np.clip(ring.x + k * WAY_R * ring.r, 0, width)) for k in (-1, 1))
    out = np.full((rows, columns, 3), np.nan)
    for k, plane in enumerate(planes):
        strip = plane[:, int(left) : max(int(right), int(left) + 1)]
        small = cv2.resize(strip, (columns, rows), interpolation=cv2.INTER_AREA)
        own = rays(plane, ring, INSIDE[0] * ring.r, INSIDE[1] * ring.r, 1.5)
        out[..., k] = float(np.median(own)) - small
    ys = (np.arange(rows) + 0.5) * height / rows
    xs = left + (np.arange(columns) + 0.5) * (right - left) / columns
    out[np.hypot(xs[None] - ring.x, ys[:, None] - ring.y) < OUTSIDE[1] * ring.r] = np.nan
    return out


def _known(way: FloatArray) -> BoolArray:
    """Pieces (rows, columns) of a way that show what lies behind it."""
    return np.asarray(np.isfinite(way[..., 0]))


def _clear_by_stretch(way: FloatArray, cov: FloatArray, w: FloatArray) -> FloatArray:
    """Share of each stretch of the way, as high as a disc, that stands clear of the noise, (K,);
    of those of which more than half is known.
    """
    clear = (np.abs(way @ w) > CLEAR * np.sqrt(w @ cov @ w)).astype(float)
    clear[~_known(way)] = np.nan
    span = max(round(2.0 / CELL_R), 1)
    stretches = [clear[i : i + span] for i in range(0, max(len(clear) - span, 0) + 1, span // 2)]
    known = [s for s in stretches if np.isfinite(s).mean() > 0.5]
    return np.array([float(np.nanmean(s)) for s in known])


def _clear(d: FloatArray, cov: FloatArray, w: FloatArray) -> float:
    """Share of rays whose contrast stands clear of the noise."""
    return float(np.mean(np.abs(d @ w) > CLEAR * np.sqrt(w @ cov @ w)))


def pictures_of(luma: Gray, toned: Gray, tone: Tone) -> Pictures:
    """Both pictures of a moment for ``fit_best``, with their noise; one where the tone is luma."""
    return ((luma, None),) if toned is luma else ((luma, tone.grain), (toned, tone.noise))
