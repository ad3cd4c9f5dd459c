"""Both sides of a lifter filmed from the front: joints by the net, the bar as a long thin line.

The net may take left for right on some frames, of the body or of a pair of limbs; a lifter does
not turn round in mid-lift, so the sides are those of most frames. Where it cannot make up its
mind it puts both in the middle; those frames are left out. The bar is read from the picture
itself (``bar_line``), for hands are found too roughly to tell a few degrees.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from keenkettle.film.bar_line import BarLines
from keenkettle.film.clip import Clip
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
USUAL_FRAMES, COLLAPSED = 11, 0.7  # a pair this much nearer together than so long about it is none


def from_front(clip: Clip, net: PoseNet) -> bool:
    """Whether the film shows somebody from the front or from behind."""
    points = []
    for n in np.linspace(0, clip.info.frames - 1, LOOKED_AT + 2)[1:-1]:
        net.begin()
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
    lines = BarLines()
    step = max(round(clip.info.fps_nominal / FASTEST_FPS), 1)
    net.begin()
    for n, rgb in clip.rgbs(list(range(0, count, step))):
        found = net.find(rgb)
        if found is not None and found.presence >= LEAST_PRESENCE:
            xy[n] = found.xy
            lines.look(n, rgb, found.xy)
        if progress is not None:
            progress(n + 1, count)
    tracks = sides_of(xy)
    if not tracks:
        return {}
    ends = lines.ends(count, clip.info.fps_nominal)
    told = np.flatnonzero(np.isfinite(ends[:, 0, 0]))
    if len(told) >= MEDIAN_FRAMES:
        for i, name in enumerate(BAR_ENDS):
            tracks[name] = _track(_steady(ends[:, i], told, OUTLIER_SHARE * _tall(xy)), 1.0)
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
    if is_wide(xy[seen]):
        for a, b in pairs:
            out[seen[:, None], (a, b)] = _own_sides(out[seen[:, None], (a, b)], float(usual))
    return out


def _own_sides(pair: FloatArray, usual: float) -> FloatArray:
    """A pair of joints (K, 2, 2) seen from the front or from behind, each on the side it is
    usually on; NaN where both are taken for one thing between them.
    """
    apart = usual * (pair[:, 0, 0] - pair[:, 1, 0])
    out = np.where((apart < 0.0)[:, None, None], pair[:, ::-1], pair)
    wide = np.abs(apart)
    out[wide < COLLAPSED * median_filter(wide, USUAL_FRAMES, mode="nearest")] = np.nan
    return np.asarray(out)


def _steady(xy: FloatArray, seen: NDArray[np.int64], most: float) -> FloatArray:
    """Points that jump away from their neighbours bridged; gaps of the sampling filled."""
    own = xy[seen]
    half = MEDIAN_FRAMES // 2
    padded = np.pad(own, ((half, half), (0, 0)), mode="edge")
    windows = np.stack([padded[i : i + len(own)] for i in range(MEDIAN_FRAMES)])
    known = np.isfinite(windows[:, :, 0]).any(axis=0)
    middle = np.full_like(own, np.nan)
    middle[known] = np.nanmedian(windows[:, known], axis=0)
    good = np.hypot(*(own - middle).T) <= most
    out = np.full_like(xy, np.nan)
    if good.sum() < 2:
        return out
    inside = np.arange(seen[0], seen[-1] + 1)
    for axis in (0, 1):
        out[inside, axis] = np.interp(inside, seen[good], own[good, axis])
    return out
