"""The rim round a ring that is printed on the disc.

A bright ring on a disc is a clearer circle than the rim itself. What lies behind the disc
changes while it is lifted and the rim stays round it, so over several frames the rim stands
out at one radius, in grey or in colour, though a single frame may hardly show it.
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from keenkettle.film.clip import Clip
from keenkettle.film.rim import Ring, edge_strength, rays
from keenkettle.measure.geometry import FloatArray

REACH, MOST_SHARE = (1.08, 2.2), 0.4  # radii searched; most of the picture's height
STEP = 0.01  # radii
CALM_PX = 1.2  # noise is smoothed by so much
LEAST_EDGE, OVER = 2.5, 3.0  # grey levels; and against the middling change of grey
EDGE_PX = 2.5  # an edge is seen so far to each side
ASIDE = 0.02  # radii; a rim may be so much off the ring's middle
LEAST_TIMES = 1.1  # nearer than this it is the ring itself
SHOWN, STANDS_OUT = 0.6, 0.25  # share of rays at the rim; over what is middling beyond the ring
LEAST_FRAMES = 3
CLEARLY, NEAR = 0.7, 3  # share of rays on a single frame; steps that its ring may be off


def rim_round(clip: Clip, seen: list[tuple[int, Ring]]) -> tuple[float, list[int]] | None:
    """How many times larger than a ring the disc's rim is; None where nothing lies round it.

    Args:
        clip: the film.
        seen: frames, and the ring's outline on each.

    Returns:
        That, and the frames on which it is so: some may show another disc of the ring's size.
    """
    rings = dict(seen)
    shares = {n: s for n, ring in seen if (s := _shares(clip, n, ring)) is not None}
    if len(shares) < LEAST_FRAMES:
        return None
    times = _times(np.array(list(shares.values())), [rings[n].r for n in shares])
    if times is not None:
        return times, list(rings)
    some = _round_some(shares, rings)
    if not some:
        return None
    times = _times(np.array([shares[n] for n in some]), [rings[n].r for n in some])
    return None if times is None else (times, some)


def _round_some(shares: dict[int, FloatArray], rings: dict[int, Ring]) -> list[int]:
    """Frames on which something clear lies round the ring at one radius, wherever the ring is;
    none where that is seen in one place only, or on too few.
    """
    numbers = np.array(list(shares))
    own = LEAST_TIMES + _wide([rings[n].r for n in shares])  # so far out the ring itself shows
    clear = cv2.dilate(np.array(list(shares.values())), np.ones((1, 2 * NEAR + 1))) >= CLEARLY
    clear[:, : round((own - REACH[0]) / STEP)] = False
    best = int(np.argmax(clear.sum(axis=0)))
    frames = [int(n) for n in numbers[clear[:, best]]]
    at = np.array([[rings[n].x, rings[n].y] for n in frames]).reshape(-1, 2)
    if len(frames) < LEAST_FRAMES:
        return []
    goes = float(np.linalg.norm(np.ptp(at, axis=0)))
    return frames if goes > rings[frames[0]].r * REACH[1] else []


def _times(shares: FloatArray, radii: list[float]) -> float | None:
    """The rim's radius by the shares of rays (K, M) that show an edge, in ring's radii."""
    shown = np.median(shares, axis=0)
    beyond = float(np.median(shown))
    good = shown >= max(SHOWN, beyond + STANDS_OUT)
    if not good.any():
        return None
    # Edges are looked for to both sides, so they seem to reach further than they do: to where
    # half of what stands out is left.
    wide = _wide(radii)
    last = int(np.flatnonzero(good)[-1])
    half = (float(shown[good].max()) + beyond) / 2.0
    while last + 1 < len(shown) and shown[last + 1] >= half:
        last += 1
    times = REACH[0] + STEP * last - wide
    return times if times > LEAST_TIMES else None


def _wide(radii: list[float]) -> float:
    return ASIDE + EDGE_PX / float(np.median(radii))


def _shares(clip: Clip, number: int, ring: Ring) -> FloatArray | None:
    """Share of rays that show an edge at each multiple of the ring's radius."""
    grid = np.arange(REACH[0], REACH[1], STEP)
    step = 0.5 if ring.r < 120 else 1.0
    far = min(REACH[1] * ring.r, MOST_SHARE * clip.info.height)
    try:
        planes = clip.planes(number) or (clip.gray(number),)
    except ValueError:
        return None  # a damaged frame; the others decide
    lo = REACH[0] * ring.r
    if far < lo + 8 * step:
        return None
    shown = None
    reach_px = int(far) + 4 * round(CALM_PX) + 4
    x0, y0 = max(int(ring.x) - reach_px, 0), max(int(ring.y) - reach_px, 0)
    about = slice(y0, int(ring.y) + reach_px), slice(x0, int(ring.x) + reach_px)
    ring = replace(ring, x=ring.x - x0, y=ring.y - y0)
    for plane in planes:
        calm = np.asarray(cv2.GaussianBlur(plane[about], (0, 0), CALM_PX), np.uint8)
        strength = edge_strength(rays(calm, ring, lo - 2 * step, far, step))
        edge = strength > max(LEAST_EDGE, OVER * float(np.median(strength)))
        shown = edge if shown is None else shown | edge
    reach = max(int(ASIDE * ring.r / step), 1)
    wide = cv2.dilate(np.asarray(shown, np.uint8), np.ones((1, 2 * reach + 1), np.uint8))
    radii = (lo + step * np.arange(wide.shape[1])) / ring.r
    return np.asarray(np.interp(grid, radii, wide.mean(axis=0), right=0.0))
