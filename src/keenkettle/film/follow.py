"""Follow the bar end through a clip: forward, and backward where that is needed.

Where too little of the rim is seen a frame is marked as lost; it is gone into from behind, and
bridged where the disc is not seen from there either.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from keenkettle.film.follower import LOST, DiscFollower
from keenkettle.film.planes import LUMA, Gray, Tone
from keenkettle.film.rim import Inner, Ring
from keenkettle.film.thick import Outlines
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.motion import BarTrack

MET_R, MET_FOR = 0.08, 3  # gone back from a mark, until so near to the track on so many frames
LEAST_GAP, MOST_GAPS, GIVEN_UP = 3, 6, 2  # frames hidden; gaps gone into from behind; frames lost
LIFTED_R, LIFTED_AGO = 2.0, 24  # a first lift: so many radii high, its top so many frames ago
GLIMPSE, GLIMPSE_CLEAR = 2, 0.7  # frames; quality from which one is believed
ASTRAY_R = 0.03  # a track so far off its way, and back at once, was astray
LOOKED_BACK, LATELY = 8, 900  # frames between looks for that, and looked at


class BarLostError(ValueError):
    """The bar could not be followed; the message says from where and what to do."""


def follow_bar(
    frames: Iterable[tuple[int, Gray, Gray]],
    count: int,
    ring: Ring,
    template: FloatArray,
    progress: Callable[[int, int], None] | None = None,
    inner: Inner | None = None,
    known: dict[int, tuple[float, float]] | None = None,
    back: Callable[[int], Iterable[tuple[int, Gray, Gray]]] | None = None,
    marked: dict[int, tuple[float, float]] | None = None,
    first: Callable[[BarTrack], None] | None = None,
    outlines: Outlines | None = None,
    tone: Tone = LUMA,
) -> BarTrack:
    """Follow the disc over all frames of a clip.

    Args:
        frames: frame number, luma, and the picture that shows the rim best (luma, mostly),
            in order; damaged ones may be missing.
        count: frames in the clip.
        ring: size and aspect of the disc.
        template: from ``make_template``.
        progress: called with frames done and count.
        inner: the clearest ring inside the rim, if there is one.
        known: where the disc was found on some frames already, pixels.
        back: gives the frames before one, backward; needed where the first known one is not
            the clip's first, and for marks.
        marked: where the coach put the bar, pixels; the track goes through, both ways.
        first: called once with the track so far, as soon as the bar has been lifted; later
            frames then count as hidden.
        outlines: what is known of the outline by picture row, and learns more.
        tone: of the picture that shows the rim best.

    Returns:
        The track; frames where the disc was hidden are bridged, quality under 0.5.

    Raises:
        BarLostError: it was seen on fewer than a third of the frames, or fewer than five.
    """
    marked = marked or {}
    outlines = outlines or Outlines(ring)
    follower = DiscFollower(
        ring, template, outlines, tone, known=known or {}, marked=marked, inner=inner
    )
    for number, gray, rim in frames:
        while len(follower.xy) < number:
            follower._lose()
        follower.step(gray, rim)
        if progress:
            progress(number + 1, count)
        if first is not None and number % LOOKED_BACK == 0 and _lifted(follower):
            first(_so_far(follower, count))
            first = None
    while len(follower.xy) < count:
        follower._lose()
    xy = np.array(follower.xy)
    quality = np.array(follower.quality)
    sure = (known or {}) | marked
    if sure and back is not None:
        fresh = DiscFollower(ring, template, outlines, tone, inner=inner)
        fresh.speed = _came(xy, min(sure))
        _backward(fresh, sure[min(sure)], back(min(sure)), xy, quality)
    for frame in sorted(marked):
        if frame < count and back is not None:
            fresh = DiscFollower(ring, template, outlines, tone, inner=inner)
            fresh.speed = _came(xy, frame)
            _backward(fresh, marked[frame], back(frame), xy, quality, frozenset(marked))
    if back is not None:
        for lo, hi in _gaps(xy):
            fresh = DiscFollower(ring, template, outlines, tone, inner=inner)
            fresh.speed = _came(xy, hi)
            _fill(fresh, xy[hi], back(hi), xy, quality, lo)
    for n in _astray(xy, ring.r):
        if n not in sure:
            xy[n], quality[n] = np.nan, LOST
    seen = np.isfinite(xy[:, 0])
    for n in _glimpses(seen, quality):
        if n not in sure:
            xy[n], quality[n], seen[n] = np.nan, LOST, False
    if seen.sum() < max(5, count // 3):
        lost = int(np.argmin(seen)) if not seen.all() else 0
        raise BarLostError(
            f"the disc was seen on only {int(seen.sum())} of {count} frames "
            f"(lost at frame {lost}); "
            "click its middle and rim where it is clear, or film with nothing in front of it"
        )
    return BarTrack(_bridge(xy, seen), quality, _noise(follower))


def _noise(follower: DiscFollower) -> float:
    # A centre from n rays of this scatter: both coordinates share the rays.
    known = np.array(follower.scatter)[np.isfinite(follower.scatter)]
    scatter = float(np.median(known)) if len(known) else 0.0
    return max(scatter * float(np.sqrt(2.0 / (0.7 * 96))), 0.03)


def _lifted(follower: DiscFollower) -> bool:
    """Whether lately the bar has risen far and, a while ago, was at its highest."""
    y = np.array(follower.xy[-LATELY:])[:, 1]
    if not np.isfinite(y).any():
        return False
    top = int(np.nanargmin(y))
    rise = float(np.nanmax(y[: top + 1]) - y[top])
    return rise > LIFTED_R * follower.ring.r and len(y) - top > LIFTED_AGO


def _so_far(follower: DiscFollower, count: int) -> BarTrack:
    left = count - len(follower.xy)
    xy = np.concatenate([np.array(follower.xy), np.full((left, 2), np.nan)])
    quality = np.concatenate([np.array(follower.quality), np.full(left, LOST)])
    return BarTrack(_bridge(xy, np.isfinite(xy[:, 0])), quality, _noise(follower))


def _came(xy: FloatArray, frame: int) -> FloatArray:
    """Which way a disc came (2,), as it went on after a frame; nowhere where that is not known."""
    here, after = xy[frame], xy[min(frame + 1, len(xy) - 1)]
    return np.asarray(np.nan_to_num(here - after))


def _backward(
    follower: DiscFollower,
    start: tuple[float, float],
    before: Iterable[tuple[int, Gray, Gray]],
    xy: FloatArray,
    quality: FloatArray,
    marks: frozenset[int] | None = None,
) -> None:
    """Follow backward from where the disc is known, in place; to the beginning without marks.

    With marks, only until it meets what is there already, or another mark.
    """
    follower.at = np.array(start)
    met = 0
    for number, gray, rim in before:
        if marks is not None and number in marks:
            return
        follower.step(gray, rim)
        off = float(np.hypot(*(np.array(follower.xy[-1]) - xy[number])))
        same = marks is not None and off < MET_R * follower.ring.r
        met = met + 1 if same else 0
        if met >= MET_FOR:
            return
        if same:
            continue  # what was followed forward is as good
        xy[number], quality[number] = follower.xy[-1], follower.quality[-1]


def _gaps(xy: FloatArray) -> list[tuple[int, int]]:
    """First hidden frame of the longest gaps in a track, and the first frame seen again."""
    seen = np.flatnonzero(np.isfinite(xy[:, 0]))
    long = np.flatnonzero(np.diff(seen) > LEAST_GAP)
    long = long[np.argsort(-np.diff(seen)[long], kind="stable")][:MOST_GAPS]
    return [(int(seen[k]) + 1, int(seen[k + 1])) for k in sorted(long)]


def _fill(
    follower: DiscFollower,
    start: FloatArray,
    before: Iterable[tuple[int, Gray, Gray]],
    xy: FloatArray,
    quality: FloatArray,
    until: int,
) -> None:
    """Follow backward into a gap as far as the disc is seen, in place: where it slows down again
    after a blur it is easily found. A smeared rim has an edge behind and one ahead; forward the one
    is taken and backward the other, so before the gap the middle of both counts until they agree.
    """
    follower.at = start.copy()
    for number, gray, rim in before:
        follower.step(gray, rim)
        if follower.lost_for > GIVEN_UP:
            return
        if follower.lost_for:
            continue
        now, q = np.array(follower.xy[-1]), follower.quality[-1]
        if number < until:
            apart = float(np.hypot(*(now - xy[number]))) / follower.ring.r
            if not MET_R / 4.0 < apart < 2.0 * MET_R:
                return
            now, q = (now + xy[number]) / 2.0, min(q, float(quality[number]))
        xy[number], quality[number] = now, q


def _glimpses(seen: BoolArray, quality: FloatArray) -> list[int]:
    """Frames, one or two together with hidden ones to both sides, that were not seen clearly."""
    steps = np.diff(np.concatenate([[1], seen.astype(int), [1]]))
    begins, ends = np.flatnonzero(steps == 1), np.flatnonzero(steps == -1)
    found: list[int] = []
    for a in begins:
        later = ends[ends > a]
        if len(later) and later[0] - a <= GLIMPSE and quality[a : later[0]].min() < GLIMPSE_CLEAR:
            found += range(int(a), int(later[0]))
    return found


def _astray(xy: FloatArray, radius: float) -> list[int]:
    """Frames, one or two together, on which a track leaves its way and is back on the next.

    Where a bar speeds up, a curve through the frames around goes with it; where it is stopped at
    once, the one from before or the one from behind does. What goes with none of them is no bar.
    """
    found: set[int] = set()
    for wide in (1, 2):
        starts = np.arange(3, len(xy) - wide - 2)
        before = [xy[starts + k] for k in (-3, -2, -1)]
        after = [xy[starts + wide + k] for k in (0, 1, 2)]
        off = np.full(len(starts), np.inf)
        for k in range(wide):
            ways = (
                _curve(before[1:] + after[:2], (-2, -1, wide, wide + 1), k),
                _curve(before, (-3, -2, -1), k),
                _curve(after, (wide, wide + 1, wide + 2), k),
            )
            for way in ways:
                off = np.minimum(off, np.linalg.norm(xy[starts + k] - way, axis=1))
        for n in starts[off > max(ASTRAY_R * radius, 1.0)]:  # never where one is hidden
            found |= set(range(int(n), int(n) + wide))
    return sorted(found)


def _curve(points: list[FloatArray], at: tuple[int, ...], k: int) -> FloatArray:
    """Where the polynomial through points (N, 2) at some frames is on another, by Lagrange."""
    out = np.zeros_like(points[0])
    for a, point in zip(at, points, strict=True):
        out += float(np.prod([(k - b) / (a - b) for b in at if b != a])) * point
    return out


def _bridge(xy: FloatArray, seen: BoolArray) -> FloatArray:
    """Fill hidden frames by a cubic through what was seen before and after."""
    from scipy.interpolate import PchipInterpolator  # slow to load

    n = np.arange(len(xy))
    good = n[seen]
    out = xy.copy()
    for axis in (0, 1):
        curve = PchipInterpolator(good, xy[seen, axis], extrapolate=False)
        filled = curve(n)
        filled[n < good[0]] = xy[good[0], axis]
        filled[n > good[-1]] = xy[good[-1], axis]
        out[~seen, axis] = filled[~seen]
    return out
