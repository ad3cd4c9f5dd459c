"""Review a clip: file > tracks > calibration > motion > events > metrics > findings.

The command line and the film bench both run this, and nothing else.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from keenkettle.coach.bar import Progress, track_bar
from keenkettle.coach.calibrate import calibrate
from keenkettle.coach.front import is_front, judge_front, looks_from_front, review_front
from keenkettle.coach.guess import guess, guess_facing
from keenkettle.coach.hands import side_difference
from keenkettle.coach.judge import Verdict, joined, judge
from keenkettle.coach.lifts import Lift, find_lift
from keenkettle.coach.oblique import measures_from_aside, without_sides
from keenkettle.coach.reviewed import Filmed as Filmed
from keenkettle.coach.reviewed import RepReview as RepReview
from keenkettle.coach.reviewed import Request as Request
from keenkettle.coach.reviewed import Review as Review
from keenkettle.coach.reviewed import Tracked as Tracked
from keenkettle.coach.reviewed import lift_kind, shifted, true_times
from keenkettle.film.auto_joints import FrontViewError, find_joints
from keenkettle.film.body_size import BodySize, size_by
from keenkettle.film.clip import Clip
from keenkettle.film.disc import DiscNotFoundError
from keenkettle.film.dots import find_dots
from keenkettle.film.ends import Ends
from keenkettle.film.follow import BarLostError
from keenkettle.film.front import with_marks
from keenkettle.film.heap import give_back_pictures
from keenkettle.film.joints import follow_joints
from keenkettle.film.pose_net import NoNetError, available
from keenkettle.film.view import SOUND_YAW_DEG, turn_of, view_says, yaw_of
from keenkettle.measure.calibration import (
    PLATE_MM,
    Calibration,
    check_diameter,
)
from keenkettle.measure.events import Events, RepSpan
from keenkettle.measure.floor import bar_above_floor_mm
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.gravity import Slowed, how_slowed
from keenkettle.measure.kinds import Kind, events_of, measures_of, reps_of
from keenkettle.measure.motion import SEEN, BarTrack, JointTrack, Motion, make_motion
from keenkettle.measure.parallax import CameraPlace, camera_from_hand, placed
from keenkettle.measure.sheet import Measures, RepContext

DISC_ON_FLOOR = ("floor",)
ONE_HAND = ("dumbbell", "kettlebell")
MIN_FPS = 24.0


OTHER_SIZE = (
    "what looked most like a disc in {name} makes the person beside it {times:.1f} times as tall "
    "as people are; click the middle of the bar's disc and its rim"
)
NO_DOTS = "no tape dots were found on the joints; what else was seen is used"
CROWD = (
    "somebody else of like size is in the picture; the one at the bar that was found is measured, "
    "so click the other's disc for the other, and film one at a time where they cross"
)


PASSES = (
    "somebody walks past in front of the athlete from {first:.1f} to {last:.1f} s; where the body "
    "was meanwhile is worked out from before and after, so mark joints there or film again"
)
MISTAKEN = (
    "what looked most like a disc in {name} is the athlete's {part}; "
    "click the middle of the disc or bell and its rim"
)


class CancelledError(Exception):
    """The person asked to stop."""


ROUGH_ROLL_DEG = 1.0
LEVEL = (
    "nothing upright in the room tells how the camera is rolled, so distances forward are rough; "
    "have a door frame, a post or a rack in view"
)
TURNED = (
    "nothing on the film tells how far the camera is turned from the side view, so distances "
    "between body and bar are rough; film at right angles to the bar, with both discs in view"
)
FACE_SEEN, FACE_ASPECT = 0.85, 0.66  # turned by no more than 48 degrees
#: Mean share of the rim in sight. On ten films from the side in poor light it is 0.73 or more; what
#: passes for a disc from the front has 0.68 at most.
FACE_CLEAR = 0.7
WIDEST = 1.08  # a disc is wider than tall only for a camera that looks down on it, 22 degrees here


def review_clip(
    request: Request,
    progress: Progress | None = None,
    early: Callable[[Review], None] | None = None,
) -> Review:
    """Review a clip from the file to the findings.

    Args:
        request: what is known.
        early: called with what the bar alone says, when the first lift is followed and again when
            all of it is, where joints are still to be looked for.
        progress: called with a word for the stage and the share done, 0 to 1; it may
            raise CancelledError to stop.

    Raises:
        ClipError: the file cannot be read.
        DiscNotFoundError, BarLostError: no disc could be found or followed.
        CalibrationError, TrackError, UnknownLiftError: what was given cannot be used.
        NoNetError: a front view was asked for, and the nets cannot run on this machine.
    """
    give_back_pictures()
    tell = progress or (lambda _stage, _share: None)
    if request.lift is not None:
        find_lift(request.lift)  # a wrong id is said before the long work
    if request.known is None:
        check_diameter(request.plate_mm)
    ends = Ends(request.ends, request.clip) if request.ends else None

    def bar_alone(tracked: Tracked) -> None:
        if early is not None:
            review = judge_tracks(replace(request, marks={}), tracked, {})
            early(replace(review, warnings=()))  # what is to be said is said of the whole

    before = bar_alone if early is not None and (request.marks or request.auto) else None
    with Clip(request.clip, ends) as clip:
        beside = None if request.view == "front" else _from_beside(clip, request, tell, before)
        if beside is None:
            return review_front(clip, request, tell)
    request, tracked, joints, says = beside
    review = judge_tracks(request, replace(tracked, says=tuple(says)), joints)
    tell("done", 1.0)
    return review


def _from_beside(
    clip: Clip, request: Request, tell: Progress, early: Callable[[Tracked], None] | None
) -> tuple[Request, Tracked, dict[str, JointTrack], list[str]] | None:
    """What was asked with what the film adds to it, the bar, the joints, and what is to be said;
    None where the film is from the front.

    That is looked for only after this: what was decoded for the bar is then let go.
    """
    try:
        tracked = track_bar(clip, request, tell, early)
    except (DiscNotFoundError, BarLostError):
        # From the front the discs are seen on edge.
        if request.view is None and request.auto and looks_from_front(clip):
            return None
        raise
    joints: dict[str, JointTrack] = {}
    says = [CROWD] if tracked.another else []
    if request.marks:
        joints = follow_joints(
            clip,
            request.marks,
            tracked.bar,
            2.0 * tracked.ring.r,
            lambda done, of: tell("following the joints", 0.7 + 0.28 * done / of),
            hold=not (request.auto and available()),
        )
    if request.auto:
        clip.let_go(rough=True)
        try:
            tracked, joints, said = _auto_joints(clip, request, tracked, joints, tell)
            says += said
        except FrontViewError:
            return None
    if request.dots:
        request, joints, said = _by_dots(clip, request, tracked, joints, tell)
        says += said
    return request, tracked, joints, says


def _auto_joints(
    clip: Clip,
    request: Request,
    tracked: Tracked,
    flow: dict[str, JointTrack],
    tell: Progress,
) -> tuple[Tracked, dict[str, JointTrack], list[str]]:
    """Joints by the nets, what they tell of the camera, and what is to be said where they cannot
    help.
    """
    from_side = request.view == "side" or shows_face(tracked)
    size_mm = request.plate_mm if request.known is None else PLATE_MM
    try:
        found = find_joints(
            clip,
            tracked.bar,
            2.0 * tracked.ring.r,
            request.reference.stature_mm,
            request.facing,
            request.marks,
            flow,
            lambda done, of: tell("finding the joints", 0.5 + 0.48 * done / of),
            from_side,
            tracked.far,
            size_mm,
            yaw_of(tracked.ring, tracked.radius_sigma),
        )
    except NoNetError as err:
        return tracked, flow, [str(err)]
    if found.mistaken and request.bar is None:
        if found.mistaken == "trunk" and request.view is None:
            raise FrontViewError
        raise DiscNotFoundError(MISTAKEN.format(name=clip.path.name, part=found.mistaken))
    if not found.joints and not from_side and looks_from_front(clip):
        raise FrontViewError
    if not found.joints:
        return tracked, flow, ["no person was found beside the bar; mark the joints by hand"]
    tracked = replace(tracked, far=found.far, in_discs=found.in_discs)
    size = _body(request, tracked)
    if size is not None and size.impossible and request.bar is None:
        raise DiscNotFoundError(OTHER_SIZE.format(name=clip.path.name, times=size.times))
    sides = with_marks(found.sides, request.marks, clip.info.fps_nominal)
    passed = clip.times_s[found.passed]
    says = [PASSES.format(first=passed[0], last=passed[-1])] if len(passed) else []
    if found.crowd and not (tracked.another or says):
        says.append(CROWD)
    return tracked, found.joints | sides, says


def _body(request: Request, tracked: Tracked) -> BodySize | None:
    """The body's size by the disc, where both tell it and the disc is the scale."""
    if tracked.in_discs is None or request.known is not None:
        return None
    return size_by(tracked.in_discs, request.plate_mm, request.reference.stature_mm)


def _own_joints(
    request: Request, tracked: Tracked, joints: dict[str, JointTrack], warnings: list[str]
) -> dict[str, JointTrack]:
    """The joints, without those of somebody else; a body that does not fit the disc is said.

    A coach's marks tell whose joints are meant.
    """
    size = _body(request, tracked)
    if size is None or not size.unlike or (size.times < 1.0 and request.marks):
        return joints
    warnings.append(size.says(request.plate_mm))
    return joints if size.times > 1.0 else {}


def shows_face(tracked: Tracked) -> bool:
    """Whether the disc shows its face all film long, so that the film must be from the side.

    From the front discs are seen on edge; what is taken for one there is poor or does not last.
    A body behind a disc may look to the nets as if it stood the other way.
    """
    quality = tracked.bar.quality
    lasts = float((quality >= SEEN).mean()) >= FACE_SEEN and float(quality.mean()) >= FACE_CLEAR
    return lasts and FACE_ASPECT <= tracked.ring.aspect <= WIDEST


def _by_dots(
    clip: Clip,
    request: Request,
    tracked: Tracked,
    rough: dict[str, JointTrack],
    tell: Progress,
) -> tuple[Request, dict[str, JointTrack], list[str]]:
    """Joints by their tape dots, which count as marks; a coach's own marks stand."""
    plate = 2.0 * tracked.ring.r
    clip.let_go()  # dots are small, and want whole pictures again
    found = find_dots(
        clip, rough, tracked.bar, plate, lambda done, of: tell("finding the dots", done / of)
    )
    if not found:
        return request, rough, [NO_DOTS]
    marks = {n: found.get(n, {}) | request.marks.get(n, {}) for n in {*found, *request.marks}}
    joints = follow_joints(clip, marks, tracked.bar, plate)
    return replace(request, marks=marks), rough | joints, []


def judge_tracks(request: Request, tracked: Tracked, joints: dict[str, JointTrack]) -> Review:
    """Everything after the pictures: motion, reps, events, metrics, findings."""
    if is_front(joints):
        return judge_front(request, tracked, joints)
    warnings = [tracked.info.warning] if tracked.info.warning else []
    every = _own_joints(request, tracked, joints, warnings)
    joints = without_sides(every)
    times, scale = true_times(tracked, request.capture_fps)
    calibration = calibrate(request, tracked)
    facing = request.facing or guess_facing(joints, tracked.bar)
    told = request.facing is not None or bool(joints)
    if not told:
        warnings.append("which way the athlete faces was guessed; say so if it is wrong")
    slowed = None if request.capture_fps else _slowed(tracked, calibration, times)
    if slowed is not None:
        scale = 1.0 / slowed.times
        times = times * scale
        warnings.append(
            f"the file looks slowed {slowed.times:.1f} times (give or take "
            f"{slowed.sigma:.1f}): the dropped bar falls {slowed.fall_m:.1f} m at a constant rate; "
            "times are scaled by that; say the true frames a second if it is wrong"
        )
    motion = make_motion(times, tracked.bar, joints, calibration, facing, told)
    lift, spans = _lifted(motion, request)
    spans = _uncut(spans, tracked.bar.cuts, warnings)
    if "wrist" in request.marks and "wrist" in joints and request.camera_m is None and spans:
        distance = _camera_from_hand(tracked.bar, joints, spans, motion, calibration, request)
        if distance is None and tracked.far is None:
            warnings.append(
                "how far away the camera stood is not known and taken as usual, so joints carry a "
                "wider error; give its distance"
            )
        elif distance is not None:
            calibration = placed(calibration, distance)
            motion = make_motion(times, tracked.bar, joints, calibration, facing, told)
            lift, spans = _lifted(motion, request)
            spans = _uncut(spans, tracked.bar.cuts, warnings)
    if spans:
        begin = spans[0].lift_off
        stands = calibration.plate_px and lift.start in DISC_ON_FLOOR
        above = calibration.plate_mm / 2.0 if stands else bar_above_floor_mm(motion, begin)
        if above is not None:
            floor = float(tracked.bar.xy_px[begin, 1]) + above / calibration.mm_per_px
            calibration = replace(calibration, floor_y_px=floor)
    at_capture = replace(tracked.info, fps_nominal=tracked.info.fps_nominal / scale)
    turn = turn_of(tracked.ring, tracked.radius_sigma, tracked.far, calibration.mm_per_px)
    warnings += view_says(tracked.ring, tracked.bar, at_capture, turn)
    if calibration.vertical_sigma > np.radians(ROUGH_ROLL_DEG):
        warnings.append(LEVEL)
    if joints and calibration.side_sigma_px_per_mm is None:
        warnings.append(TURNED)
    if not spans:
        warnings.append("nothing is lifted in this clip")
    low = float((tracked.bar.quality < 0.5).mean())
    if low > 0.05:
        warnings.append(f"the disc was hidden on {low:.0%} of the frames; those are bridged")
    reps = tuple(
        _review_rep(i + 1, span, motion, lift, calibration, request, warnings)
        for i, span in enumerate(spans)
    )
    if abs(turn[0]) > SOUND_YAW_DEG:
        reps = tuple(
            _from_aside(
                rep,
                lift,
                request,
                measures_from_aside(
                    rep, lift, tracked, calibration, turn, every, request.reference.stature_mm
                ),
            )
            for rep in reps
        )
    if request.hands and lift.implement in ONE_HAND:
        reps = _with_sides(reps, lift, request)
    return Review(
        tracked.info,
        times,
        scale,
        calibration,
        tracked.ring,
        facing,
        lift,
        "given" if request.lift else "guessed",
        tracked.bar,
        every,
        motion,
        reps,
        tuple(dict.fromkeys([*warnings, *tracked.says])),
        tracked.far,
        tracked.far_end,
        tracked.in_discs,
        tracked.says,
    )


def _lifted(motion: Motion, request: Request) -> tuple[Lift, list[RepSpan]]:
    """The lift asked for, or else guessed, and its reps."""
    if request.lift:
        lift = find_lift(request.lift)
        return lift, reps_of(lift_kind(lift), motion)
    name, spans = guess(motion)
    return find_lift(name), spans


def _uncut(spans: list[RepSpan], cuts: tuple[int, ...], warnings: list[str]) -> list[RepSpan]:
    """The reps that no cut of the film goes through; what is cut is said."""
    if not cuts:
        return spans
    where = ", ".join(map(str, cuts[:3])) + (" and more" if len(cuts) > 3 else "")
    warnings.append(
        f"the film is cut at frame {where}: a lift across a cut is left out, and the scale may be "
        "another after it; split the film there for the rest"
    )
    return [s for s in spans if not any(s.lift_off < c <= s.end for c in cuts)]


def _slowed(tracked: Tracked, calibration: Calibration, times: FloatArray) -> Slowed | None:
    """How much the file is slowed, where a dropped bar shows it on frames that were seen."""
    seen = tracked.bar.quality >= SEEN
    if seen.sum() < 20:
        return None
    y_m = -tracked.bar.xy_px[seen, 1] * calibration.mm_per_px / 1000.0
    return how_slowed(y_m, times[seen])


def _camera_from_hand(
    bar: BarTrack,
    joints: dict[str, JointTrack],
    spans: list[RepSpan],
    motion: Motion,
    calibration: Calibration,
    request: Request,
) -> CameraPlace | None:
    """From lift-off to the fastest point the arms hang, so the hand keeps its place."""
    if "wrist" not in joints:
        return None
    pulls = []
    for span in spans:
        top = span.lift_off + int(np.argmax(motion.bar_v[span.lift_off : span.end + 1, 1]))
        pulls.append(np.arange(span.lift_off, max(top - 1, span.lift_off + 1)))
    pull = np.concatenate(pulls)
    wrist = joints["wrist"]
    clicks = int(np.isin(list(request.marks["wrist"]), pull).sum())
    shoulder = joints["shoulder"].xy_px[pull] if "shoulder" in joints else None
    return camera_from_hand(
        bar.xy_px[pull],
        wrist.xy_px[pull],
        wrist.sigma_px[pull],
        calibration.mm_per_px,
        shoulder,
        clicks,
    )


def _review_rep(
    number: int,
    span: RepSpan,
    motion: Motion,
    lift: Lift,
    calibration: Calibration,
    request: Request,
    warnings: list[str],
) -> RepReview:
    kind = lift_kind(lift)
    said = request.events.get(number, {})
    span = replace(span, lift_off=said.get("lift_off", span.lift_off))
    origin = motion.bar[span.lift_off]
    own = shifted(motion, origin)
    events = events_of(kind, own, span, lift.caught)
    events |= {name: i for name, i in said.items() if name in events and i < len(own.t_s)}
    on_disc = lift.start in DISC_ON_FLOOR and lift.implement == "barbell"
    floor = request.plate_mm / 2.0 if on_disc else None
    ctx = RepContext(own, span, events, lift.family, floor, lift.start, lift.implement)
    metrics = measures_of(kind, ctx)
    if 1.0 / motion.spacing_s < MIN_FPS:
        slow = "frame rate is too low to time it"
        timed = ("turnover_time", "flight_time", "feet_hands_gap", "heel_rise_lead")
        for name in metrics.keys() & set(timed):
            metrics[name] = replace(metrics[name], value=None, why=slow)
    verdict = _judged(lift, metrics, events, request, "ankle_rear" in own.joints)
    return RepReview(number, span, events, metrics, verdict, motion, origin)


def _from_aside(rep: RepReview, lift: Lift, request: Request, metrics: Measures) -> RepReview:
    verdict = _judged(lift, metrics, rep.events, request, "ankle_rear" in rep.motion.joints)
    return replace(rep, metrics=metrics, verdict=verdict)


def _with_sides(reps: tuple[RepReview, ...], lift: Lift, request: Request) -> tuple[RepReview, ...]:
    """Reps judged again with what one hand does better than the other."""
    found = side_difference([r.metrics for r in reps], request.hands)
    out = []
    for rep in reps:
        metrics = rep.metrics | {"side_difference": replace(found, at=rep.span.lift_off)}
        verdict = _judged(lift, metrics, rep.events, request, False)
        out.append(replace(rep, metrics=metrics, verdict=verdict))
    return tuple(out)


def _judged(
    lift: Lift, metrics: Measures, events: Events, request: Request, split: bool
) -> Verdict:
    """A clean and jerk is judged as both of its parts."""
    verdict = judge(lift, metrics, events, request.reference)
    if lift_kind(lift) is not Kind.CLEAN_AND_JERK:
        return verdict
    jerk = find_lift("split-jerk" if split else "power-jerk")
    return joined(verdict, judge(jerk, metrics, events, request.reference))
