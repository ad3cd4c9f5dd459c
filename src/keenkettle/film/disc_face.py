"""The face of a disc: its mean greys by radius, which stay as they are while it turns."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.planes import Gray
from keenkettle.film.rim import Ring, rays
from keenkettle.measure.geometry import FloatArray

TEMPLATE_R = 13  # radius of the template, pixels of the reduced picture
SEARCH_R = 36.0  # radius to which the picture is reduced for a search by the rim alone


def match_face(
    gray: Gray, template: FloatArray, ring: Ring, box: tuple[int, int, int, int]
) -> tuple[FloatArray | None, float]:
    """Where a disc's face is likest in a part of a picture, pixels, and how like it is.

    Args:
        gray: the picture.
        template: from ``make_template``.
        ring: the disc's size and shape.
        box: left, top, right and bottom of the part; it may reach over the edges.
    """
    x0, y0, x1, y1 = box
    h, w = gray.shape
    pad = int(ring.r)  # a disc may be partly outside the picture
    x0, y0, x1, y1 = max(x0, -pad), max(y0, -pad), min(x1, w + pad), min(y1, h + pad)
    part = gray[max(y0, 0) : max(y1, 0), max(x0, 0) : max(x1, 0)]
    if part.size == 0:
        return None, 0.0
    edges = (max(-y0, 0), max(y1 - h, 0), max(-x0, 0), max(x1 - w, 0))
    scale = TEMPLATE_R / ring.r
    if any(edges):
        part = np.asarray(cv2.copyMakeBorder(part, *edges, cv2.BORDER_REPLICATE), np.uint8)
    wide = scale / ring.aspect  # the template is round, whatever the camera's turn
    size = (max(round(part.shape[1] * wide), 1), max(round(part.shape[0] * scale), 1))
    small = cv2.resize(part, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    side = template.shape[0]
    if small.shape[0] < side or small.shape[1] < side:
        return None, 0.0
    score = cv2.matchTemplate(
        small, template.astype(np.float32), cv2.TM_CCOEFF_NORMED, mask=_mask(side)
    )
    score = np.where(np.isfinite(score), score, -1.0)
    _, best, _, at = cv2.minMaxLoc(score)
    fx, fy = part.shape[1] / size[0], part.shape[0] / size[1]
    x = (at[0] + side / 2.0) * fx - 0.5 + x0
    y = (at[1] + side / 2.0) * fy - 0.5 + y0
    return np.array([x, y]), float(best)


def rings_like(gray: Gray, r: float, aspect: float = 1.0, most: int = 6) -> list[FloatArray]:
    """Middles of rings of about this radius and shape, pixels, the clearest first."""
    scale = min(1.0, SEARCH_R / r)
    scales = np.array([scale / aspect, scale])
    size = (round(gray.shape[1] * scales[0]), round(gray.shape[0] * scales[1]))
    small = cv2.GaussianBlur(cv2.resize(gray, size, interpolation=cv2.INTER_AREA), (0, 0), 1.2)
    found = cv2.HoughCircles(
        small, cv2.HOUGH_GRADIENT, dp=1.5, minDist=0.5 * r * scale, param1=60, param2=14,
        minRadius=round(0.9 * r * scale), maxRadius=round(1.1 * r * scale) + 1,
    )  # fmt: skip
    if found is None:
        return []
    return [np.array([x, y]) / scales for x, y, _ in found.reshape(-1, 3)[:most].astype(float)]


def _mask(side: int) -> NDArray[np.float32]:
    c = (side - 1) / 2.0
    ys, xs = np.mgrid[:side, :side]
    return np.asarray(np.hypot(xs - c, ys - c) <= TEMPLATE_R - 0.3, dtype=np.float32)


def make_template(gray: Gray, ring: Ring) -> FloatArray:
    """The disc's mean grey by radius, drawn round: shape (2 R + 1, 2 R + 1)."""
    step = ring.r / TEMPLATE_R / 2.0
    profile = np.median(rays(gray, ring, step, ring.r, step), axis=0)
    radii = np.arange(1, len(profile) + 1) * 0.5
    side = 2 * TEMPLATE_R + 1
    ys, xs = np.mgrid[:side, :side] - float(TEMPLATE_R)
    return np.asarray(np.interp(np.hypot(xs, ys), radii, profile))
