"""The bar on a film from the front: a long thin line near the hands, followed from frame to frame.

Hands are found to a few centimetres there, and worse while they turn over; the bar itself, read
along its length, is found to a few millimetres. Other lines (a shelf, a rack's bar, the edge of the
floor) may lie near it on one frame; over all of them only the bar goes with the hands.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.planes import Gray
from keenkettle.film.pose_net import SIDES
from keenkettle.measure.geometry import FloatArray

BAR_MM, SHOULDERS_MM = 28.0, 350.0  # bar's thickness; usual distance between shoulder joints
HALF, BODY = 1.5, 0.5  # widths of shoulders to each side of the middle that are read, and left out
REACH = 1.1  # so far above and below the hands
LEAST_HALF = 0.9
SAMPLES = 96
STEEPEST, SLOPES = 0.27, 31  # tan of 15 degrees
CLEAR = 6.0  # grey levels above both sides that count in full
PICKED, APART = 6, 4.0  # lines kept of a frame; they differ by so many half thicknesses
LEAST_SCORE, SOUND = 0.15, 0.5
FINE, BRIGHTEST = 9, 0.98
# What a choice costs, in like units: of a line's score, of its distance from the hands, of how
# differently it moves from them, and of no line.
FAINT, HANDS_MM, SPEED_MM_S, TURN = 4.0, 80.0, 800.0, 0.1
MOST_AWAY, MOST_JUMP, NONE, NONE_STEP = 3.0, 6.0, 3.2, 1.0
#: A bar has a light side and a shadow: lines so nearly alike, in thicknesses and slope, are one.
SAME_BAR, PARALLEL = 1.2, 0.03


@dataclass
class BarLines:
    """Lines that may be the bar, frame by frame.

    Attributes:
        frames: those looked at.
        lines: of each frame, as ``lines_near`` gives them.
        hands: of each frame: middle of the hands' row, column of the body's middle, pixels.
        widths: of each frame: between the shoulders, pixels.
    """

    frames: list[int] = field(default_factory=list)
    lines: list[FloatArray] = field(default_factory=list)
    hands: list[tuple[float, float]] = field(default_factory=list)
    widths: list[float] = field(default_factory=list)

    def look(self, n: int, rgb: NDArray[np.uint8], xy: FloatArray) -> None:
        """Look for the bar on a frame, with the net's landmarks (33, 2), pixels."""
        left, right = SIDES["left"], SIDES["right"]
        self.widths.append(abs(float(xy[left["shoulder"], 0] - xy[right["shoulder"], 0])))
        width = float(np.median(self.widths))
        middle = float(np.mean([xy[s[j], 0] for s in (left, right) for j in ("shoulder", "hip")]))
        hands = float(xy[left["wrist"], 1] + xy[right["wrist"], 1]) / 2.0
        gray = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.uint8)
        self.frames.append(n)
        self.hands.append((hands, middle))
        self.lines.append(lines_near(gray, middle, hands, width))

    def ends(self, count: int, fps: float) -> FloatArray:
        """Two points on the bar, left and right on the picture, on each frame, shape
        (count, 2, 2), pixels; NaN where it was not told.
        """
        out = np.full((count, 2, 2), np.nan)
        if not self.frames:
            return out
        width = float(np.median(self.widths))
        mm = SHOULDERS_MM / max(width, 1.0)
        hands = np.array(self.hands)
        picked = _chain(self.lines, hands[:, 0], np.array(self.frames) / fps, mm)
        for k, line in enumerate(picked):
            if line is None:
                continue
            x = np.array([-HALF, HALF]) * width
            out[self.frames[k], :, 0] = hands[k, 1] + x
            out[self.frames[k], :, 1] = line[0] + line[1] * x
        return out


def lines_near(gray: Gray, middle: float, hands: float, width: float) -> FloatArray:
    """Long thin lines near the hands, the clearest first.

    Args:
        gray: picture, uint8.
        middle, hands: column of the body's middle and row of the hands, pixels.
        width: between the shoulders, pixels.

    Returns:
        Shape (K, 3): row at the middle, slope (rows a column), and score, 0 to 1.
    """
    nothing = np.empty((0, 3))
    half = min(HALF * width, middle - 2.0, gray.shape[1] - 3.0 - middle)
    if half < LEAST_HALF * width or width < 8.0:
        return nothing
    x = np.linspace(-half, half, SAMPLES)
    x = x[np.abs(x) > BODY * width]
    thick = max(0.5 * BAR_MM / SHOULDERS_MM * width, 1.0)
    room = STEEPEST * half + 4.0 * thick
    top = max(int(hands - REACH * width - room), 0)
    low = min(int(hands + REACH * width + room) + 1, gray.shape[0])
    if low - top < 4.0 * thick + 8:
        return nothing
    strips = gray[top:low, np.round(middle + x).astype(int)]
    found = _tops(_thin(strips, thick, 1.0), x, thick)
    for shade in _tops(_thin(strips, thick, -1.0), x, thick):
        own = [line for line in found
               if abs(line[0] - shade[0]) < 2.0 * SAME_BAR * thick
               and abs(line[1] - shade[1]) < PARALLEL]  # fmt: skip
        if own:
            own[0][2] = max(own[0][2], shade[2])
        else:
            found.append(shade)
    if not found:
        return nothing
    best = np.array(sorted(found, key=lambda line: -line[2])[:PICKED])
    best[:, 0] += top
    return best


def _thin(strips: Gray, thick: float, sign: float) -> FloatArray:
    """How far pixels stand out from those above and from those below, grey levels.

    An edge stands out from one side only.
    """
    soft = cv2.GaussianBlur(strips.astype(np.float32), (1, 0), sigmaX=0.01,
                            sigmaY=max(0.8 * thick, 0.7))  # fmt: skip
    d = max(round(2.2 * thick), 2)
    out = np.zeros_like(soft)
    own = soft[d:-d]
    out[d:-d] = np.minimum(sign * (own - soft[: -2 * d]), sign * (own - soft[2 * d :]))
    return np.asarray(out)


def _tops(thin: FloatArray, x: FloatArray, thick: float) -> list[FloatArray]:
    """The best lines (row at the middle, slope, score), each some way from the others."""
    slopes = np.linspace(-STEEPEST, STEEPEST, SLOPES)
    rows = np.arange(len(thin))
    clear = np.clip(thin / CLEAR, -1.0, 1.0)
    score = np.stack([_along(clear, x, rows, s) for s in slopes])  # (slopes, rows)
    out: list[FloatArray] = []
    step = slopes[1] - slopes[0]
    for _ in range(PICKED):
        i, row = np.unravel_index(int(np.argmax(score)), score.shape)
        if score[i, row] < LEAST_SCORE:
            break
        fine = _fine(thin, x, float(row), float(slopes[i]), step)
        out.append(np.array([*fine, float(_along(clear, x, np.array(fine[:1]), fine[1])[0])]))
        near = np.abs(rows - row) < APART * thick
        score[:, near] = 0.0
    return out


def _fine(
    thin: FloatArray, x: FloatArray, row: float, slope: float, step: float
) -> tuple[float, float]:
    """The line that stands out most between the rows and slopes that were tried."""
    most = np.quantile(np.abs(thin), BRIGHTEST)  # a highlight is not to outweigh the rest
    thin = np.clip(thin, -most, most)
    best, score = (row, slope), -np.inf
    for reach in (1.0, 0.25):
        rows = best[0] + reach * np.linspace(-3.0, 3.0, 2 * FINE + 1)
        for s in best[1] + reach * step * np.linspace(-1.0, 1.0, FINE):
            values = _along(thin, x, rows, float(s))
            i = int(np.argmax(values))
            if values[i] > score:
                best, score = (float(rows[i]), float(s)), float(values[i])
    return best


def _along(
    thin: FloatArray, x: FloatArray, rows: FloatArray | NDArray[np.intp], slope: float
) -> FloatArray:
    """Mean along lines of one slope through rows (K,), shape (K,)."""
    y = rows[:, None] + slope * x
    low = np.floor(y).astype(int)
    part = (y - low).astype(np.float32)
    top = np.clip(low, 0, len(thin) - 1)
    under = np.clip(low + 1, 0, len(thin) - 1)
    each = np.arange(len(x))
    return np.asarray(((1.0 - part) * thin[top, each] + part * thin[under, each]).mean(axis=1))


def _chain(
    lines: list[FloatArray], hands: FloatArray, t_s: FloatArray, mm: float
) -> list[FloatArray | None]:
    """Of each frame the line that is part of one bar that goes with the hands, or None.

    Found by dynamic programming; ``mm`` are millimetres a pixel.
    """
    paths: list[NDArray[np.intp]] = []
    cost = _own_cost(lines[0], float(hands[0]), mm)
    for k in range(1, len(lines)):
        step = _step_cost(lines[k - 1], lines[k], float(hands[k] - hands[k - 1]),
                          SPEED_MM_S / mm * float(t_s[k] - t_s[k - 1]))  # fmt: skip
        total = cost[:, None] + step
        paths.append(np.argmin(total, axis=0))
        cost = total.min(axis=0) + _own_cost(lines[k], float(hands[k]), mm)
    at = int(np.argmin(cost))
    picks = [at]
    for path in reversed(paths):
        at = int(path[at])
        picks.append(at)
    return [own[i] if i < len(own) else None
            for own, i in zip(lines, reversed(picks), strict=True)]  # fmt: skip


def _own_cost(lines: FloatArray, hands: float, mm: float) -> FloatArray:
    """Of each line and, last, of none."""
    away = np.minimum(0.5 * ((lines[:, 0] - hands) * mm / HANDS_MM) ** 2, MOST_AWAY)
    faint = FAINT * np.maximum(1.0 - lines[:, 2] / SOUND, 0.0)
    return np.append(faint + away, NONE)


def _step_cost(before: FloatArray, after: FloatArray, hands: float, reach: float) -> FloatArray:
    """From each line (and none) to each of the next frame."""
    out = np.full((len(before) + 1, len(after) + 1), NONE_STEP)
    move = (after[None, :, 0] - before[:, None, 0] - hands) / reach
    turn = (after[None, :, 1] - before[:, None, 1]) / TURN
    out[:-1, :-1] = np.minimum(0.5 * (move**2 + turn**2), MOST_JUMP)
    out[-1, -1] = 0.0
    return out
