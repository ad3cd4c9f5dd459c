"""A body over a span of frames, from what the nets saw and what is known of a lifter.

The disc pulls the net's hidden joints toward it and the net does not know. We do: the disc is
tracked, so its cover is known in every frame, and what lies behind it is told by the outline of
the limbs, their lengths, planted feet, the hand on the bar and smooth motion instead.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from keenkettle.film.believed import (
    COVER,
    FEET,
    NEARBY_S,
    about,
    behind_head,
    doubt_hidden,
    doubt_odd,
    hip_behind_disc,
    observed,
    odd_limbs,
    pressed_together,
    somebody_else,
)
from keenkettle.film.drawn_to import (
    clear_of_bar,
    elbow_on_arm,
    feet_as_marked,
    feet_on_level,
    feet_that_stay,
    hand_on_bar,
    head_over_shoulder,
    in_the_rack,
)
from keenkettle.film.footage import Footage, Look
from keenkettle.film.fuse import Limb, Line, Seen, Smooth, fuse
from keenkettle.film.joint_errors import all_the_while, between_marks, unmarked
from keenkettle.film.limb_lines import LIMBS, Scene, discs_of, lines_of
from keenkettle.film.outline import Masks
from keenkettle.film.posture import knees_ahead, racked_on, smooth_motion, still, turning_over
from keenkettle.film.through_marks import (
    elbow_racked,
    hand_through,
    head_through,
)
from keenkettle.film.with_marks import Marked, with_marks
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.motion import JOINTS, JointTrack
from keenkettle.measure.segments import SEGMENT_SHARE, STATURE_MM, STATURE_SD_MM

#: These errors add up to a little too much: regions so many times as large hold the truth as
#: often as they say: 95 % on films by the one renderer, 85 to 93 % by the other.
POOLED = 0.765
HEAD_JOINTS = JOINTS.index("hip"), JOINTS.index("shoulder"), JOINTS.index("ear")
HIP = JOINTS.index("hip")
UPPER_ARM = JOINTS.index("shoulder"), JOINTS.index("elbow")
LEAST_HELD = 3  # places across thigh and shank that are seen
#: What joints may be off all the while the disc hides the head.
HEADLESS_MM = {"knee": 28.0, "hip": 40.0, "shoulder": 110.0, "ear": 140.0, "elbow": 200.0}
HEADLESS_FEET_MM = 15.0
#: What joints between marks may be off while somebody passes before them.
PASSED_MM = {"shoulder": 120.0, "ear": 150.0, "elbow": 200.0}
OTHER_PASSED_MM = 70.0
#: As bodies speed up and slow down in a lift; and as far as they get.
UNSEEN_M_S2, FAR_MM = 3.0, 500.0
LIMB_SD = {"trunk": 0.05, "arm": 0.12, "other": 0.045}
ARMS = (("shoulder", "elbow"), ("elbow", "wrist"))
LEAST_FRAMES = 12
CLEAR_OF_FEET_MM = 330.0  # the disc has left the feet when it is this much higher than at rest
SURE_MM, SURE_START_MM = 160.0, 190.0  # errors under which a joint counts as seen
PASSES = 3  # what the disc hides, and where limbs are, is known only once the joints are
BLIND_MM, BLIND_S = 150.0, 0.12  # hip and knee where nothing of the legs was believed
LED_S = 0.25
CALM_LOOKS = 6  # to each side of one
KNOWN_SD_MM = 60.0
LENGTH_QUANTILE = 0.7  # on film a limb is only ever shortened
FLOOR_QUANTILE = 0.7  # feet behind the disc are guessed too high, toward it
SEGMENT_STATURE_SD_MM = 150.0  # stature from one segment: ratio's spread and the net's bias


def fuse_span(
    film: Footage, whole: Look, span: tuple[int, int], out: dict[str, JointTrack]
) -> None:
    """Solve for the joints of a span, first to last frame, and write them into ``out``."""
    lo, hi = span
    look, mm = whole.within(lo, hi), film.mm
    if len(look.frames) < LEAST_FRAMES:
        return
    at = look.frames - lo
    bar_xy = film.bar_xy[lo : hi + 1]
    masks = Masks(look.outlines)
    others = somebody_else(masks)
    astray = others | pressed_together(look, masks, film)
    headless = astray | behind_head(look, bar_xy[at], film)
    xy, sigma = observed(look, at, bar_xy, headless, film)
    xy[at[astray]], sigma[at[astray]] = np.nan, np.inf
    stature = _scale_of(xy[at], film)
    hidden = np.linalg.norm(np.nan_to_num(xy) - bar_xy[:, None], axis=-1) < COVER * film.radius_px
    gone = np.zeros(len(bar_xy), bool) if film.passed is None else film.passed[lo : hi + 1]
    passed = _passed(np.union1d(at[others], np.flatnonzero(gone)), len(bar_xy), film.fps)
    flow = {name: _seen_only(track, lo, passed > 0.0) for name, track in film.flow.items()}
    marked = with_marks(xy, sigma, hidden, film.marks, flow, span, film.fps, mm)
    xy, sigma = marked.xy, marked.sigma
    told = np.array([len(film.marks.get(name, {})) > 0 for name in JOINTS])
    trusted = np.where(told[None], 1.0, marked.firm)
    odd = doubt_odd(xy, sigma, trusted, at, stature * mm)
    open_ = ~hidden & (sigma < SURE_START_MM * mm)
    start = _start(xy, odd, open_, bar_xy, mm)
    looked = np.union1d(at, np.flatnonzero(gone))
    blind = _blind(xy[:, JOINTS.index("hip"), 0], looked, film.fps)
    smooth = smooth_motion(film.times_s[lo : hi + 1], bar_xy, mm, film.split)
    known = {(limb.a, limb.b) for limb in marked.limbs}
    limbs = marked.limbs + [x for x in _limbs(stature, mm) if (x.a, x.b) not in known]
    alone = ~about(others, look.frames, NEARBY_S * film.fps)
    outlined, outlined_at = masks.of(alone), at[alone]
    p, lines = start, list[Line]()
    for again in range(PASSES):
        p = knees_ahead(p, film)
        doubted, covered = doubt_hidden(p, bar_xy, sigma, trusted, film)
        put, error = hip_behind_disc(p, bar_xy, film)
        net = marked.firm[:, HIP] == 0
        seen_xy = xy.copy()
        seen_xy[net, HIP] += put[net]
        doubted[net, HIP] = np.maximum(doubted[net, HIP], error[net])
        if again:
            seen = np.isfinite(xy[..., 0]) & ~(hidden | covered) & (doubted < SURE_MM * mm)
            scene = _scene(film, outlined, outlined_at, bar_xy, seen, marked, smooth)
            lines = lines_of(p, scene)
        hand = hand_on_bar(p, film, bar_xy, stature, passed >= 1.0)
        hand = hand_through(hand, film.marks.get("wrist", {}), lo, film.fps, mm)
        pulls = [hand, *feet_that_stay(start, smooth, trusted, mm)]
        pulls += feet_as_marked(film, smooth, lo)
        pulls += [head_over_shoulder(p, trusted, stature * mm, mm), elbow_on_arm(p, xy, mm)]
        pulls.append(head_through(p, film.marks, lo, mm, HEAD_JOINTS))
        pulls += in_the_rack(p, film, bar_xy, trusted, stature, lo)
        racked = racked_on(p, film, bar_xy)
        racked &= ~turning_over(racked, bar_xy, film.fps)
        elbow = film.marks.get("elbow", {})
        pulls.append(elbow_racked(p, racked, elbow, lo, film.fps, mm, UPPER_ARM))
        level = feet_on_level(start, smooth, covered & (trusted == 0), mm)
        if again:
            level += clear_of_bar(p, film, bar_xy, marked.firm)
        solved = fuse(
            Seen(seen_xy, doubted, marked.firm), limbs, pulls, smooth, p, [*lines, *level]
        )
        p = solved.xy
    error = solved.sigma()
    near = _led(xy[:, JOINTS.index("hip"), 0], film.fps)
    blind[_outlined(lines, len(p)) & near] = 0.0
    racked = racked_on(p, film, bar_xy)
    lost_head = np.maximum(np.interp(np.arange(len(p)), at, headless.astype(float)), gone)
    for j, name in enumerate(JOINTS):
        left, own = all_the_while(name, p, bar_xy, film, bool(told[j])), error[:, j]
        if told[j]:
            left = np.hypot(left, between_marks(name, p, bar_xy, smooth, film, span))
            behind = PASSED_MM.get(name, OTHER_PASSED_MM) * passed * unmarked(film, name, span)
            if name not in FEET:
                moves = _moves_mm(passed > 0.0, film.marks[name], lo, film.fps)
                behind = np.hypot(behind, moves)
            left = np.hypot(left, behind * mm)
        else:
            if name in ("hip", "knee"):
                left = np.hypot(left, BLIND_MM * mm * blind)
            lost = lost_head * ~racked if name == "shoulder" else lost_head
            left = np.hypot(left, HEADLESS_MM.get(name, HEADLESS_FEET_MM) * mm * lost)
        out[name].xy_px[lo : hi + 1] = p[:, j]
        out[name].sigma_px[lo : hi + 1] = POOLED * np.hypot(own, left)


def _passed(at: NDArray[np.int64], frames: int, fps: float) -> FloatArray:
    """How near to frames ``at`` (K,) of the span on which somebody is before the athlete, 1 there
    and 0 from NEARBY_S away, shape (N,).
    """
    if not len(at):
        return np.zeros(frames)
    away_s = np.abs(np.arange(frames)[:, None] - at).min(axis=1) / fps
    return np.asarray(np.maximum(1.0 - away_s / NEARBY_S, 0.0))


def _moves_mm(
    passed: BoolArray, marks: dict[int, tuple[float, float]], lo: int, fps: float
) -> FloatArray:
    """How far a joint may go unseen on frames (N,) on which somebody passes, mm: by UNSEEN_M_S2 for
    as long as the next frame is away that is not passed or marked.
    """
    every = np.arange(len(passed))
    known = np.union1d(every[~passed], [n - lo for n in marks if 0 <= n - lo < len(passed)])
    if not len(known):
        return np.full(len(passed), FAR_MM)
    away_s = np.abs(every[:, None] - known).min(axis=1) / fps
    return np.asarray(np.minimum(500.0 * UNSEEN_M_S2 * away_s**2, FAR_MM))


def _seen_only(track: JointTrack, lo: int, passed: BoolArray) -> JointTrack:
    """A carried track without what was carried along by somebody who passes."""
    xy = track.xy_px.copy()
    xy[lo : lo + len(passed)][passed] = np.nan
    return replace(track, xy_px=xy)


def _scene(
    film: Footage,
    masks: Masks,
    at: NDArray[np.int64],
    bar_xy: FloatArray,
    seen: BoolArray,
    marked: Marked,
    smooth: Smooth,
) -> Scene:
    discs, radii = discs_of(bar_xy[at], film.radius_px, film.far, film.centre_px, film.mm)
    return Scene(
        masks=masks,
        at=at,
        sure=seen,
        firm=marked.firm > 0,
        planted=still(smooth, "heel", film.mm),
        ahead=1.0 if film.side == "right" else -1.0,
        discs=discs,
        radii=radii,
        mm=film.mm,
    )


def _scale_of(xy: FloatArray, film: Footage) -> float:
    """Stature, mm at the disc's scale: the athlete's own, else from limbs that can be.

    The body stands behind the disc's face and so looks a little smaller.
    """
    known = (film.stature_mm or STATURE_MM) * film.depth_share
    known_sd = STATURE_SD_MM if film.stature_mm is None else KNOWN_SD_MM
    odd = odd_limbs(xy, known * film.mm)
    top, weight = known / known_sd**2, 1.0 / known_sd**2
    for (a, b), strange in odd.items():
        if (~strange).sum() < LEAST_FRAMES:
            continue
        ends = xy[~strange][:, [JOINTS.index(a), JOINTS.index(b)]]
        length = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1) / film.mm
        whole = float(np.quantile(length, LENGTH_QUANTILE)) / SEGMENT_SHARE[a, b]
        top += whole / SEGMENT_STATURE_SD_MM**2
        weight += 1.0 / SEGMENT_STATURE_SD_MM**2
    return top / weight


def _outlined(lines: list[Line], frames: int) -> BoolArray:
    """Frames (N,) on which thigh and shank are both held by their outline."""
    held = np.ones(frames, bool)
    for a, b in LIMBS[:2]:
        ia, ib = JOINTS.index(a), JOINTS.index(b)
        count = sum(np.isfinite(x.sigma).astype(int) for x in lines if (x.a, x.b) == (ia, ib))
        held &= np.asarray(count) >= LEAST_HELD
    return held


def _led(hip_x: FloatArray, fps: float) -> BoolArray:
    """Frames (N,) near one on which the legs were believed: only from there do outlines lead on to
    the right limb, for a shin has an outline as well as an arm.
    """
    n = np.arange(len(hip_x))
    told = n[np.isfinite(hip_x)]
    if not len(told):
        return np.zeros(len(n), bool)
    return np.asarray(np.abs(n[:, None] - told).min(axis=1) <= LED_S * fps)


def _blind(hip_x: FloatArray, at: NDArray[np.int64], fps: float) -> FloatArray:
    """Share of the looked-at frames nearby on which the legs were not believed, shape (N,)."""
    looked = np.zeros(len(hip_x))
    looked[at] = 1.0
    lost = np.zeros(len(hip_x))
    lost[at] = ~np.isfinite(hip_x[at])
    box = np.ones(2 * max(round(BLIND_S * fps), 1) + 1)
    return np.asarray(
        np.convolve(lost, box, "same") / np.maximum(np.convolve(looked, box, "same"), 1.0)
    )


def _start(
    xy: FloatArray, odd: BoolArray, open_: BoolArray, bar_xy: FloatArray, mm: float
) -> FloatArray:
    """A first guess everywhere: what was seen, medians over time against outliers.

    While the disc is low it covers the feet, so they are taken from where it is high, and
    their height from all of the film: the floor does not move.
    """
    n = len(xy)
    every = np.arange(n)
    out = np.zeros_like(xy)
    clear = bar_xy[:, 1] < bar_xy[:, 1].max() - CLEAR_OF_FEET_MM * mm
    for j, name in enumerate(JOINTS):
        ok = np.isfinite(xy[:, j, 0])
        good = ok & ~odd[:, j]
        if name in FEET and (good & open_[:, j] & clear).sum() >= LEAST_FRAMES:
            good &= open_[:, j] & clear
        at = np.flatnonzero(good if good.sum() >= LEAST_FRAMES else ok)
        for r in (0, 1):
            values = xy[at, j, r]
            out[:, j, r] = np.interp(every, at, _calm(values)) if len(at) else bar_xy[:, r]
        if name in FEET and len(at):
            out[:, j, 1] = np.quantile(xy[at, j, 1], FLOOR_QUANTILE)
    return out


def _calm(values: FloatArray) -> FloatArray:
    """Median of each value (N,) and those about it."""
    padded = np.pad(values, CALM_LOOKS, constant_values=np.nan)
    return np.asarray(np.nanmedian(sliding_window_view(padded, 2 * CALM_LOOKS + 1), axis=1))


def _limbs(stature_mm: float, mm: float) -> list[Limb]:
    index = {n: i for i, n in enumerate(JOINTS)}
    limbs = []
    for (a, b), share in SEGMENT_SHARE.items():
        length = share * stature_mm * mm
        kind = "trunk" if (a, b) == ("hip", "shoulder") else "arm" if (a, b) in ARMS else "other"
        give = 0.10 if "ear" in (a, b) else LIMB_SD[kind]
        limbs.append(Limb(index[a], index[b], length, give * length, kind == "arm"))
    return limbs
