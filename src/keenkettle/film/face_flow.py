"""How far a disc's face has gone since the frame before, by what is printed on it.

Where the rim is smeared, or passes clothes of its own grey, words and scratches on the face still
tell the way, however the disc turns.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from keenkettle.film.planes import Gray
from keenkettle.film.rim import Ring
from keenkettle.measure.geometry import FloatArray

FROM_R, TO_R = 0.25, 0.88  # of the radius: within are hub and sleeve, which stand before the face
POINTS, FEWEST = 24, 8
REACH_R, SMALL_R = 1.15, 60.0  # radii about the middle; pixels, to which a large disc is reduced
QUALITY, APART_R = 0.05, 0.06  # of corners; radii between them
WINDOW_R, LEVELS = 0.25, 2
AGREE_PX, AGREE = 0.7, 0.6  # pixels; share of points that must move as one
MOST_SCALE = 0.04  # a disc comes hardly nearer from one frame to the next


def face_moved(before: Gray, after: Gray, ring: Ring, ahead: FloatArray) -> FloatArray | None:
    """Where a disc's middle went from one picture to the next, (2,) pixels.

    Args:
        before, after: lumas of both.
        ring: the disc on the first.
        ahead: where its middle is expected on the second, (2,).

    Returns:
        None where too little is printed on it, or it does not move as one.
    """
    at = np.array([ring.x, ring.y])
    reach = REACH_R * ring.r
    h, w = before.shape
    x0, y0 = (max(int(v), 0) for v in np.minimum(at, ahead) - reach)
    right, low = np.maximum(at, ahead) + reach
    x1, y1 = min(int(right) + 2, w), min(int(low) + 2, h)
    if min(x1 - x0, y1 - y0) < 16:
        return None
    share = min(1.0, SMALL_R / ring.r)
    size = (round(share * (x1 - x0)), round(share * (y1 - y0)))
    scale = np.array([size[0] / (x1 - x0), size[1] / (y1 - y0)])
    one, two = (
        cv2.resize(p[y0:y1, x0:x1], size, interpolation=cv2.INTER_AREA) for p in (before, after)
    )
    # Middles of pixels, not their corners, are whole numbers.
    middle = (at - [x0, y0] + 0.5) * scale - 0.5
    radius = ring.r * share
    mask = np.zeros(one.shape, np.uint8)
    centre = tuple(round(float(v)) for v in middle)
    for part, value in ((TO_R, 255), (FROM_R, 0)):
        axes = (int(part * radius * ring.aspect), int(part * radius))
        cv2.ellipse(mask, centre, axes, 0.0, 0.0, 360.0, value, -1)
    corners = cv2.goodFeaturesToTrack(one, POINTS, QUALITY, max(APART_R * radius, 2.0), mask=mask)
    if corners is None or len(corners) < FEWEST:
        return None
    side = 2 * int(WINDOW_R * radius / 2.0) + 5
    how: Any = {
        "winSize": (side, side), "maxLevel": LEVELS, "flags": cv2.OPTFLOW_USE_INITIAL_FLOW,
    }  # fmt: skip
    start = corners + (scale * (ahead - at)).astype(np.float32)
    there, ok, _ = cv2.calcOpticalFlowPyrLK(one, two, corners, start, **how)
    good = ok.ravel() == 1
    if good.sum() < FEWEST:
        return None
    move, inside = cv2.estimateAffinePartial2D(
        corners[good], there[good], method=cv2.RANSAC, ransacReprojThreshold=AGREE_PX
    )
    if move is None or inside.sum() < max(FEWEST, AGREE * len(corners)):
        return None
    if abs(float(np.hypot(move[0, 0], move[1, 0])) - 1.0) > MOST_SCALE:
        return None
    moved = move[:, :2] @ middle + move[:, 2]
    return np.asarray((moved + 0.5) / scale - 0.5 + [x0, y0])
