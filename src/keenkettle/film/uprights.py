"""Lines of a room that stand nearly upright on the picture, to a fraction of a pixel."""

from __future__ import annotations

import cv2
import numpy as np

from keenkettle.film.planes import Gray, reduced
from keenkettle.measure.geometry import BoolArray, FloatArray

UPRIGHT_DEG = 8.0  # lines leaning more than this are not taken for uprights
LEANS = 0.5  # tangent of an edge's lean on a few pixels; most for one of an upright
LEAST_SHARE = 0.10  # of the picture's height, a line that counts
ROWS_PX = 480.0  # pictures are looked at no taller
BLUR_PX, REACH_PX = 1.0, 3  # to each side of a line that was found to the pixel
PLACES = 48  # along a line, at which its edge is read
LEAST_EDGE = 1.5  # greys a pixel
LEAST_SEEN, MOST_OFF_PX = 0.6, 0.4  # share of the places that show an edge; its scatter
ROUNDS, LEAST_OFF_PX = 6, 0.05


def uprights(gray: Gray) -> FloatArray:
    """Nearly upright lines, shape (N, 3): where they are across, from the middle in picture
    widths, lean to the right, degrees, and length, pixels of a picture of ``ROWS_PX`` rows.

    What is found to the pixel seems upright where it leans by less than that over its length, so
    a line's edge is read at many places along it.

    Args:
        gray: picture, shape (height, width), 0 to 255.
    """
    h, w = gray.shape
    scale = min(1.0, ROWS_PX / h)
    small = reduced(gray, (round(w * scale), round(h * scale)))
    smooth = cv2.GaussianBlur(small, (0, 0), 1.2)
    edges = cv2.Canny(smooth, 30, 90)
    across, down = (cv2.Sobel(smooth, cv2.CV_16S, *way) for way in ((1, 0), (0, 1)))
    # Votes for edges of other ways are a waste of time.
    edges[np.abs(down) > LEANS * np.abs(across)] = 0
    least = round(LEAST_SHARE * small.shape[0])
    found = cv2.HoughLinesP(edges, 1, np.radians(0.25), least, None, least, 4)
    if found is None:
        return np.zeros((0, 3))
    ends = found.reshape(-1, 4).astype(float)
    ends = np.where((ends[:, 1] < ends[:, 3])[:, None], ends, ends[:, [2, 3, 0, 1]])
    slope = (ends[:, 2] - ends[:, 0]) / np.maximum(ends[:, 3] - ends[:, 1], 1.0)
    ends = ends[np.abs(np.degrees(np.arctan(slope))) <= UPRIGHT_DEG]
    if len(ends) == 0:
        return np.zeros((0, 3))
    clear, middle, slope = _read(small, ends)
    lean = -np.degrees(np.arctan(slope))
    length = np.hypot(ends[clear, 2] - ends[clear, 0], ends[clear, 3] - ends[clear, 1])
    return np.stack([middle / small.shape[1] - 0.5, lean, length], axis=-1)


def _read(small: Gray, ends: FloatArray) -> tuple[BoolArray, FloatArray, FloatArray]:
    """Of lines (N, 4): which are one straight edge each, (N,), the column of its middle, and how
    far it goes to the right a row lower, (M,) each.
    """
    smooth = cv2.GaussianBlur(small, (0, 0), BLUR_PX)
    change = np.asarray(cv2.Scharr(smooth, cv2.CV_32F, 1, 0), np.float32) / np.float32(32.0)
    along = np.linspace(0.0, 1.0, PLACES)
    y = ends[:, 1:2] + (ends[:, 3:4] - ends[:, 1:2]) * along
    x = ends[:, 0:1] + (ends[:, 2:3] - ends[:, 0:1]) * along
    beside = np.arange(-REACH_PX, REACH_PX + 1)
    columns = (x[..., None] + beside).reshape(-1, len(beside)).astype(np.float32)
    rows = np.repeat(y.reshape(-1, 1), len(beside), axis=1).astype(np.float32)
    seen = cv2.remap(change, columns, rows, cv2.INTER_LINEAR).reshape(*x.shape, -1)
    steps = seen * np.sign(seen.sum(axis=(1, 2)))[:, None, None]
    best = np.clip(np.argmax(steps, axis=-1), 1, len(beside) - 2)[..., None]
    before, at, after = (np.take_along_axis(steps, best + k, -1)[..., 0] for k in (-1, 0, 1))
    bend = np.minimum(before - 2.0 * at + after, -1e-6)
    x = x + beside[best[..., 0]] + np.clip(0.5 * (before - after) / bend, -1.0, 1.0)
    shown = (at >= LEAST_EDGE) & (at >= before) & (at >= after)
    kept = np.flatnonzero(shown.mean(axis=1) >= LEAST_SEEN)
    x, shown, low = x[kept], shown[kept], (y - y.mean(axis=1, keepdims=True))[kept]
    weight = shown.astype(float)
    for _ in range(ROUNDS):
        total = np.maximum(weight.sum(axis=1), 1e-9)
        mean = np.stack([(weight * v).sum(axis=1) / total for v in (x, low)], axis=-1)
        dx, dy = x - mean[:, 0:1], low - mean[:, 1:2]
        slope = (weight * dx * dy).sum(axis=1) / np.maximum((weight * dy * dy).sum(axis=1), 1e-9)
        off = np.abs(dx - slope[:, None] * dy)
        spread = 1.48 * np.nanmedian(np.where(shown, off, np.nan), axis=1)
        spread = np.maximum(spread, LEAST_OFF_PX)
        weight = shown / (1.0 + (off / (2.0 * spread[:, None])) ** 2)
    straight = spread <= MOST_OFF_PX
    clear = np.zeros(len(ends), bool)
    clear[kept[straight]] = True
    return clear, (mean[:, 0] - slope * mean[:, 1])[straight], slope[straight]
