"""A body over a span of frames, from what the nets saw and what is known of a lifter.

The disc pulls the net's hidden joints toward it and the net does not know. We do: the disc is
tracked, so its cover is known in every frame, and what lies behind it is told by the outline of
the limbs, their lengths, planted feet, the hand on the bar and smooth motion instead. The errors
below were settled on a few films of our own simulator, by causes that hold on others too.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_opening

from keenkettle.film.believed import (
    COVER,
    FEET,
    NEARBY_S,
    about,
    behind_head,
    doubt_hidden,
    doubt_odd,
    observed,
    odd_limbs,
    pressed_together,
    somebody_else,
)
from keenkettle.film.footage import Footage, Look
from keenkettle.film.fuse import Limb, Line, Pull, Seen, Smooth, fuse
from keenkettle.film.limb_lines import LIMBS, Scene, discs_of, lines_of
from keenkettle.film.outline import Masks
from keenkettle.film.through_marks import (
    hand_through,
    head_through,
    shoulder_under,
    stands_through,
)
from keenkettle.film.with_marks import LEFT_MM, OTHER_LEFT_MM, Marked, with_marks
from keenkettle.measure.calibration import UNKNOWN_YAW_DEG
from keenkettle.measure.geometry import BoolArray, FloatArray, included_deg
from keenkettle.measure.motion import JOINTS, JointTrack
from keenkettle.measure.segments import SEGMENT_SHARE, STATURE_MM, STATURE_SD_MM

BIAS_MM = {
    "elbow": 32.0, "wrist": 22.0, "heel": 11.0, "toe": 11.0, "ankle": 16.0, "knee": 16.0,
    "ear": 23.0, "shoulder": 16.0, "hip": 11.0,
}  # fmt: skip
#: From the athlete's middle to the near side. From a camera that is turned the two sides stand
#: apart on the picture, and what the nets see is often between them: by so much of that.
SIDE_MM = {
    "toe": 165.0, "heel": 120.0, "ankle": 130.0, "knee": 135.0, "hip": 90.0, "shoulder": 175.0,
    "ear": 60.0, "elbow": 60.0, "wrist": 60.0,
}  # fmt: skip
BETWEEN_SIDES = 0.7
#: These errors add up to a little too much: regions so many times as large hold the truth as
#: often as they say: 95 % on films by the one renderer, 85 to 93 % by the other.
POOLED = 0.765
NET_PX = 1.5  # nor is any net nearer than this on the picture, which tells on small bodies
#: A hip behind the disc, and so many radii from its middle on a film from aside.
HIP_COVERED_MM, HIP_COVER, HIP_TURNED_MM, HIP_TURNED_COVER = 8.0, 1.2, 30.0, 1.8
TURNED_DEG = 6.0
#: Other joints that it covers, or whose limbs it does; so many radii from its middle. The nets put
#: them where the limb is last seen.
COVERED_MM = {"knee": 30.0, "ankle": 22.0, "heel": 24.0, "toe": 16.0}
COVERED_REACH = {"knee": 1.7, "ankle": 1.3, "heel": 1.3, "toe": 1.3}
COVERED_MARKED_MM = 7.0  # between marks
#: With the bar overhead, upper arms are before ears and about the shoulders.
OVERHEAD_MM = {"ear": 30.0, "shoulder": 18.0}
#: Nets see a bent knee where the kneecap is; the knee's angle from which, and what it bends by.
BENT_KNEE_MM, STRAIGHT_DEG, BENT_BY_DEG = 16.0, 150.0, 60.0
HANGING_ELBOW_MM, HANGS_MM = 20.0, 225.0  # of arms that hang: the bar so far below the shoulder
#: Wrist to the middle of the grip, share of stature (Winter 2009: half of a hand); its error.
HAND_SHARE, HAND_SIGMA_MM = 0.054, 35.0
#: An arm's length from the side, share of stature, with a wide grip; how much shorter it looks when
#: its bend counts; and what the hand may be off then.
LONG_ARM, BENT_ARM, BENT_HAND_MM = 0.29, 0.6, 50.0
HEAD_SD_MM, ELBOW_SD_MM = 80.0, 150.0
#: Bar ahead of the shoulder, and above or below it, in the rack; s that it stays there.
RACK_MM, RACK_S = (20.0, 110.0), 0.3
#: Where the upper arm then points, ahead and down; the elbow's error, and what is left of it.
RACK_ARM, RACK_ELBOW_MM, RACK_LEFT_MM = (0.9, 0.4), 120.0, 110.0
#: The bar lies on the front of the shoulders: so far behind and below it their joints are.
RACK_SHOULDER_MM, RACK_SHOULDER_SD_MM = (65.0, 28.0), 40.0
RACKED_MM = 15.0  # with the bar on them, from what a mark tells of their place under it
#: A bar that comes to the shoulders, or leaves them, is near before it lies there: so far off,
#: fading out in so many seconds.
COMES_MM, COMES_S = 120.0, 0.3
HEAD_JOINTS = JOINTS.index("hip"), JOINTS.index("shoulder"), JOINTS.index("ear")
LEAST_HELD = 3  # places across thigh and shank that are seen
#: What joints may be off all the while the disc hides the head.
HEADLESS_MM = {"knee": 28.0, "hip": 40.0, "shoulder": 110.0, "ear": 140.0, "elbow": 200.0}
HEADLESS_FEET_MM = 15.0
LIMB_SD = {"trunk": 0.05, "arm": 0.12, "other": 0.045}
ARMS = (("shoulder", "elbow"), ("elbow", "wrist"))
ACCEL = {"ankle": 9.0, "heel": 12.0, "toe": 9.0, "elbow": 45.0, "wrist": 45.0}  # m/s2
OTHER_ACCEL = 55.0
DRIVE_SHARE, APART_S = 0.6, 1.0  # of the greatest speed, a rep's own; reps are so far apart
PLANTED_M_S, PLANTED_FPS, FREE_M_S = 0.06, 60.0, 5.0
LEAST_FRAMES = 12
#: What a mark tells fades as the body goes on to another pose: by bar travel, and how much it may
#: then be off, by films by two renderers.
MOVED_ON_MM = 400.0
MOVED_MM = {
    "ear": 34.0, "shoulder": 22.0, "elbow": 12.0, "wrist": 20.0, "hip": 8.0, "knee": 9.0,
    "ankle": 5.0, "heel": 6.0,
}  # fmt: skip
WHIPPED_ON_MM, WHIPPED_MM = 120.0, 90.0  # elbows that turn over, the same
#: A head behind the disc, so many radii from its middle, may turn unseen.
HEAD_COVER, HEAD_TURNS_MM = 1.2, 60.0
LIFTED_MM, UNMARKED_S = 8.0, 0.1  # feet that may have left the floor, so far from a mark
CLEAR_OF_FEET_MM = 330.0  # the disc has left the feet when it is this much higher than at rest
SURE_MM, SURE_START_MM = 160.0, 190.0  # errors under which a joint counts as seen
PASSES = 3  # what the disc hides, and where limbs are, is known only once the joints are
BLIND_MM, BLIND_S = 150.0, 0.12  # hip and knee where nothing of the legs was believed
LED_S = 0.25
KNOWN_SD_MM = 60.0
LENGTH_QUANTILE = 0.7  # on film a limb is only ever shortened
FLOOR_QUANTILE = 0.7  # feet behind the disc are guessed too high, toward it
STAY_MM, LEVEL_MM = 45.0, 18.0
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
    marked = with_marks(xy, sigma, hidden, film.marks, film.flow, span, film.fps, mm)
    xy, sigma = marked.xy, marked.sigma
    told = np.array([len(film.marks.get(name, {})) > 0 for name in JOINTS])
    trusted = np.where(told[None], 1.0, marked.firm)
    odd = doubt_odd(xy, sigma, trusted, at, stature * mm)
    open_ = ~hidden & (sigma < SURE_START_MM * mm)
    start = _start(xy, odd, open_, bar_xy, mm)
    blind = _blind(xy[:, JOINTS.index("hip"), 0], at, film.fps)
    smooth = _smooth(film.times_s[lo : hi + 1], bar_xy, mm, film.split)
    known = {(limb.a, limb.b) for limb in marked.limbs}
    limbs = marked.limbs + [x for x in _limbs(stature, mm) if (x.a, x.b) not in known]
    alone = ~about(others, look.frames, NEARBY_S * film.fps)
    outlined, outlined_at = masks.of(alone), at[alone]
    p, error, lines = start, sigma, list[Line]()
    for again in range(PASSES):
        doubted, covered = doubt_hidden(p, bar_xy, sigma, trusted, film)
        if again:
            seen = np.isfinite(xy[..., 0]) & ~(hidden | covered) & (doubted < SURE_MM * mm)
            scene = _scene(film, outlined, outlined_at, bar_xy, seen, marked, smooth)
            lines = lines_of(p, scene)
        hand = _hand(p, film, bar_xy, stature)
        hand = hand_through(hand, film.marks.get("wrist", {}), lo, film.fps, mm)
        pulls = [hand, *_stay(start, smooth, trusted, mm), *_stand(film, smooth, lo)]
        pulls += [_head(p, trusted, stature * mm, mm), _elbow(p, xy, mm)]
        pulls.append(head_through(p, film.marks, lo, mm, HEAD_JOINTS))
        pulls += _rack(p, film, bar_xy, trusted, stature, lo)
        level = _level(start, smooth, covered & (trusted == 0), mm)
        p, error = fuse(Seen(xy, doubted, marked.firm), limbs, pulls, smooth, p, [*lines, *level])
    near = _led(xy[:, JOINTS.index("hip"), 0], film.fps)
    blind[_outlined(lines, len(p)) & near] = 0.0
    racked = _racked(p, film, bar_xy)
    lost_head = np.interp(np.arange(len(p)), at, headless.astype(float))
    for j, name in enumerate(JOINTS):
        left, own = _left(name, p, bar_xy, film, bool(told[j])), error[:, j]
        if told[j]:
            left = np.hypot(left, _between_marks(name, p, bar_xy, smooth, film, span))
        else:
            if name in ("hip", "knee"):
                left = np.hypot(left, BLIND_MM * mm * blind)
            lost = lost_head * ~racked if name == "shoulder" else lost_head
            left = np.hypot(left, HEADLESS_MM.get(name, HEADLESS_FEET_MM) * mm * lost)
        out[name].xy_px[lo : hi + 1] = p[:, j]
        out[name].sigma_px[lo : hi + 1] = POOLED * np.hypot(own, left)


def _between_marks(
    name: str,
    p: FloatArray,
    bar_xy: FloatArray,
    smooth: Smooth,
    film: Footage,
    span: tuple[int, int],
) -> FloatArray:
    """What a joint that is marked here and there may be off besides in between, pixels (N,)."""
    mm = film.mm
    moved = np.minimum(_moved_on(film, name, span) / (MOVED_ON_MM * mm), 1.0)
    if name == "shoulder":
        racked = _racked(p, film, bar_xy)
        moved = np.where(racked, _comes(racked, film.fps), moved)  # it goes with the bar
    left = MOVED_MM.get(name, 0.0) * mm * moved
    unmarked = _unmarked(film, name, span)
    away = np.linalg.norm(p[:, JOINTS.index(name)] - bar_xy, axis=1) / film.radius_px
    if name in COVERED_REACH:
        left = np.hypot(left, COVERED_MARKED_MM * mm * unmarked * (away < COVERED_REACH[name]))
    if name == "ear":
        left = np.hypot(left, HEAD_TURNS_MM * mm * unmarked * (away < HEAD_COVER))
    if name == "elbow":
        whipped = np.minimum(_moved_on(film, name, span) / (WHIPPED_ON_MM * mm), 1.0)
        left = np.hypot(left, WHIPPED_MM * mm * whipped * ~_hanging(p, film, bar_xy))
    if name in FEET:
        left = np.hypot(left, LIFTED_MM * mm * unmarked * ~_still(smooth, name, mm))
    return np.asarray(left)


def _unmarked(film: Footage, name: str, span: tuple[int, int]) -> FloatArray:
    """How far from a joint's next mark, in UNMARKED_S and at most 1, shape (N,)."""
    every = np.arange(span[0], span[1] + 1)
    away = np.abs(every[:, None] - np.array(sorted(film.marks[name]))).min(axis=1) / film.fps
    return np.asarray(np.minimum(away / UNMARKED_S, 1.0))


def _moved_on(film: Footage, name: str, span: tuple[int, int]) -> FloatArray:
    """How far the bar has gone since a joint's nearest mark, or goes until it, pixels (N,)."""
    every, marked = np.arange(span[0], span[1] + 1), np.array(sorted(film.marks[name]))
    nearest = marked[np.abs(every[:, None] - marked).argmin(axis=1)]
    return np.asarray(np.linalg.norm(film.bar_xy[every] - film.bar_xy[nearest], axis=1))


def _left(name: str, p: FloatArray, bar_xy: FloatArray, film: Footage, told: bool) -> FloatArray:
    """What a joint may be off all the while, whatever is seen of it, pixels (N,)."""
    if told:
        left = LEFT_MM.get(name, OTHER_LEFT_MM) * np.ones(len(p))
    else:
        between = BETWEEN_SIDES * SIDE_MM[name] * float(np.sin(np.radians(_turn_deg(film))))
        parts = [BIAS_MM[name], NET_PX / film.mm, between]
        left = float(np.linalg.norm(parts)) * np.ones(len(p))
    if name == "elbow" and not told:
        left[_hanging(p, film, bar_xy)] = HANGING_ELBOW_MM
        left[_racked(p, film, bar_xy)] = RACK_LEFT_MM
    away = np.linalg.norm(p[:, JOINTS.index(name)] - bar_xy, axis=1) / film.radius_px
    if name in OVERHEAD_MM and not told:
        over = p[:, JOINTS.index("wrist"), 1] < p[:, JOINTS.index("ear"), 1]
        left = np.hypot(left, OVERHEAD_MM[name] * over)
    if name == "knee" and not told:
        legs = (p[:, JOINTS.index(n)] for n in ("ankle", "knee", "hip"))
        bent = np.clip((STRAIGHT_DEG - included_deg(*legs)) / BENT_BY_DEG, 0.0, 1.0)
        left = np.hypot(left, BENT_KNEE_MM * bent)
    if name in COVERED_MM and not told:
        left = np.hypot(left, COVERED_MM[name] * (away < COVERED_REACH[name]))
    if name == "hip":
        left = np.hypot(left, HIP_COVERED_MM * (away < HIP_COVER))
        turned = film.far is not None and _turn_deg(film) > TURNED_DEG
        left = np.hypot(left, HIP_TURNED_MM * (turned & (away < HIP_TURNED_COVER)))
    return np.asarray(left * film.mm)


def _turn_deg(film: Footage) -> float:
    """How far the camera is turned from side-on, degrees; as usual where nothing tells."""
    return UNKNOWN_YAW_DEG if film.far is None else abs(film.far.yaw_deg(1.0 / film.mm)[0])


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
        planted=_still(smooth, "heel", film.mm),
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
            calm = np.array([np.median(values[max(i - 6, 0) : i + 7]) for i in range(len(values))])
            out[:, j, r] = np.interp(every, at, calm) if len(at) else bar_xy[:, r]
        if name in FEET and len(at):
            out[:, j, 1] = np.quantile(xy[at, j, 1], FLOOR_QUANTILE)
    return out


def _limbs(stature_mm: float, mm: float) -> list[Limb]:
    index = {n: i for i, n in enumerate(JOINTS)}
    limbs = []
    for (a, b), share in SEGMENT_SHARE.items():
        length = share * stature_mm * mm
        kind = "trunk" if (a, b) == ("hip", "shoulder") else "arm" if (a, b) in ARMS else "other"
        give = 0.10 if "ear" in (a, b) else LIMB_SD[kind]
        limbs.append(Limb(index[a], index[b], length, give * length, kind == "arm"))
    return limbs


def _hand(p: FloatArray, film: Footage, bar_xy: FloatArray, stature: float) -> Pull:
    """The wrist stays by the bar: a hand's length from where it is held, toward the shoulder."""
    j = JOINTS.index("wrist")
    held = film.held_at(bar_xy)
    toward = p[:, JOINTS.index("shoulder")] - held
    length = np.maximum(np.linalg.norm(toward, axis=1, keepdims=True), 1.0)
    reach = np.minimum(HAND_SHARE * stature * film.mm, 0.4 * length)
    place = held + toward / length * reach
    # On a bent arm the hand points to the elbow, which may be anywhere.
    bent = np.clip((LONG_ARM * stature * film.mm / length[:, 0] - 1.0) / BENT_ARM, 0.0, 1.0)
    return Pull(j, place, np.hypot(HAND_SIGMA_MM, BENT_HAND_MM * bent) * film.mm)


def _head(p: FloatArray, firmly: FloatArray, stature_px: float, mm: float) -> Pull:
    """The ear is above the shoulder as the trunk goes on; weak, for where it is hidden."""
    hip, shoulder, ear = (JOINTS.index(n) for n in ("hip", "shoulder", "ear"))
    trunk = p[:, shoulder] - p[:, hip]
    length = np.maximum(np.linalg.norm(trunk, axis=1, keepdims=True), 1.0)
    place = p[:, shoulder] + trunk / length * SEGMENT_SHARE["shoulder", "ear"] * stature_px
    return Pull(ear, place, np.where(firmly[:, ear] == 0, HEAD_SD_MM * mm, np.inf))


def _elbow(p: FloatArray, xy: FloatArray, mm: float) -> Pull:
    """Where nothing was seen of it, the elbow is somewhere about the middle of the arm."""
    shoulder, elbow, wrist = (JOINTS.index(n) for n in ("shoulder", "elbow", "wrist"))
    unseen = ~np.isfinite(xy[:, elbow, 0])
    place = (p[:, shoulder] + p[:, wrist]) / 2.0
    return Pull(elbow, place, np.where(unseen, ELBOW_SD_MM * mm, np.inf))


def _hanging(p: FloatArray, film: Footage, bar_xy: FloatArray) -> BoolArray:
    """Frames (N,) on which the arms hang."""
    return np.asarray(bar_xy[:, 1] - p[:, JOINTS.index("shoulder"), 1] > HANGS_MM * film.mm)


def _racked(p: FloatArray, film: Footage, bar_xy: FloatArray) -> BoolArray:
    """Frames (N,) on which the bar rests on the shoulders before the neck."""
    ahead = 1.0 if film.side == "right" else -1.0
    off = (film.held_at(bar_xy) - p[:, JOINTS.index("shoulder")]) / film.mm
    on = (np.abs(off[:, 1]) < RACK_MM[1]) & (ahead * off[:, 0] > RACK_MM[0])
    # A bar that is pulled past is there as well, but does not stay.
    return np.asarray(binary_opening(on, np.ones(max(round(RACK_S * film.fps), 1), bool)))


def _rack(
    p: FloatArray, film: Footage, bar_xy: FloatArray, firmly: FloatArray, stature_mm: float, lo: int
) -> list[Pull]:
    """In the rack elbows are ahead of the shoulders, and these under the bar; the nets mostly see
    neither behind the disc.
    """
    j, share = JOINTS.index("elbow"), SEGMENT_SHARE["shoulder", "elbow"]
    ahead = 1.0 if film.side == "right" else -1.0
    arm = share * stature_mm * film.mm
    place = p[:, JOINTS.index("shoulder")] + arm * np.array([ahead * RACK_ARM[0], RACK_ARM[1]])
    on = _racked(p, film, bar_xy)
    elbow = Pull(j, place, np.where(on & (firmly[:, j] == 0), RACK_ELBOW_MM * film.mm, np.inf))
    j = JOINTS.index("shoulder")
    behind, below = RACK_SHOULDER_MM
    place = film.held_at(bar_xy) + film.mm * np.array([-ahead * behind, below])
    known = on & (firmly[:, j] == 0)
    sigma = np.where(known, RACK_SHOULDER_SD_MM * film.mm, np.inf)
    marked = shoulder_under(film.held_at(bar_xy), on, film.marks.get("shoulder", {}), lo)
    told = np.isfinite(marked[:, 0])
    place[told], sigma[told] = marked[told], RACKED_MM * film.mm
    return [elbow, Pull(j, place, np.hypot(sigma, COMES_MM * film.mm * _comes(on, film.fps)))]


def _comes(on: BoolArray, fps: float) -> FloatArray:
    """How near to frames (N,) on which the bar comes to the shoulders or leaves them, 1 there and
    0 from COMES_S on.
    """
    every, change = np.arange(len(on)), np.flatnonzero(np.diff(on.astype(int))) + 0.5
    if not len(change):
        return np.zeros(len(on))
    away = np.abs(every[:, None] - change).min(axis=1) / fps
    return np.asarray(np.maximum(1.0 - away / COMES_S, 0.0))


def _stay(start: FloatArray, smooth: Smooth, firmly: FloatArray, mm: float) -> list[Pull]:
    """Planted feet are where they are seen when the disc has left them, on a level floor."""
    made = []
    for name in FEET:
        j = JOINTS.index(name)
        near = np.where(_still(smooth, name, mm) & (firmly[:, j] == 0), STAY_MM * mm, np.inf)
        made.append(Pull(j, start[:, j], near))
    return made


def _level(start: FloatArray, smooth: Smooth, covered: BoolArray, mm: float) -> list[Line]:
    """Planted feet that the disc covers, shape (N, J), are as high as where they are seen: the
    floor is level, whatever the knees that are guessed above it say.
    """
    made = []
    for name in FEET:
        j = JOINTS.index(name)
        near = np.where(_still(smooth, name, mm) & covered[:, j], LEVEL_MM * mm, np.inf)
        up = np.tile([0.0, 1.0], (len(start), 1))
        made.append(Line(j, j, 0.0, up, start[:, j, 1], near))
    return made


def _stand(film: Footage, smooth: Smooth, lo: int) -> list[Pull]:
    """Planted feet that a coach marked are where the marks say."""
    return [
        stands_through(
            JOINTS.index(name), film.marks[name], _still(smooth, name, film.mm), lo, film.mm
        )
        for name in FEET
        if name in film.marks
    ]


def _still(smooth: Smooth, name: str, mm: float) -> BoolArray:
    """While a point of the foot is planted, shape (N,)."""
    return np.asarray(smooth.speed[:, JOINTS.index(name)] < FREE_M_S * 1000.0 * mm)


def _smooth(t: FloatArray, bar_xy: FloatArray, mm: float, split: bool) -> Smooth:
    """How joints may move; feet stay until just before the bar is fastest, and again later,
    unless they are split.
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
