"""Joints without clicking: what the nets see, fused with what is known of a lifter.

The disc pulls the net's hidden joints toward it and the net does not know. We do: the disc is
tracked, so its cover is known in every frame, and what lies behind it is told by limb lengths,
planted feet, the hand on the bar and smooth motion instead. The errors below were settled on a
few films of our own simulator, by causes that hold on others too.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from keenkettle.film.clip import Clip
from keenkettle.film.front import is_wide
from keenkettle.film.fuse import Limb, Pull, Seen, Smooth, fuse
from keenkettle.film.plausible import Marks
from keenkettle.film.pose_net import LEAST_PRESENCE, SIDES, Crop, PoseNet
from keenkettle.film.with_marks import LEFT_MM, with_marks
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JOINTS, BarTrack, JointTrack
from keenkettle.measure.segments import SEGMENT_SHARE, STATURE_MM, STATURE_SD_MM

COVER = 1.10  # a joint this near the disc's middle, in radii, is behind it
#: How the net's points jump about from frame to frame; what is wrong all film long is BIAS_MM.
SEEN_MM = {"elbow": 45.0, "wrist": 55.0, "heel": 27.0, "toe": 30.0, "ear": 18.0}
OTHER_SEEN_MM = 18.0
HIDDEN_MM = 320.0  # the net's error behind the disc, where it is pulled toward it
UNSURE_SHARE = 3.0  # errors grow up to this many times as the net's own visibility falls
BIAS_MM = {
    "elbow": 55.0, "wrist": 40.0, "heel": 35.0, "toe": 30.0, "ankle": 32.0, "knee": 34.0,
    "ear": 28.0,
}  # fmt: skip
OTHER_BIAS_MM = 24.0  # the net's idea of a joint differs from ours by about this, all film long
HAND_MM, HAND_SIGMA_MM = 65.0, 35.0  # wrist from the bar, toward the elbow
LIMB_SD = {"trunk": 0.05, "arm": 0.12, "other": 0.045}
ARMS = (("shoulder", "elbow"), ("elbow", "wrist"))
ACCEL = {"ankle": 9.0, "heel": 12.0, "toe": 9.0, "elbow": 45.0, "wrist": 45.0}  # m/s2
OTHER_ACCEL = 30.0
PLANTED_M_S, FREE_M_S = 0.06, 5.0
FEET = ("ankle", "heel", "toe")
MARGIN_S = 0.6  # looked at before and after the bar moves
MOVES_SHARE = 0.06  # bar speed that counts as moving, disc diameters a frame at 60 fps
FASTEST_FPS = 62.0  # more frames a second than this are not all looked at
LEAST_FRAMES = 12
COUNTED, LEAST_CROWDED = 8, 2  # frames on which people are counted; that tell of two
ENOUGH = LEAST_FRAMES  # that tell a front view from one of the side
CLEAR_OF_FEET_MM = 330.0  # the disc has left the feet when it is this much higher than at rest
SHAKY_KNEE_MM = 110.0
PASSES = 2
BLIND_MM, BLIND_S = 150.0, 0.12  # hip and knee where nothing of the legs was believed
RESET_FRAMES = 4  # after so many frames that were not looked at the person is looked for anew
TURNED_SHARE = 0.12  # of the disc's diameter, before legs count as bent the wrong way
LARGER = 1.25
ODD_SHARE = 0.30  # a length this far off the body's cannot be right
ODD_TIMES = 5.0
DEPTH_SHARE = 0.90  # 0.6 m behind the disc's face, camera some 6 m away
KNOWN_SD_MM = 50.0
LENGTH_QUANTILE = 0.7  # on film a limb is only ever shortened
FLOOR_QUANTILE = 0.7  # feet behind the disc are guessed too high, toward it
STAY_MM = 45.0
SEGMENT_STATURE_SD_MM = 110.0  # stature from one segment: ratio's spread and the net's bias
RIGID = (("ankle", "knee"), ("knee", "hip"), ("hip", "shoulder"))
DOUBTED = {
    ("ankle", "knee"): ("ankle", "heel", "toe", "knee"),
    ("knee", "hip"): ("knee",),
    ("hip", "shoulder"): ("hip", "shoulder"),
}


class FrontViewError(Exception):
    """The film is from the front or from behind: a side's joints cannot be found on it."""


@dataclass(frozen=True)
class _Look:
    """What the net saw on frames (K,): ``xy`` (K, 33, 2), ``seen`` (K, 33)."""

    frames: NDArray[np.int64]
    xy: FloatArray
    seen: FloatArray
    crowd: bool = False


@dataclass(frozen=True)
class Found:
    """Tracks by joint, and whether somebody else of like size is in the picture."""

    joints: dict[str, JointTrack]
    crowd: bool


def moving_spans(bar: BarTrack, fps: float, plate_px: float) -> list[tuple[int, int]]:
    """Frames, from and to, in which the bar moves, with a margin; joined where they touch."""
    step = max(round(fps / 20.0), 1)
    moved = np.linalg.norm(bar.xy_px[step:] - bar.xy_px[:-step], axis=1) * (fps / 60.0) / step
    busy = np.flatnonzero(moved > MOVES_SHARE * plate_px * 0.5)
    margin = round(MARGIN_S * fps)
    spans: list[tuple[int, int]] = []
    for i in busy:
        lo, hi = max(int(i) - margin, 0), min(int(i) + step + margin, len(bar.xy_px) - 1)
        if spans and lo <= spans[-1][1] + 1:
            spans[-1] = (spans[-1][0], max(hi, spans[-1][1]))
        else:
            spans.append((lo, hi))
    return [s for s in spans if s[1] - s[0] >= LEAST_FRAMES]


def find_joints(
    clip: Clip,
    bar: BarTrack,
    plate_px: float,
    stature_mm: float | None = None,
    facing: str | None = None,
    marks: Marks | None = None,
    flow: dict[str, JointTrack] | None = None,
    progress: Callable[[int, int], None] | None = None,
    side_on: bool = False,
) -> Found:
    """Find the joints of the camera's side wherever the bar moves.

    Args:
        clip: the film.
        bar: the bar end's track.
        plate_px: disc diameter, pixels.
        stature_mm: the athlete's, where known.
        facing: "left" or "right", where known.
        marks: a coach's marks; they outweigh the nets.
        flow: joints carried between those marks by what the picture shows.
        progress: called with frames done and all.
        side_on: whether it is known that the film is from the side.

    Returns:
        Tracks of shape (frames, 2) by joint, NaN where nothing was looked at; none where
        nobody was found. And whether somebody else is in view.

    Raises:
        NoNetError: the nets cannot run here.
        FrontViewError: the film is from the front or from behind.
    """
    fps = clip.info.fps_nominal
    spans = moving_spans(bar, fps, plate_px)
    every = max(round(fps / FASTEST_FPS), 1)
    wanted = [n for lo, hi in spans for n in range(lo, hi + 1) if (n - lo) % every == 0]
    mm = plate_px / 450.0
    net = PoseNet()
    look = _look(net, clip, wanted, bar, progress, side_on)
    if len(look.frames) < LEAST_FRAMES:
        return Found(dict(flow or {}), look.crowd)
    side = facing or _facing(look)
    look = _look_again(net, clip, look, side, bar, plate_px)
    out = {
        name: JointTrack(np.full((clip.info.frames, 2), np.nan),
                         np.full(clip.info.frames, np.inf))
        for name in JOINTS
    }  # fmt: skip
    for span in spans:
        _fuse_span(clip, span, look, side, bar, mm, stature_mm, marks or {}, flow or {}, out)
    for name, track in (flow or {}).items():
        if name not in out:
            out[name] = track
            continue
        bare = ~np.isfinite(out[name].xy_px[:, 0])
        out[name].xy_px[bare] = track.xy_px[bare]
        out[name].sigma_px[bare] = track.sigma_px[bare]
    return Found({n: t for n, t in out.items() if np.isfinite(t.xy_px).any()}, look.crowd)


def _look(
    net: PoseNet,
    clip: Clip,
    wanted: list[int],
    bar: BarTrack,
    progress: Callable[[int, int], None] | None,
    side_on: bool,
) -> _Look:
    frames, points, seen = [], [], []
    counted = set(wanted[:: max(len(wanted) // COUNTED, 1)])
    crowded, last = 0, -10
    for k, (n, rgb) in enumerate(clip.rgbs(wanted)):
        if n - last > RESET_FRAMES:
            net.crop = None
        last = n
        crowded += n in counted and net.count(rgb) > 1
        found = net.find(rgb, (float(bar.xy_px[n, 0]), float(bar.xy_px[n, 1])))
        if found is not None:
            frames.append(n)
            points.append(found.xy)
            seen.append(found.seen)
            if len(points) == ENOUGH and not side_on and is_wide(np.array(points)):
                raise FrontViewError
        if progress:
            progress(k + 1, len(wanted))
    crowd = crowded >= LEAST_CROWDED
    return _Look(np.array(frames, np.int64), np.array(points), np.array(seen), crowd)


def _odd(xy: FloatArray, stature_px: float) -> dict[tuple[str, str], NDArray[np.bool_]]:
    """Frames (K,) on which a leg's or the trunk's length cannot be this body's.

    Args:
        xy: joints on each frame, shape (K, J, 2).
        stature_px: the body's stature at the disc's scale.
    """
    out = {}
    for a, b in RIGID:
        length = np.linalg.norm(xy[:, JOINTS.index(a)] - xy[:, JOINTS.index(b)], axis=1)
        share = length / (SEGMENT_SHARE[a, b] * stature_px)
        with np.errstate(invalid="ignore"):
            out[a, b] = ~(np.abs(share - 1.0) <= ODD_SHARE)
    return out


def _turned(xy: FloatArray, side: str, bar_xy: FloatArray, plate_px: float) -> NDArray[np.bool_]:
    """Bodies (K,) whose legs cannot be: bent the wrong way, or hips ahead of a hanging bar.

    Args:
        xy: landmarks, shape (K, 33, 2).
        side: the way the athlete faces.
        bar_xy: bar end on the same frames, shape (K, 2).
        plate_px: disc diameter.
    """
    index, ahead = SIDES[side], 1.0 if side == "right" else -1.0
    hip, knee, shoulder = (xy[:, index[n]] for n in ("hip", "knee", "shoulder"))
    wrong = ahead * (knee[:, 0] - hip[:, 0]) < -TURNED_SHARE * plate_px
    hanging = bar_xy[:, 1] > shoulder[:, 1] + 0.5 * plate_px
    wrong |= hanging & (ahead * (hip[:, 0] - bar_xy[:, 0]) > TURNED_SHARE * plate_px)
    return np.asarray(wrong)


def _look_again(
    net: PoseNet, clip: Clip, look: _Look, side: str, bar: BarTrack, plate_px: float
) -> _Look:
    """Frames on which the legs cannot be: look with other crops, drop what stays wrong."""
    xy, seen = look.xy.copy(), look.seen.copy()
    turned = _turned(xy, side, bar.xy_px[look.frames], plate_px)
    again = [int(n) for n in look.frames[turned]]
    keep = np.ones(len(look.frames), bool)
    for n, rgb in clip.rgbs(again):
        k = int(np.flatnonzero(look.frames == n)[0])
        near = bar.xy_px[n]
        crops = [c for c in (net.detect(rgb, (float(near[0]), float(near[1]))),) if c is not None]
        crops += [Crop(c.x, c.y, c.side * LARGER, c.turn) for c in crops]
        keep[k] = False
        for crop in crops:
            found = net.read(rgb, crop)
            fine = not _turned(found.xy[None], side, near[None], plate_px)[0]
            if fine and found.presence >= LEAST_PRESENCE:
                xy[k], seen[k], keep[k] = found.xy, found.seen, True
                break
    # The upper body was seen all the same; only the legs' place is not believed.
    legs = [i for s in SIDES.values() for n, i in s.items() if n in ("hip", "knee", *FEET)]
    for row in np.flatnonzero(~keep):
        xy[row, legs] = np.nan
    return replace(look, xy=xy, seen=seen)


def _facing(look: _Look) -> str:
    """The feet and the face tell: toes ahead of heels, nose ahead of ears."""
    toe = look.xy[:, [31, 32], 0].mean(1) - look.xy[:, [29, 30], 0].mean(1)
    nose = look.xy[:, 0, 0] - look.xy[:, [7, 8], 0].mean(1)
    return "right" if np.median(np.sign(toe) + np.sign(nose)) >= 0 else "left"


def _scale_of(xy: FloatArray, mm: float, stature_mm: float | None) -> float:
    """Stature, mm at the disc's scale: the athlete's own, else from limbs that can be.

    The body stands behind the disc's face and so looks a little smaller.
    """
    known = STATURE_MM if stature_mm is None else stature_mm
    known_sd = STATURE_SD_MM if stature_mm is None else KNOWN_SD_MM
    odd = _odd(xy, DEPTH_SHARE * known * mm)
    top, weight = DEPTH_SHARE * known / known_sd**2, 1.0 / known_sd**2
    for (a, b), strange in odd.items():
        if (~strange).sum() < LEAST_FRAMES:
            continue
        ends = xy[~strange][:, [JOINTS.index(a), JOINTS.index(b)]]
        length = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1) / mm
        whole = float(np.quantile(length, LENGTH_QUANTILE)) / SEGMENT_SHARE[a, b]
        top += whole / SEGMENT_STATURE_SD_MM**2
        weight += 1.0 / SEGMENT_STATURE_SD_MM**2
    return top / weight


def _fuse_span(
    clip: Clip,
    span: tuple[int, int],
    look: _Look,
    side: str,
    bar: BarTrack,
    mm: float,
    stature_mm: float | None,
    marks: Marks,
    flow: dict[str, JointTrack],
    out: dict[str, JointTrack],
) -> None:
    lo, hi = span
    here = (look.frames >= lo) & (look.frames <= hi)
    if here.sum() < LEAST_FRAMES:
        return
    n, joints = hi - lo + 1, len(JOINTS)
    at = look.frames[here] - lo
    bar_xy = bar.xy_px[lo : hi + 1]
    radius = COVER * 225.0 * mm
    xy, sigma = np.full((n, joints, 2), np.nan), np.full((n, joints), np.inf)
    for j, name in enumerate(JOINTS):
        k = int(SIDES[side][name])
        xy[at, j] = look.xy[here, k]
        doubt = 1.0 + (UNSURE_SHARE - 1.0) * (1.0 - look.seen[here, k])
        own = SEEN_MM.get(name, OTHER_SEEN_MM) * mm * doubt
        hidden = np.linalg.norm(xy[at, j] - bar_xy[at], axis=1) < radius
        sigma[at, j] = np.where(hidden, HIDDEN_MM * mm, own)
        sigma[~np.isfinite(xy[:, j, 0]), j] = np.inf
    stature = _scale_of(xy[at], mm, stature_mm)
    hidden = np.linalg.norm(np.nan_to_num(xy) - bar_xy[:, None], axis=-1) < radius
    marked = with_marks(xy, sigma, hidden, marks, flow, span, bar_xy, clip.info.fps_nominal, mm)
    xy, sigma, firmly = marked.xy, marked.sigma, marked.firm
    told = np.array([len(marks.get(name, {})) > 0 for name in JOINTS])
    trusted = np.where(told[None], 1.0, firmly)
    odd = _doubt_odd(xy, sigma, trusted, at, stature * mm)
    start = _start(xy, odd, sigma, bar_xy, mm)
    blind = _blind(xy[:, JOINTS.index("hip"), 0], at, clip.info.fps_nominal)
    smooth = _smooth(clip, span, bar, mm, joints)
    known = {(limb.a, limb.b) for limb in marked.limbs}
    limbs = marked.limbs + [x for x in _limbs(stature, mm) if (x.a, x.b) not in known]
    p, error = start, sigma
    # What the disc hides is known only once the joints are: so twice, from the first answer.
    for _ in range(PASSES):
        doubted = _doubt_hidden(p, bar_xy, sigma, trusted, mm)
        pulls = (marked.pulls or _hand(p, bar_xy, mm)) + _stay(start, smooth, trusted, mm)
        p, error = fuse(Seen(xy, doubted, firmly), limbs, pulls, smooth, p)
    for j, name in enumerate(JOINTS):
        bias = BIAS_MM.get(name, OTHER_BIAS_MM) * mm * np.ones(n)
        if name in ("hip", "knee"):
            bias = np.hypot(bias, BLIND_MM * mm * blind)
        out[name].xy_px[lo : hi + 1] = p[:, j]
        own = error[:, j] * (marked.looks if told[j] else 1.0)
        out[name].sigma_px[lo : hi + 1] = np.hypot(own, LEFT_MM * mm if told[j] else bias)


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


def _doubt_odd(
    xy: FloatArray, sigma: FloatArray, firmly: FloatArray, at: NDArray[np.int64], stature_px: float
) -> NDArray[np.bool_]:
    """Errors where a limb came out with a length it cannot have; ``sigma`` is changed in place.

    Returns:
        Where that is so, shape (N, J).
    """
    odd = np.zeros(sigma.shape, bool)
    for (a, b), strange in _odd(xy[at], stature_px).items():
        for name in DOUBTED[a, b]:
            j = JOINTS.index(name)
            odd[at[strange & (firmly[at, j] == 0)], j] = True
    sigma[odd] *= ODD_TIMES
    return odd


def _doubt_hidden(
    p: FloatArray, bar_xy: FloatArray, sigma: FloatArray, firmly: FloatArray, mm: float
) -> FloatArray:
    """Errors of what was seen, where the disc is now thought to cover the joint itself."""
    hidden = np.linalg.norm(p - bar_xy[:, None], axis=-1) < COVER * 225.0 * mm
    ankle, knee = JOINTS.index("ankle"), JOINTS.index("knee")
    feet = [JOINTS.index(f) for f in FEET]
    # With its ankle covered the whole lower leg is guessed, and the guess is drawn to the disc.
    hidden[:, feet] |= hidden[:, [ankle]]
    out = np.where(hidden & (firmly == 0), np.maximum(sigma, HIDDEN_MM * mm), sigma)
    shaky = hidden[:, ankle] & (firmly[:, knee] == 0)
    out[shaky, knee] = np.maximum(out[shaky, knee], SHAKY_KNEE_MM * mm)
    return np.asarray(out)


def _start(
    xy: FloatArray, odd: NDArray[np.bool_], sigma: FloatArray, bar_xy: FloatArray, mm: float
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
        open_ = good & (sigma[:, j] < 0.6 * HIDDEN_MM * mm)
        if name in FEET and (open_ & clear).sum() >= LEAST_FRAMES:
            good = open_ & clear
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


def _hand(start: FloatArray, bar_xy: FloatArray, mm: float) -> list[Pull]:
    """The wrist stays by the bar: a hand's length from it toward the shoulder, roughly."""
    j = JOINTS.index("wrist")
    toward = start[:, JOINTS.index("shoulder")] - bar_xy
    length = np.maximum(np.linalg.norm(toward, axis=1, keepdims=True), 1.0)
    reach = np.minimum(HAND_MM * mm, 0.4 * length)
    place = bar_xy + toward / length * reach
    return [Pull(j, place, np.full(len(bar_xy), HAND_SIGMA_MM * mm))]


def _stay(start: FloatArray, smooth: Smooth, firmly: FloatArray, mm: float) -> list[Pull]:
    """Planted feet are where they are seen when the disc has left them, on a level floor."""
    made = []
    for name in FEET:
        j = JOINTS.index(name)
        still = smooth.speed[:, j] < FREE_M_S * 1000.0 * mm
        near = np.where(still & (firmly[:, j] == 0), STAY_MM * mm, np.inf)
        made.append(Pull(j, start[:, j], near))
    return made


def _smooth(clip: Clip, span: tuple[int, int], bar: BarTrack, mm: float, joints: int) -> Smooth:
    """How joints may move; feet stay until just before the bar is fastest, and again later."""
    lo, hi = span
    t = clip.times_s[lo : hi + 1]
    dt = float(np.median(np.diff(t)))
    v = -np.gradient(bar.xy_px[lo : hi + 1, 1], t)
    fast = t[int(np.argmax(v))]
    accel = np.array([ACCEL.get(n, OTHER_ACCEL) * 1000.0 * mm for n in JOINTS])
    speed = np.full((len(t), joints), FREE_M_S * 1000.0 * mm)
    for name in FEET:
        j = JOINTS.index(name)
        early = 0.04 if name == "toe" else 0.14
        still = (t < fast - early) | (t > fast + 0.75)
        speed[still, j] = PLANTED_M_S * 1000.0 * mm
    return Smooth(dt, accel, speed)
