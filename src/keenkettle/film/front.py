"""Both sides of a lifter filmed from the front: joints by the net, the bar as a long thin line.

The net may take left for right on some frames; a lifter does not turn round in mid-lift, so
the sides are those of most frames. The bar's slope is read from the picture itself, for hands
are found too roughly to tell a few degrees.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.clip import Clip, Gray
from keenkettle.film.plausible import Marks
from keenkettle.film.pose_net import LEAST_PRESENCE, SIDES, PoseNet
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JointTrack

SIDED = ("shoulder", "elbow", "wrist", "hip", "knee", "ankle", "heel", "toe")
BAR_ENDS = ("bar_left", "bar_right")
LOOKED_AT = 9  # frames from which it is told which way the lifter faces
FROM_FRONT = 0.55  # shoulders' width over the trunk's length: some 50 degrees from side-on
LEAST_LOOKS = 3
FASTEST_FPS = 62.0
SEEN_SHARE = 0.011  # how the net's points jump about, shares of the body's height on the picture
CLICK_SHARE = 0.004
FADE_S = 0.5  # what a mark corrects fades so fast beyond the first and last of them
OUTLIER_SHARE = 0.06
MEDIAN_FRAMES = 5
BEYOND = 0.55  # the bar is looked for so far beyond each hand, in widths between the hands
SLACK = 0.25  # and so far above or below the hands
BAR_MM, ARM_SPAN_MM = 28.0, 1700.0
TRIES, SAMPLES, NEAR = 33, 96, 9
LEAST_EDGE = 3.0  # grey levels by which the bar stands out along its length
MIDDLE_GAP = 0.12  # of the bar's samples, about the neck, where the body is too near


def from_front(clip: Clip, net: PoseNet) -> bool:
    """Whether the film shows somebody from the front or from behind."""
    points = []
    for n in np.linspace(0, clip.info.frames - 1, LOOKED_AT + 2)[1:-1]:
        net.crop = None
        found = net.find(clip.rgb(int(n)))
        if found is not None and found.presence >= LEAST_PRESENCE:
            points.append(found.xy)
    return len(points) >= LEAST_LOOKS and is_wide(np.array(points))


def is_wide(xy: FloatArray) -> bool:
    """Whether landmarks (K, 33, 2) are those of somebody seen from the front or from behind."""

    def both(joint: str) -> tuple[FloatArray, FloatArray]:
        return xy[:, SIDES["left"][joint]], xy[:, SIDES["right"][joint]]

    shoulders, hips = both("shoulder"), both("hip")
    wide = np.abs(shoulders[0][:, 0] - shoulders[1][:, 0])
    trunk = np.linalg.norm(sum(shoulders) - sum(hips), axis=1) / 2.0
    return bool(np.median(wide / np.maximum(trunk, 1.0)) > FROM_FRONT)


def find_front(
    clip: Clip, net: PoseNet, progress: Callable[[int, int], None] | None = None
) -> dict[str, JointTrack]:
    """Tracks (frames, 2) of both sides' joints and of two points on the bar; NaN between.

    Args:
        clip: the film.
        net: the pose net.
        progress: called with frames done and all.

    Returns:
        By name, "left_knee" and so on; empty where nobody was found.
    """
    count = clip.info.frames
    xy = np.full((count, 33, 2), np.nan)
    ends = np.full((count, 2, 2), np.nan)
    step = max(round(clip.info.fps_nominal / FASTEST_FPS), 1)
    net.crop = None
    for n, rgb in clip.rgbs(list(range(0, count, step))):
        found = net.find(rgb)
        if found is not None and found.presence >= LEAST_PRESENCE:
            xy[n] = found.xy
            ends[n] = _bar_ends(rgb, found.xy)
        if progress is not None:
            progress(n + 1, count)
    tracks = sides_of(xy)
    if not tracks:
        return {}
    lines = np.flatnonzero(np.isfinite(ends[:, 0, 0]))
    if len(lines) >= MEDIAN_FRAMES:
        for i, name in enumerate(BAR_ENDS):
            tracks[name] = _track(_steady(ends[:, i], lines, OUTLIER_SHARE * _tall(xy)), 1.0)
    return tracks


def sides_of(xy: FloatArray) -> dict[str, JointTrack]:
    """Tracks (N, 2) of both sides' joints by the net's points (N, 33, 2), NaN where nothing was
    looked at; empty where hardly anything was.
    """
    seen = np.flatnonzero(np.isfinite(xy[:, 0, 0]))
    if len(seen) < MEDIAN_FRAMES:
        return {}
    xy = _same_sides(xy, seen)
    tall = _tall(xy)
    tracks = {}
    for side, points in SIDES.items():
        for joint in SIDED:
            track = _steady(xy[:, points[joint]], seen, OUTLIER_SHARE * tall)
            tracks[f"{side}_{joint}"] = _track(track, SEEN_SHARE * tall)
    return tracks


def _tall(xy: FloatArray) -> float:
    """The body's height on the picture, pixels."""
    return float(np.nanmax(xy[..., 1], axis=(0, 1)) - np.nanmin(xy[..., 1], axis=(0, 1)))


def with_marks(tracks: dict[str, JointTrack], marks: Marks, fps: float) -> dict[str, JointTrack]:
    """Tracks that go through a coach's marks.

    What a mark differs by from the track is carried to the frames between marks, and fades away
    before the first and after the last of them.

    Args:
        tracks: by name, each (frames, 2), pixels.
        marks: pixels by name and frame; names without a track are left out.
        fps: frames a second.
    """
    out = dict(tracks)
    for name, at in marks.items():
        track = tracks.get(name)
        if track is None:
            continue
        frames = np.array(sorted(at))
        points = np.array([at[int(n)] for n in frames], float)
        known = np.isfinite(track.xy_px[frames, 0])
        xy, sigma = track.xy_px.copy(), track.sigma_px.copy()
        if known.any():
            every = np.arange(len(xy))
            away = np.maximum(frames[known][0] - every, every - frames[known][-1])
            fade = np.exp(-0.5 * (np.maximum(away, 0) / (FADE_S * fps)) ** 2)
            for axis in (0, 1):
                off = points[known, axis] - track.xy_px[frames[known], axis]
                xy[:, axis] += fade * np.interp(every, frames[known], off)
        xy[frames] = points
        sigma[frames] = CLICK_SHARE / SEEN_SHARE * np.nanmedian(track.sigma_px)
        out[name] = JointTrack(xy, sigma)
    return out


def _track(xy: FloatArray, sigma: float) -> JointTrack:
    return JointTrack(xy, np.where(np.isfinite(xy[:, 0]), sigma, np.nan))


def _same_sides(xy: FloatArray, seen: NDArray[np.int64]) -> FloatArray:
    """Left and right exchanged on the frames that have them otherwise than most.

    Split feet stand either way on a film from aside, so trunk and arms tell.
    """
    pairs = [(SIDES["left"][j], SIDES["right"][j]) for j in SIDED]
    apart = np.array([xy[seen, a, 0] - xy[seen, b, 0] for a, b in pairs])
    order = np.sign(np.nansum(apart[: SIDED.index("hip") + 1], axis=0))
    usual = np.sign(np.sum(order)) or 1.0
    out = xy.copy()
    wrong = seen[order == -usual]
    for a, b in pairs:
        out[wrong, a], out[wrong, b] = xy[wrong, b], xy[wrong, a]
    return out


def _steady(xy: FloatArray, seen: NDArray[np.int64], most: float) -> FloatArray:
    """Points that jump away from their neighbours bridged; gaps of the sampling filled."""
    own = xy[seen]
    half = MEDIAN_FRAMES // 2
    padded = np.pad(own, ((half, half), (0, 0)), mode="edge")
    windows = np.stack([padded[i : i + len(own)] for i in range(MEDIAN_FRAMES)])
    middle = np.median(windows, axis=0)
    good = np.hypot(*(own - middle).T) <= most
    out = np.full_like(xy, np.nan)
    if good.sum() < 2:
        return out
    inside = np.arange(seen[0], seen[-1] + 1)
    for axis in (0, 1):
        out[inside, axis] = np.interp(inside, seen[good], own[good, axis])
    return out


def _bar_ends(rgb: NDArray[np.uint8], xy: FloatArray) -> FloatArray:
    """Two points on the bar, left and right on the picture, shape (2, 2); NaN where unseen."""
    gray = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.uint8)
    hands = sorted((xy[SIDES[s]["wrist"]] for s in SIDES), key=lambda p: float(p[0]))
    apart = float(hands[1][0] - hands[0][0])
    nothing = np.full((2, 2), np.nan)
    shoulders = abs(float(xy[SIDES["left"]["shoulder"]][0] - xy[SIDES["right"]["shoulder"]][0]))
    if apart < 0.6 * shoulders:
        return nothing
    # Hands lie close to the bar: their slope is where the search begins.
    slope = float(hands[1][1] - hands[0][1]) / apart
    x0 = max(hands[0][0] - BEYOND * apart, 2.0)
    x1 = min(hands[1][0] + BEYOND * apart, gray.shape[1] - 3.0)
    y0 = hands[0][1] + slope * (x0 - hands[0][0])
    y1 = hands[0][1] + slope * (x1 - hands[0][0])
    thick = max(0.5 * BAR_MM / 340.0 * shoulders, 1.5)
    reach = SLACK * apart
    top = max(int(min(y0, y1) - 1.3 * reach - 4.0 * thick), 0)
    low = min(int(max(y0, y1) + 1.3 * reach + 4.0 * thick) + 1, gray.shape[0])
    if low - top < 12:
        return nothing
    ridge = _ridge(gray[top:low], thick)
    best, score = (y0 - top, y1 - top), 0.0
    for span, tries in ((reach, TRIES), (2.2 * reach / TRIES, NEAR), (0.5 * reach / TRIES, NEAR)):
        centre = best
        for sign in (1.0, -1.0) if score == 0.0 else (np.sign(score),):
            found, value = _best_line(ridge * sign, x0, x1, centre, span, tries)
            if value > abs(score):
                best, score = found, sign * value
    if abs(score) < LEAST_EDGE:
        return nothing
    return np.array([[x0, top + best[0]], [x1, top + best[1]]])


def _ridge(gray: Gray, thick: float) -> FloatArray:
    """How much each pixel stands out from those above and below it by the bar's thickness."""
    soft = cv2.GaussianBlur(gray, (0, 0), max(0.5 * thick, 0.7)).astype(np.float32)
    d = max(round(2.2 * thick), 2)
    out = np.zeros_like(soft)
    out[d:-d] = soft[d:-d] - 0.5 * (soft[: -2 * d] + soft[2 * d :])
    return np.asarray(out, np.float64)


def _best_line(
    ridge: FloatArray, x0: float, x1: float, centre: tuple[float, float], span: float, tries: int
) -> tuple[tuple[float, float], float]:
    """The line whose weakest half still stands out most, and by how much."""
    share = np.linspace(0.0, 1.0, SAMPLES)
    share = share[np.abs(share - 0.5) > MIDDLE_GAP]
    x = np.round(x0 + share * (x1 - x0)).astype(int)
    shift = np.linspace(-span, span, tries)
    a, b = (v.ravel() for v in np.meshgrid(centre[0] + shift, centre[1] + shift))
    y = np.round(a[:, None] * (1.0 - share) + b[:, None] * share).astype(int)
    values = ridge[np.clip(y, 0, ridge.shape[0] - 1), x]
    strength = np.quantile(values, 0.4, axis=1)
    i = int(np.argmax(strength))
    return (float(a[i]), float(b[i])), float(strength[i])
