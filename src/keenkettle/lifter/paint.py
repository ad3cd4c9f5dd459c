"""Shaded shapes with soft edges on a float picture. Coordinates are pixels.

Pictures are float32 arrays of shape (H, W, 3), 0 to 255, red green blue. Each function
paints in place and touches only the part of the picture that the shape can reach.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keenkettle.measure.geometry import FloatArray

Picture = NDArray[np.float32]
Colour = tuple[float, float, float]


@dataclass(frozen=True)
class Span:
    """Colour of a limb from ``start`` (share along it) on."""

    start: float
    colour: Colour


def _window(img: Picture, lo: FloatArray, hi: FloatArray) -> tuple[slice, slice] | None:
    h, w = img.shape[:2]
    x0, y0 = max(int(lo[0]) - 2, 0), max(int(lo[1]) - 2, 0)
    x1, y1 = min(int(hi[0]) + 3, w), min(int(hi[1]) + 3, h)
    return (slice(y0, y1), slice(x0, x1)) if x1 > x0 and y1 > y0 else None


def _grid(win: tuple[slice, slice]) -> tuple[FloatArray, FloatArray]:
    ys, xs = np.mgrid[win[0], win[1]]
    return xs.astype(np.float32), ys.astype(np.float32)


def _blend(img: Picture, win: tuple[slice, slice], colour: FloatArray, alpha: FloatArray) -> None:
    part = img[win]
    part += alpha[..., None].astype(np.float32) * (colour.astype(np.float32) - part)


def limb(
    img: Picture,
    a: FloatArray,
    b: FloatArray,
    ra: float,
    rb: float,
    spans: tuple[Span, ...],
    light: float = 1.0,
) -> None:
    """Paint a tapered limb from a to b with radii ra and rb, shaded like a cylinder."""
    r = max(ra, rb)
    win = _window(img, np.minimum(a, b) - r, np.maximum(a, b) + r)
    if win is None:
        return
    xs, ys = _grid(win)
    axis = b - a
    length = float(np.hypot(*axis)) or 1e-6
    e = axis / length
    along = (xs - a[0]) * e[0] + (ys - a[1]) * e[1]
    across = (xs - a[0]) * -e[1] + (ys - a[1]) * e[0]
    t = np.clip(along / length, 0.0, 1.0)
    radius = ra + t * (rb - ra)
    dist = np.hypot(along - t * length, across)
    alpha = np.clip(0.5 + radius - dist, 0.0, 1.0)
    side = np.clip(across / np.maximum(radius, 1e-6), -1.0, 1.0)
    # Light from the upper left of the picture; the limb's normal leans with ``side``.
    lit = np.sqrt(1.0 - 0.92 * side**2) * 0.75 + 0.25 * (side * e[1] - side * e[0]) * 0.6 + 0.2
    colour = np.empty((*t.shape, 3), dtype=np.float32)
    colour[:] = spans[0].colour
    for span in spans[1:]:
        edge = np.clip((t - span.start) * length + 0.5, 0.0, 1.0)[..., None]
        colour += edge * (np.array(span.colour, dtype=np.float32) - colour)
    _blend(img, win, colour * np.clip(lit * light, 0.0, 1.3)[..., None], alpha)


def mapped(
    img: Picture,
    centre: FloatArray,
    radius: float,
    to_local: FloatArray,
    shade: Callable[[FloatArray, FloatArray], tuple[FloatArray, FloatArray]],
) -> None:
    """Paint a flat thing seen in perspective.

    Args:
        centre, radius: pixels that it can reach.
        to_local: 3x3 homography from pixels to the thing's own plane.
        shade: local x, y to colour (..., 3) and cover (...).
    """
    win = _window(img, centre - radius, centre + radius)
    if win is None:
        return
    xs, ys = _grid(win)
    m = to_local
    w = m[2, 0] * xs + m[2, 1] * ys + m[2, 2]
    lx = (m[0, 0] * xs + m[0, 1] * ys + m[0, 2]) / w
    ly = (m[1, 0] * xs + m[1, 1] * ys + m[1, 2]) / w
    colour, alpha = shade(lx, ly)
    _blend(img, win, colour, alpha)


def ball(img: Picture, c: FloatArray, r: float, colour: Colour, light: float = 1.0) -> None:
    """Paint a lit ball."""
    limb(img, c, c + np.array([0.0, 0.01]), r, r, (Span(0.0, colour),), light)
