"""What the bar and the clock tell of a pose: arms that hang, a bar in the rack, feet that stand,
and how fast joints may move.

Joints ``p`` (N, J, 2) and the bar's end ``bar_xy`` (N, 2) are in pixels, ``mm`` of them to a
millimetre.
"""

from __future__ import annotations

import numpy as np
from scipy.ndimage import binary_opening, binary_propagation

from keenkettle.film.believed import FEET
from keenkettle.film.footage import Footage
from keenkettle.film.fuse import Smooth
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.motion import JOINTS

#: Bar ahead of the shoulder, and above or below it, in the rack; s that it stays there.
RACK_MM, RACK_S = (0.0, 110.0), 0.3
GUESSED_MM = -120.0  # shoulders behind the disc may seem to be so far ahead of the bar
ACCEL = {"ankle": 9.0, "heel": 12.0, "toe": 9.0, "elbow": 45.0, "wrist": 45.0}  # m/s2
OTHER_ACCEL = 55.0
DRIVE_SHARE, APART_S = 0.6, 1.0  # of the greatest speed, a rep's own; reps are so far apart
PLANTED_M_S, PLANTED_FPS, FREE_M_S = 0.06, 60.0, 5.0
HANGS_MM = 225.0  # arms hang with the bar so far below the shoulder
MOST_BACK = 0.06  # of hip to ankle: a knee bent backward by 14 degrees
#: A bar that comes to the shoulders is near for so long before it lies there; it leaves at once.
COMES_S, LEAVES_S = 0.3, 0.1
WHIPS_S, TOP_S = 0.1, 0.4  # after the bar's top the elbows are round; it is so near


def hanging(p: FloatArray, film: Footage, bar_xy: FloatArray) -> BoolArray:
    """Frames (N,) on which the arms hang."""
    return np.asarray(bar_xy[:, 1] - p[:, JOINTS.index("shoulder"), 1] > HANGS_MM * film.mm)


def knees_ahead(p: FloatArray, film: Footage) -> FloatArray:
    """The joints, a knee that would be bent backward mirrored at the line from hip to ankle: limbs
    of the right lengths fit both ways.
    """
    hip, knee, ankle = (JOINTS.index(n) for n in ("hip", "knee", "ankle"))
    leg = p[:, ankle] - p[:, hip]
    long = np.maximum(np.linalg.norm(leg, axis=1), 1.0)
    before = (1.0 if film.side == "right" else -1.0) * np.stack([leg[:, 1], -leg[:, 0]], -1)
    before = before / long[:, None]
    off = ((p[:, knee] - p[:, hip]) * before).sum(axis=1)
    back = off < -MOST_BACK * long
    out = p.copy()
    out[back, knee] -= 2.0 * (off[:, None] * before)[back]
    return out


def racked_on(p: FloatArray, film: Footage, bar_xy: FloatArray) -> BoolArray:
    """Frames (N,) on which the bar rests on the shoulders before the neck."""
    ahead = 1.0 if film.side == "right" else -1.0
    off = (film.held_at(bar_xy) - p[:, JOINTS.index("shoulder")]) / film.mm
    level = np.abs(off[:, 1]) < RACK_MM[1]
    on = level & (ahead * off[:, 0] > RACK_MM[0])
    # A bar that is pulled past is there as well, but does not stay.
    on = binary_opening(on, np.ones(max(round(RACK_S * film.fps), 1), bool))
    # Shoulders behind the disc are guessed; while it stays as high, the bar stays on them.
    return np.asarray(binary_propagation(on, mask=level & (ahead * off[:, 0] > GUESSED_MM)))


def let_go(away: BoolArray, row: FloatArray, reach_px: float) -> BoolArray:
    """Frames (N,) on which the bar is out of the hands.

    Args:
        away: where it is too far from the shoulders to be held, shape (N,).
        row: of the bar's end, shape (N,), pixels.
        reach_px: what is too far.
    """
    out = away.copy()
    for first in np.flatnonzero(np.diff(away.astype(int)) == 1) + 1:
        n = int(first)
        while n > 0 and row[n] > row[n - 1]:  # it falls from where it was let go
            n -= 1
        if row[first] - row[n] > 0.5 * reach_px:  # else the shoulders were taken to be elsewhere
            out[n:first] = True
    return out


def turning_over(on: BoolArray, bar_xy: FloatArray, fps: float) -> BoolArray:
    """Frames (N,) on which the elbows turn over as the bar comes to the shoulders, as ``on`` (N,)
    tells: they are round soon after it was highest, about when it is caught.
    """
    out, late, near = np.zeros(len(on), bool), round(WHIPS_S * fps), round(TOP_S * fps)
    for first in (np.flatnonzero(np.diff(on.astype(int)) == 1) + 1).tolist():
        begin = max(first - near, 0)
        top = begin + int(np.argmin(bar_xy[begin : first + near, 1]))
        out[max(min(top, first) - late, 0) : top + late + 1] = True
    return out


def comes(on: BoolArray, fps: float) -> FloatArray:
    """How near to frames (N,) on which the bar comes to the shoulders or leaves them, 1 there and
    0 from COMES_S after, and LEAVES_S before.
    """
    every, change = np.arange(len(on)), np.diff(on.astype(int))
    out = np.zeros(len(on))
    for way, fades_s in ((1, COMES_S), (-1, LEAVES_S)):
        at = np.flatnonzero(change == way) + 0.5
        if len(at):
            away_s = np.abs(every[:, None] - at).min(axis=1) / fps
            out = np.maximum(out, 1.0 - away_s / fades_s)
    return out


def still(smooth: Smooth, name: str, mm: float) -> BoolArray:
    """While a point of the foot is planted, shape (N,)."""
    return np.asarray(smooth.speed[:, JOINTS.index(name)] < FREE_M_S * 1000.0 * mm)


def smooth_motion(t: FloatArray, bar_xy: FloatArray, mm: float, split: bool) -> Smooth:
    """How joints may move; feet stay until just before the bar is fastest, and again later,
    unless they are split. ``t`` (N,) are the frames' times, s.
    """
    dt = float(np.median(np.diff(t)))
    v = -np.gradient(bar_xy[:, 1], t)
    fast = _drives(t, v)
    accel = np.array([ACCEL.get(n, OTHER_ACCEL) * 1000.0 * mm for n in JOINTS])
    speed = np.full((len(t), len(JOINTS)), FREE_M_S * 1000.0 * mm)
    # Step by step a foot that stands creeps as far in a second at any rate.
    planted = PLANTED_M_S * min(1.0 / float(np.sqrt(PLANTED_FPS * dt)), 1.0)
    for name in FEET:
        j = JOINTS.index(name)
        early = 0.04 if name == "toe" else 0.14
        loose = [(t >= at - early) & (split | (t <= at + 0.75)) for at in fast]
        speed[~np.any(loose, axis=0), j] = planted * 1000.0 * mm
    return Smooth(dt, accel, speed)


def _drives(t: FloatArray, v: FloatArray) -> list[float]:
    """When the bar is fastest upward, once in each rep of a span."""
    left, found = v.copy(), []
    while left.max() >= DRIVE_SHARE * v.max() > 0:
        i = int(np.argmax(left))
        found.append(float(t[i]))
        left[np.abs(t - t[i]) < APART_S] = -np.inf
    return found or [float(t[int(np.argmax(v))])]
