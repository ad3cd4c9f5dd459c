"""Review a clip from the front or from behind: bar, elbows, feet and knees of both sides.

What is measured across the athlete's facing is not judged here, and says so.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from scipy.ndimage import median_filter

from keenkettle.coach.guess import guess_lift
from keenkettle.coach.judge import judge
from keenkettle.coach.lifts import Lift, find_lift
from keenkettle.coach.reviewed import (
    RepReview,
    Request,
    Review,
    Tracked,
    lift_kind,
    shifted,
    true_times,
)
from keenkettle.film.clip import Clip
from keenkettle.film.disc import DiscNotFoundError
from keenkettle.film.front import find_front, from_front, with_marks
from keenkettle.film.pose_net import NoNetError, PoseNet
from keenkettle.film.rim import Ring
from keenkettle.film.view import roll_of
from keenkettle.measure.calibration import Calibration
from keenkettle.measure.events import RepSpan
from keenkettle.measure.front import Ending, front_events, measure_front
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.kinds import Kind, events_of, measures_of, reps_of
from keenkettle.measure.motion import BarTrack, JointTrack, Motion, make_motion
from keenkettle.measure.segments import SEGMENT_SHARE, STATURE_MM, STATURE_SD_MM
from keenkettle.measure.sheet import RepContext

Progress = Callable[[str, float], None]
#: Ankle to shoulder of somebody who stands, shares of stature.
STANDING = sum(
    SEGMENT_SHARE[pair] for pair in (("ankle", "knee"), ("knee", "hip"), ("hip", "shoulder"))
)
STANDING_QUANTILE = 0.97
ANKLE_SHARE = 0.039  # ankle above the floor, share of stature (Drillis & Contini 1966)
SCALE_ERROR = 0.03  # of the net's idea of ankles and shoulders
LENS = 0.78  # focal length of a phone's main camera on film, shares of the longer side: 26 to 30 mm
HANDS_MEDIAN = 9  # frames; the net confuses hands and face for some of them
OVERHEAD = ("snatch", "jerk", "press")
RECEIVED = ("catch", "lockout")
LOCKED = ("press", "muscle")  # lifts that end so are locked out, and nothing is caught
FROM_SIDE = "needs a side view"
NOBODY = (
    "nobody was found in {name} from the front; film the whole body against a plain wall, "
    "or from the side"
)


def has_sides(joints: dict[str, JointTrack]) -> bool:
    """Whether tracks are of both sides of somebody, from the front or from aside."""
    return "left_shoulder" in joints


def is_front(joints: dict[str, JointTrack]) -> bool:
    """Whether tracks are of both sides of somebody filmed from the front."""
    return has_sides(joints) and "shoulder" not in joints


def looks_from_front(clip: Clip) -> bool:
    """Whether a clip seems to be filmed from the front; False where the nets cannot run."""
    try:
        return from_front(clip, PoseNet())
    except NoNetError:
        return False


def review_front(clip: Clip, request: Request, tell: Progress) -> Review:
    """Follow both sides through a clip and judge what a front view shows.

    Raises:
        DiscNotFoundError: nobody was found.
        NoNetError: the nets cannot run on this machine.
    """
    tell("looking for both sides", 0.0)
    joints = find_front(
        clip, PoseNet(), lambda done, of: tell("following both sides", 0.98 * done / of)
    )
    if not joints:
        raise DiscNotFoundError(NOBODY.format(name=clip.path.name))
    joints = with_marks(joints, request.marks, clip.info.fps_nominal)
    mm_per_px, _ = _scale(joints, request.reference.stature_mm)
    bar = _hands(joints)
    x, y = (float(v) for v in bar.xy_px[0])
    ring = Ring(x, y, request.plate_mm / 2.0 / mm_per_px, 1.0)
    gray = clip.gray(0)
    tracked = Tracked(clip.info, clip.times_s, ring, 0.1, False, bar, roll_of([gray]))
    review = judge_front(request, tracked, joints)
    tell("done", 1.0)
    return review


def judge_front(request: Request, tracked: Tracked, joints: dict[str, JointTrack]) -> Review:
    """Everything after the pictures, as ``review.judge_tracks`` does it for a side view.

    Args:
        request: what is known; a reference stature sets the scale.
        tracked: the hands as the bar, pixels.
        joints: both sides' joints by name, each (N, 2), pixels.

    Raises:
        TrackError: fewer than five frames, or time does not increase.
    """
    times, scale = true_times(tracked, request.capture_fps)
    mm_per_px, error = _scale(joints, request.reference.stature_mm)
    roll = np.radians(0.0 if tracked.roll is None else tracked.roll.deg)
    calibration = Calibration(
        mm_per_px=mm_per_px,
        plate_px=2.0 * tracked.ring.r,
        plate_mm=request.plate_mm,
        source="given",
        vertical_px=(float(np.sin(roll)), -float(np.cos(roll))),
        scale_error=error,
        floor_y_px=_floor(joints, mm_per_px, request.reference.stature_mm),
    )
    motion = _motion(times, tracked.bar, joints, calibration)
    kind = Kind.PULL if request.lift is None else lift_kind(find_lift(request.lift))
    spans = reps_of(kind, motion)
    lift = find_lift(request.lift or guess_lift(motion, spans))
    warnings = [tracked.info.warning] if tracked.info.warning else []
    warnings.append(
        "filmed from the front: the bar's slope, elbows, feet and knees are judged; "
        "film from the side for the path and the joints"
    )
    if not spans:
        warnings.append("nothing is lifted in this clip")
    camera_mm = LENS * max(tracked.info.width, tracked.info.height) * mm_per_px
    reps = tuple(
        _rep(i + 1, span, motion, lift, request, camera_mm) for i, span in enumerate(spans)
    )
    return Review(
        tracked.info, times, scale, calibration, tracked.ring, "right", lift,
        "given" if request.lift else "guessed", tracked.bar, joints, motion, reps,
        tuple(warnings),
    )  # fmt: skip


def ending_of(lift: Lift) -> Ending:
    """How a lift ends, as far as both sides are judged by it."""
    locked = lift_kind(lift) in (Kind.OVERHEAD, Kind.LOW_OVERHEAD) or lift.ends in LOCKED
    received = lift.caught or locked
    overhead = received and lift.family in OVERHEAD
    return Ending(received, overhead, lift.caught, lift.ends == "split-catch")


def _rep(
    number: int, span: RepSpan, motion: Motion, lift: Lift, request: Request, camera_mm: float
) -> RepReview:
    kind = lift_kind(lift)
    said = request.events.get(number, {})
    span = replace(span, lift_off=said.get("lift_off", span.lift_off))
    origin = motion.bar[span.lift_off]
    own = shifted(motion, origin)
    plain = replace(own, joints={})
    events = events_of(kind, plain, span, lift.caught)
    ending = ending_of(lift)
    if kind is not Kind.DESCENT:
        rough = front_events(plain, span.lift_off, span.end)
        events = dict.fromkeys(events)
        has = [n for n in rough if n in events and (ending.received or n not in RECEIVED)]
        events |= {name: rough[name] for name in has}
    events |= {name: i for name, i in said.items() if name in events and i < len(plain.t_s)}
    ctx = RepContext(plain, span, events, lift.family, None, lift.start, lift.implement)
    metrics = {
        name: replace(m, value=None, why=FROM_SIDE) for name, m in measures_of(kind, ctx).items()
    }
    metrics |= measure_front(own, events, span.lift_off, span.end, ending, camera_mm)
    verdict = judge(lift, metrics, events, request.reference, view="front")
    return RepReview(number, span, events, metrics, verdict, motion, origin)


def _motion(
    times: FloatArray, bar: BarTrack, joints: dict[str, JointTrack], calibration: Calibration
) -> Motion:
    """The hands as the bar, smoothed; the joints as they were found, all in one plane."""
    motion = make_motion(times, bar, {}, calibration, "right")
    origin = bar.xy_px[0]
    own = {n: calibration.to_mm(j.xy_px, origin, "right") for n, j in joints.items()}
    sigmas = {n: j.sigma_px * calibration.mm_per_px for n, j in joints.items()}
    return replace(motion, joints=own, joint_sigma=sigmas)


def _hands(joints: dict[str, JointTrack]) -> BarTrack:
    """Halfway between the wrists, bridged where nobody was seen; as high as the bar is where that
    is told, and elsewhere as far from the hands as before and after.
    """
    left, right = joints["left_wrist"], joints["right_wrist"]
    middle = (left.xy_px + right.xy_px) / 2.0
    seen = np.isfinite(middle[:, 0])
    if "bar_left" in joints:
        a, b = joints["bar_left"].xy_px, joints["bar_right"].xy_px
        share = (middle[:, 0] - a[:, 0]) / (b[:, 0] - a[:, 0])
        high = a[:, 1] + share * (b[:, 1] - a[:, 1])
        told = np.flatnonzero(np.isfinite(high - middle[:, 1]))
        middle[:, 1] += np.interp(np.arange(len(high)), told, (high - middle[:, 1])[told])
    frames = np.arange(len(middle))
    xy = np.stack([np.interp(frames, frames[seen], middle[seen, i]) for i in (0, 1)], -1)
    xy = median_filter(xy, (HANDS_MEDIAN, 1), mode="nearest")
    sigma = float(np.nanmedian(left.sigma_px)) / float(np.sqrt(2.0))
    return BarTrack(xy, seen.astype(float), sigma)


def _floor(joints: dict[str, JointTrack], mm_per_px: float, stature_mm: float | None) -> float:
    """Picture row of the floor: below the ankles, where those stand most of the time."""
    ankles = np.concatenate([joints[f"{s}_ankle"].xy_px[:, 1] for s in ("left", "right")])
    return float(np.nanmedian(ankles)) + ANKLE_SHARE * (stature_mm or STATURE_MM) / mm_per_px


def _scale(joints: dict[str, JointTrack], stature_mm: float | None) -> tuple[float, float]:
    """Millimetres per pixel from the athlete who stands tall, and its relative error."""
    sides = ("left", "right")
    top = np.mean([joints[f"{s}_shoulder"].xy_px[:, 1] for s in sides], axis=0)
    low = np.mean([joints[f"{s}_ankle"].xy_px[:, 1] for s in sides], axis=0)
    tall = max(float(np.nanquantile(low - top, STANDING_QUANTILE)), 20.0)
    unsure = 0.0 if stature_mm else STATURE_SD_MM / STATURE_MM
    return STANDING * (stature_mm or STATURE_MM) / tall, float(np.hypot(SCALE_ERROR, unsure))
