"""The bar's end in a clip: find the disc (or take the click) and follow it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from keenkettle.coach.reviewed import Request, Tracked
from keenkettle.film.aside import face_of, horizon_of
from keenkettle.film.clip import Clip, ClipInfo
from keenkettle.film.cuts import CutWatch, jumps
from keenkettle.film.disc import DiscNotFoundError, find_disc, of_size
from keenkettle.film.disc_face import make_template
from keenkettle.film.far_disc import FarWatch
from keenkettle.film.far_end import follow_far_end
from keenkettle.film.follow import follow_bar
from keenkettle.film.planes import LUMA, Gray
from keenkettle.film.rim import TURNED_ASPECT, Inner, Ring, fit_rim, inner_of
from keenkettle.film.sightings import DiscSeen
from keenkettle.film.steady import SteadyWatch
from keenkettle.film.thick import Outlines, Stand, solid_of
from keenkettle.film.tone import best_tone
from keenkettle.film.view import SOUND_YAW_DEG, Roll, outward_of, roll_of, yaw_of
from keenkettle.measure.calibration import PLATE_MM
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import SEEN, BarTrack

Progress = Callable[[str, float], None]
Looks = Iterator[tuple[int, Gray, Gray]]
#: Error of a radius that was clicked; the least; where few looks saw the disc.
SIGMA_PX, LEAST_SIGMA_PX, FEW_SIGMA_PX = 0.15, 0.1, 0.3
ROLL_PICTURES = 4  # are enough to tell the room from who moves in it
AS_CLEAR = 0.9  # share of the best support from which a sighting tells the size
TOLD_APART = 0.3  # of what an outline and its face differ by, by films by the second renderer
FEW, AS_ROUND = 4, 0.985  # sightings; width over height that shows no thickness


@dataclass(frozen=True)
class FirstLook:
    """What is known of the disc before it is followed. Pixels."""

    ring: Ring
    radius_sigma: float
    template: FloatArray
    inner: Inner | None
    known: dict[int, tuple[float, float]]
    outlines: Outlines
    roll: Roll | None
    another: bool


def track_bar(
    clip: Clip,
    request: Request,
    tell: Progress,
    early: Callable[[Tracked], None] | None = None,
) -> Tracked:
    """Find the disc (or take the click), follow it through the clip, and place the camera.

    Args:
        clip: the film.
        request: what is known of it.
        tell: called with a word for the stage and the share done, 0 to 1.
        early: called when the first lift is followed, and again before the camera is placed.

    Raises:
        DiscNotFoundError, BarLostError: no disc could be found or followed.
        ClipError: a frame that is needed cannot be read.
    """
    tell("looking for the disc", 0.0)
    share = 0.48 if request.auto else 0.68 if request.marks else 0.95
    look, looks = _first_look(clip, request)
    first = min([*look.known, *request.bar_marks])
    if first > 0 or clip.tone != LUMA:
        looks = clip.looks(first)  # what was decoded meanwhile is of no use
    ahead, behind = CutWatch(), CutWatch(backward=True)
    # Joints lie far behind the disc's plane, the bar's path in it.
    small = None
    if request.auto or request.marks:
        size = (clip.info.width, clip.info.height)
        small = FarWatch(look.ring, size, clip.info.fps_nominal)
    nothing = BarTrack(np.zeros((0, 2)), np.zeros(0), 0.0)
    tracked = Tracked(
        clip.info,
        clip.times_s,
        look.ring,
        look.radius_sigma,
        request.bar is None,
        nothing,
        look.roll,
        another=look.another,
    )

    def told(so_far: BarTrack) -> None:
        if early is not None:
            early(_to_face(tracked, so_far, look.outlines, request.bar_marks))

    steady = SteadyWatch(clip.info.fps_nominal, look.ring)
    watched = steady.watch(ahead.watch(looks))
    bar = follow_bar(
        small.watch(watched) if small else watched,
        clip.info.frames,
        look.ring,
        look.template,
        lambda done, of: tell("following the bar", 0.04 + (share - 0.04) * done / of),
        look.inner,
        look.known,
        lambda start: (
            steady.watch(behind.watch(clip.looks_back(start)))
            if start == first
            else clip.looks_back(start)
        ),
        request.bar_marks,
        told,
        look.outlines,
        clip.tone,
    )
    jumped = jumps(bar.xy_px, bar.quality >= SEEN, clip.times_s, look.ring.r)
    bar = replace(
        bar,
        cuts=tuple(sorted({*behind.cuts, *ahead.cuts, *jumped})),
        drift_px=steady.drift(clip.info.frames),
    )
    if ahead.resized is not None:
        tracked = replace(tracked, info=_goes_on(clip.info, *ahead.resized))
    if look.roll is not None:
        by_width = _to_face(replace(tracked, roll=None), bar, look.outlines, request.bar_marks)
        outward = outward_of(by_width.bar.grows, clip.info.width)
        tracked = replace(tracked, roll=look.roll.knowing(*outward))
    tracked = _to_face(tracked, bar, look.outlines, request.bar_marks)
    if early is not None:
        early(tracked)
    if yaw_of(look.ring, look.radius_sigma)[0] > SOUND_YAW_DEG:
        found = follow_far_end(
            clip, bar, look.ring, lambda _done, _of: tell("following the bar's far end", share)
        )
        if found is not None:
            tracked = replace(tracked, far_end=found[0], far=found[1])
    if tracked.far is None and small is not None:
        far = small.find(tracked.bar.xy_px, clip.looks, bar.drift_px, tracked.bar.grows)
        tracked = replace(tracked, far=far)
    return _from_aside(tracked, bar, look.ring, look.outlines, request.bar_marks)


def _from_aside(
    tracked: Tracked,
    bar: BarTrack,
    ring: Ring,
    shown: Outlines,
    marks: dict[int, tuple[float, float]],
) -> Tracked:
    """With the near face's ring and track, where the far disc says that the film is from aside.

    Args:
        tracked: with the face as ``_to_face`` tells it, which knows of no turn.
        bar, ring: track and shape of the outline.
        shown: outlines by row.
        marks: where the coach put the bar.
    """
    if tracked.far is None:
        return tracked
    far, yaw = tracked.far, abs(tracked.far.yaw_deg(PLATE_MM / (2.0 * ring.r))[0])
    if yaw <= SOUND_YAW_DEG:
        per = PLATE_MM / (2.0 * ring.r)
        stand = Stand(
            far.yaw_deg(per),
            (far.horizon_px, far.horizon_sd_px),
            1000.0 * far.camera_m(per)[0] / per,
            float(np.nanmedian(bar.xy_px[:, 0])) - (tracked.info.width - 1) / 2.0,
        )
        return _to_face(replace(tracked, ring=ring), bar, shown, marks, stand)
    row, middle = horizon_of(shown), (tracked.info.height - 1) / 2.0
    face = face_of(shown.at(ring.y), far, bar.xy_px, middle if row is None else row)
    if row is not None:
        far = replace(far, over_px=(row - middle) * (1.0 - far.size))
    return replace(tracked, ring=face.ring, bar=_moved(bar, face.shift_px, marks), far=far)


def _moved(bar: BarTrack, shift: FloatArray, marks: dict[int, tuple[float, float]]) -> BarTrack:
    """The track moved by (N, 2) pixels; a mark that alone told the bar's place stays."""
    xy = bar.xy_px + shift
    for frame, mark in marks.items():
        if frame < len(xy) and np.allclose(bar.xy_px[frame], mark):
            xy[frame] = mark
    return replace(bar, xy_px=xy)


def _goes_on(info: ClipInfo, frame: int, width: int, height: int) -> ClipInfo:
    """With what is to be said of a film that goes on in another size."""
    says = (
        f"{info.path.name} goes on in another size at frame {frame} ({width} x {height} instead of "
        f"{info.width} x {info.height}); what follows is not measured, so cut it there in two"
    )
    return replace(info, warning="; ".join(w for w in (info.warning, says) if w))


def _to_face(
    tracked: Tracked,
    bar: BarTrack,
    shown: Outlines,
    marks: dict[int, tuple[float, float]],
    stand: Stand | None = None,
) -> Tracked:
    """With the near face's ring and its middle's track, from those of the outline."""
    by_room = tracked.roll.grows(tracked.info.width) if tracked.roll else None
    solid = solid_of(shown, tracked.info.height, stand, by_room)
    if solid is None:
        return replace(tracked, bar=replace(bar, grows=by_room) if by_room else bar)
    bar = replace(bar, grows=(solid.slope / solid.radius, solid.slope_sd / solid.radius))
    shift = np.zeros_like(bar.xy_px)
    shift[:, 0] = solid.aside(stand) if stand is not None else 0.0
    shift[:, 1] = solid.shift(bar.xy_px[:, 1])
    upright = float(solid.upright(np.array(tracked.ring.y)))
    ring = replace(tracked.ring, r=upright, aspect=solid.aspect)
    away = abs(upright - shown.at(tracked.ring.y).r)  # of which depth and pitch account for all
    sigma = float(np.hypot(tracked.radius_sigma, TOLD_APART * away))
    return replace(tracked, bar=_moved(bar, shift, marks), ring=ring, radius_sigma=sigma)


def _first_look(clip: Clip, request: Request) -> tuple[FirstLook, Looks]:
    """The disc, and the clip's frames from its first on, decoded while it is looked for."""
    begun = clip.begin_looks()
    with clip.again() as other:
        if request.bar is None:
            found = find_disc(other)
            another = found.another
            seen = found.seen
            frame, ring, sigma, outlines, shown = _found(other, seen)
        else:
            frame, ring = _clicked(other, request.bar)
            another = False
            seen, sigma, outlines, shown = [], SIGMA_PX, Outlines(ring), {frame: ring}
            other.tone = best_tone(other, [(frame, ring)])
        clip.tone = other.tone
        grays = {n: other.gray(n) for n in shown}
        inside = inner_of({n: (grays[n], one) for n, one in shown.items()})
        if inside.others:
            outlines = _outlines(ring, [s for s in seen if s.frame not in inside.others])
        known = {n: (shown[n].x, shown[n].y) for n in inside.agree}
        gray = other.gray(frame)
        template, roll = make_template(gray, ring), roll_of(_spread(grays))
    return FirstLook(ring, sigma, template, inside.inner, known, outlines, roll, another), begun


def _spread(grays: dict[int, Gray]) -> list[Gray]:
    """Few of the pictures, over all of the film."""
    numbers = sorted(grays)
    pick = np.linspace(0, len(numbers) - 1, min(ROLL_PICTURES, len(numbers))).round().astype(int)
    return [grays[numbers[int(k)]] for k in pick]


def _found(clip: Clip, seen: list[DiscSeen]) -> tuple[int, Ring, float, Outlines, dict[int, Ring]]:
    """The frame that shows the disc best, its ring, the radius's error, its outline by row, and
    where else it is.
    """
    clear = [s for s in seen if s.fit.support >= AS_CLEAR * seen[0].fit.support]
    clear = _least_deep(clear)
    size = float(np.median([s.fit.ring.r for s in clear]))
    # Seen where it has that size: a camera that looks upward shows it smaller higher up.
    best = min(clear, key=lambda s: abs(s.fit.ring.r - size))
    aspect = float(np.median([s.fit.ring.aspect for s in clear]))
    frame, ring = best.frame, replace(best.fit.ring, r=size, aspect=aspect)
    outlines = _outlines(ring, seen)
    again = {s.frame: of_size(clip, s, outlines.at(s.fit.ring.y)) for s in seen}
    shown = {n: found for n, found in again.items() if found is not None} or {frame: ring}
    spread = float(np.std([s.fit.ring.r for s in clear])) if len(clear) > 2 else FEW_SIGMA_PX
    return frame, ring, max(spread, LEAST_SIGMA_PX), outlines, shown


def _outlines(ring: Ring, seen: list[DiscSeen]) -> Outlines:
    """The disc's outline by row, as far as sightings of it tell."""
    outlines = Outlines(ring)
    for s in seen:
        outlines.learn(s.fit.ring)
    return outlines


def _least_deep(clear: list[DiscSeen]) -> list[DiscSeen]:
    """The sightings that show the least of the disc's thickness.

    Above and below the lens the far edge of a thick disc, or of several, shows beside the near
    one, and the outline is taller than the face.
    """
    shapes = [s.fit.ring.aspect for s in clear]
    if len(clear) < FEW or min(shapes) > AS_ROUND or max(shapes) < TURNED_ASPECT:
        return clear
    return sorted(clear, key=lambda s: s.fit.ring.r)[: max(len(clear) // 3, 2)]


def _clicked(clip: Clip, bar: tuple[int, float, float, float | None]) -> tuple[int, Ring]:
    """The disc where the coach clicked; without a radius the best ring round the click."""
    frame, x, y, r = bar
    if not 0 <= frame < clip.info.frames:
        raise DiscNotFoundError(
            f"frame {frame} is not in the clip; it has frames 0 to {clip.info.frames - 1}"
        )
    gray = clip.gray(frame)
    tries = [r] if r else list(np.geomspace(0.04, 0.28, 22) * clip.info.height)
    fits = [fit_rim(gray, Ring(x, y, float(t)), 0.12 * float(t) + 2, shape=True) for t in tries]
    near = [f for f in fits if f and np.hypot(f.ring.x - x, f.ring.y - y) < 0.35 * f.ring.r]
    if r and not near:
        return frame, Ring(x, y, float(r))
    if not near:
        raise DiscNotFoundError(
            f"no round outline was found at {x:.0f}, {y:.0f} on frame {frame}; "
            "give its rim as well: drag from the middle of the disc to it"
        )
    best = max(near, key=lambda f: f.support * f.ring.r**0.4)
    again = fit_rim(gray, best.ring, 0.05 * best.ring.r + 1.5, shape=True)
    return frame, (again or best).ring
