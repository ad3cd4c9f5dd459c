"""Joints without clicking: what the nets see, fused with what is known of a lifter.

The pictures on which the bar moves are looked at; on some the legs cannot be, and those are looked
at anew. Each span of them is then solved as a whole (``whole_body``).
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Generator, Iterable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import ExitStack
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label, maximum_filter1d

from keenkettle.film.ahead import Ahead
from keenkettle.film.body_size import body_in_discs
from keenkettle.film.clip import Clip
from keenkettle.film.facing import facing_of
from keenkettle.film.far_disc import FarDisc, turned_by
from keenkettle.film.footage import Footage, Look
from keenkettle.film.front import is_wide, sides_of
from keenkettle.film.no_disc import hide_disc
from keenkettle.film.outline import pack
from keenkettle.film.passing import PassWatch
from keenkettle.film.plausible import Marks
from keenkettle.film.pose_net import (
    SIDES,
    Crop,
    Landmarks,
    PoseNet,
)
from keenkettle.film.posture import HANGS_MM
from keenkettle.film.second_look import Doubt, look_again
from keenkettle.film.split import fuse_legs, nothing, split_of, until_recovered
from keenkettle.film.steady import look_against_room, marks_against_room, moved_by
from keenkettle.film.view import SOUND_YAW_DEG
from keenkettle.film.whole_body import LEAST_FRAMES
from keenkettle.measure.calibration import JOINT_DEPTH_MM, PLATE_MM
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JOINTS, BarTrack, JointTrack

MARGIN_S = 0.6  # looked at before and after the bar moves
MOVES_SHARE = 0.06  # bar speed that counts as moving, disc diameters a frame at 60 fps
SLOW_SHARE, STILL_SHARE = 0.4, 0.004  # of the film's own fastest; of the disc, a frame at 60 fps
FASTEST_FPS = 62.0  # more frames a second than this are not all looked at
#: Where the bar is no faster so long to both sides every second will do, not of fewer a second.
CALM_M_S, CALM_S, CALM_EVERY, CALM_FPS = 0.8, 0.2, 2, 45.0
COUNTED, LEAST_CROWDED = 8, 2  # frames on which people are counted; that tell of two
AT_ONCE = 6  # pictures that wait for the nets: one on which people are counted takes several times
LEAST_BARE = 3  # pictures that tell whether a part of the body was followed
ENOUGH = LEAST_FRAMES  # that tell a front view from one of the side
RESET_S = 0.1  # after so long a time that was not looked at the person is looked for anew
EARS, SHOULDERS, HIPS = [7, 8], [11, 12], [23, 24]  # landmarks
ON_HEAD, TALL, MOSTLY = 0.35, 1.5, 0.6  # diameters of the disc, twice; of the pictures
ON_TRUNK, BESIDE_TRUNK, STAYS = 0.5, 0.15, 0.05  # trunks along it, beside it; how it may move
NEARLY_ALL = 0.85
USUAL_MM = 1720.0  # of a lifter whose stature is not known
LEAST_TURN_DEG, CLEAR_SHARE = 5.0, 0.5  # a turn whose sign is asked for; of the shift expected


class FrontViewError(Exception):
    """The film is from the front or from behind: a side's joints cannot be found on it."""


@dataclass(frozen=True)
class Found:
    """Tracks by joint, whether somebody else of like size is in the picture, and which part of the
    body was followed as the bar's disc, "head" or "trunk", mostly none. ``sides`` are those of both
    sides, where the camera is turned so far that they show. ``far`` is the far disc, as it shows or
    as the hands tell that it stands. On frames ``passed`` somebody walks past before the body.
    """

    joints: dict[str, JointTrack]
    crowd: bool
    mistaken: str = ""
    far: FarDisc | None = None
    in_discs: float | None = None
    sides: dict[str, JointTrack] = field(default_factory=dict)
    passed: NDArray[np.intp] = field(default_factory=lambda: np.zeros(0, np.intp))


def moving_spans(bar: BarTrack, fps: float, plate_px: float) -> list[tuple[int, int]]:
    """Frames, from and to, in which the bar moves, with a margin; joined where they touch, and
    parted where the film is cut: a body need not stand after it as it stood before.
    """
    step = max(round(fps / 20.0), 1)
    moved = np.linalg.norm(bar.xy_px[step:] - bar.xy_px[:-step], axis=1) * (fps / 60.0) / step
    # Slow lifts move as well: by their own speed, as long as it is more than standing still.
    fastest = float(np.quantile(moved, 0.98)) if len(moved) else 0.0
    least = np.clip(SLOW_SHARE * fastest, STILL_SHARE * plate_px, 0.5 * MOVES_SHARE * plate_px)
    # A heavy bar leaves the floor slowly; what leads to the fast part and follows it belongs there.
    runs, _ = label(moved > STILL_SHARE * plate_px)
    busy = np.flatnonzero(np.isin(runs, runs[moved > least]))
    margin = round(MARGIN_S * fps)
    spans: list[tuple[int, int]] = []
    for i in busy:
        lo, hi = max(int(i) - margin, 0), min(int(i) + step + margin, len(bar.xy_px) - 1)
        if spans and lo <= spans[-1][1] + 1:
            spans[-1] = (spans[-1][0], max(hi, spans[-1][1]))
        else:
            spans.append((lo, hi))
    parts: list[tuple[int, int]] = []
    for lo, hi in spans:
        within = [c for c in bar.cuts if lo < c <= hi]
        parts += zip([lo, *within], [*(c - 1 for c in within), hi], strict=True)
    return [s for s in parts if s[1] - s[0] >= LEAST_FRAMES]


def _calm(bar_mm: FloatArray, fps: float) -> NDArray[np.bool_]:
    """Frames (N,) about which the bar is slow for a while: then so is the athlete."""
    speed = np.linalg.norm(np.diff(bar_mm, axis=0, prepend=bar_mm[:1]), axis=1) * fps / 1000.0
    return np.asarray(maximum_filter1d(speed, 2 * round(CALM_S * fps) + 1) < CALM_M_S)


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
    far: FarDisc | None = None,
    disc_mm: float = PLATE_MM,
    turn_deg: tuple[float, float] = (0.0, 0.0),
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
        far: the disc on the bar's far end, where it shows.
        disc_mm: what of ``plate_px`` is the diameter, a disc or bell, mm.
        turn_deg: turn of the camera by the near disc's shape, without its sign, and its error.

    Returns:
        Tracks of shape (frames, 2) by joint, NaN where nothing was looked at; none where
        nobody was found. And what else was seen: another person, a part of the body, the far disc.

    Raises:
        NoNetError: the nets cannot run here.
        FrontViewError: the film is from the front or from behind.
    """
    fps = clip.info.fps_nominal
    mm = plate_px / disc_mm
    drift = np.zeros_like(bar.xy_px) if bar.drift_px is None else bar.drift_px
    spans = moving_spans(replace(bar, xy_px=bar.steady_px), fps, PLATE_MM * mm)
    every = max(round(fps / FASTEST_FPS), 1)
    calm = _calm(bar.steady_px / mm, fps)
    wanted = [
        n
        for lo, hi in spans
        for n in range(lo, hi + 1)
        if (n - lo) % (every * (CALM_EVERY if calm[n] and fps / every > CALM_FPS else 1)) == 0
    ]
    nets = PoseNet(), PoseNet()
    # Beside the disc, which is nearer, a body is a little smaller; the limits leave room for that.
    body_px = (stature_mm or USUAL_MM) * mm
    passing = PassWatch((clip.info.width, clip.info.height), bar.xy_px, plate_px / 2.0)
    look = _look(nets, clip, wanted, bar, plate_px / 2.0, body_px, progress, side_on, passing)
    if look.mistaken:
        return Found({}, look.crowd, mistaken=look.mistaken)
    if len(look.frames) < LEAST_FRAMES:
        return Found(dict(flow or {}), look.crowd, far=far)
    hidden = passing.hidden(look, body_px, fps, drift)
    look = look.of(~hidden[look.frames])
    side = facing or facing_of(look, _bar_s_middle(bar.xy_px[look.frames], far), body_px)
    doubt = Doubt(side, PLATE_MM * mm, body_px)
    look = look_again(nets, clip, look, doubt, bar.xy_px, plate_px / 2.0)
    split = split_of(look, bar.xy_px[look.frames], side, body_px)
    if split is not None:
        spans = until_recovered(spans, look, split, fps, clip.info.frames)
        every *= CALM_EVERY if fps / every > CALM_FPS else 1
        wanted = _between(spans, look, every)
        later = _look(nets, clip, wanted, bar, plate_px / 2.0, body_px, None, True)
        look = look.and_later(later)
        split = split_of(look, bar.xy_px[look.frames], side, body_px)
    # A turn told by the near disc's shape is too rough for what lies across.
    yaw = 0.0 if far is None else abs(far.yaw_deg(1.0 / mm)[0])
    sides = _sides(look, clip.info.frames) if yaw > SOUND_YAW_DEG else {}
    if far is None and turn_deg[0] > LEAST_TURN_DEG:
        far = _by_hands(look, side, bar, mm, turn_deg)
    out = {name: nothing(clip.info.frames) for name in JOINTS}
    film = Footage(
        times_s=clip.times_s,
        fps=fps,
        bar_xy=bar.steady_px,
        centre_px=np.array([(clip.info.width - 1) / 2.0, (clip.info.height - 1) / 2.0]),
        mm=mm,
        disc_mm=disc_mm,
        side=side,
        stature_mm=stature_mm,
        far=far,
        marks=marks_against_room(marks or {}, drift),
        flow=moved_by(flow or {}, -drift),
        passed=hidden,
    )
    in_discs = body_in_discs(look, film)
    look = look_against_room(look, drift)
    for span in spans:
        fuse_legs(film, look, split, span, out)
    out = moved_by(out, drift)
    _fill(out, flow or {})
    joints = {n: t for n, t in out.items() if np.isfinite(t.xy_px).any()}
    return Found(
        joints, look.crowd, far=far, in_discs=in_discs, sides=sides, passed=np.flatnonzero(hidden)
    )


def _between(spans: list[tuple[int, int]], look: Look, every: int) -> list[int]:
    """Frames of the spans, so far apart, after those that were looked at."""
    out: list[int] = []
    for lo, hi in spans:
        had = look.frames[(look.frames >= lo) & (look.frames <= hi)]
        gaps = np.flatnonzero(np.diff([*had, hi]) > 2 * every)
        for k in gaps:
            until = had[k + 1] if k + 1 < len(had) else hi + 1
            out += range(int(had[k]) + every, int(until), every)
    return out


def _fill(out: dict[str, JointTrack], flow: dict[str, JointTrack]) -> None:
    """What was carried between marks stands where nothing was solved for, in place."""
    for name, track in flow.items():
        if name not in out:
            out[name] = track
            continue
        bare = ~np.isfinite(out[name].xy_px[:, 0])
        out[name].xy_px[bare] = track.xy_px[bare]
        out[name].sigma_px[bare] = track.sigma_px[bare]


def _sides(look: Look, count: int) -> dict[str, JointTrack]:
    """Both sides' joints on a film from aside, as the nets saw them."""
    xy = np.full((count, *look.xy.shape[1:]), np.nan)
    xy[look.frames] = look.xy
    return sides_of(xy)


def _by_hands(
    look: Look, side: str, bar: BarTrack, mm: float, turn_deg: tuple[float, float]
) -> FarDisc | None:
    """Which way a turned camera looks: the near hand holds the bar beside and behind its end.

    Args:
        look: what the nets saw.
        side: the way the athlete faces.
        bar: the bar end's track.
        mm: pixels per millimetre.
        turn_deg: the turn's size and its error.
    """
    wrist, shoulder = (look.xy[:, SIDES[side][n]] for n in ("wrist", "shoulder"))
    bar_xy = bar.xy_px[look.frames]
    hangs = bar_xy[:, 1] - shoulder[:, 1] > HANGS_MM * mm
    if hangs.sum() < LEAST_FRAMES:
        return None
    aside = float(np.nanmedian((wrist - bar_xy)[hangs, 0]))
    expected = float(np.sin(np.radians(turn_deg[0]))) * JOINT_DEPTH_MM["wrist"] * mm
    if not abs(aside) > CLEAR_SHARE * expected:
        return None
    return turned_by(float(np.copysign(turn_deg[0], aside)), turn_deg[1], mm)


def is_head(looks: list[Landmarks], bar_xy: FloatArray, plate_px: float) -> bool:
    """Whether what was followed stays where the head is: a head is round as well.

    Bodies are then tall against it; nets that see nothing but the disc make up a small one.

    Args:
        looks: what the nets saw on K pictures with the disc on them.
        bar_xy: bar end on the same pictures, shape (K, 2).
        plate_px: disc diameter.
    """
    xy = np.array([found.xy for found in looks])
    off = np.linalg.norm(xy[:, EARS].mean(axis=1) - bar_xy, axis=1)
    trunk = np.linalg.norm(xy[:, HIPS].mean(axis=1) - xy[:, SHOULDERS].mean(axis=1), axis=1)
    there = (off < ON_HEAD * plate_px) & (trunk > TALL * plate_px)
    return bool(np.mean(there) > MOSTLY)


def is_trunk(looks: list[Landmarks], bar_xy: FloatArray) -> bool:
    """Whether what was followed stays on the trunk of somebody filmed from the front: seen between
    its shoulders, arms and hips it may look round.

    Args:
        looks: what the nets saw on K pictures with the disc on them.
        bar_xy: bar end on the same pictures, shape (K, 2).
    """
    xy = np.array([found.xy for found in looks])
    top = xy[:, SHOULDERS].mean(axis=1)
    down = xy[:, HIPS].mean(axis=1) - top
    long = np.maximum(np.linalg.norm(down, axis=1), 1.0)
    off = bar_xy - top
    along = (off * down).sum(axis=1) / long**2
    beside = np.abs(off[:, 0] * down[:, 1] - off[:, 1] * down[:, 0]) / long**2
    there = (np.abs(along - 0.5) < ON_TRUNK) & (beside < BESIDE_TRUNK)
    # The disc of somebody who squats goes with the trunk as well, but not so closely.
    stays = float(np.median(np.abs(along - np.median(along)))) < STAYS
    return bool(np.mean(there) > NEARLY_ALL) and stays and is_wide(xy)


def _look(
    nets: tuple[PoseNet, ...],
    clip: Clip,
    wanted: list[int],
    bar: BarTrack,
    radius_px: float,
    body_px: float,
    progress: Callable[[int, int], None] | None,
    side_on: bool,
    passing: PassWatch | None = None,
) -> Look:
    frames, points, seen, outlines = [], [], [], []
    crops: list[Crop] = []
    counted = set(wanted[:: max(len(wanted) // COUNTED, 1)])
    crowded = 0
    bare: dict[int, Landmarks] = {}  # with the disc on the picture
    pictures = Ahead(_pictures(clip, wanted, counted, bar, radius_px, passing))
    reads = _read(nets, pictures, bar.xy_px, body_px, RESET_S * clip.info.fps_nominal)
    try:
        for k, read in enumerate(reads):
            crowded += read.people > 1
            if read.bare is not None:
                bare[read.frame] = read.bare
            found = read.found
            if found is not None:
                frames.append(read.frame)
                points.append(found.xy)
                seen.append(found.seen)
                outlines.append(pack(found.mask, found.matrix))
                crops.append(found.next_crop)
                if len(points) == ENOUGH and not side_on and is_wide(np.array(points)):
                    raise FrontViewError
            if progress:
                progress(k + 1, len(wanted))
    finally:
        pictures.stop()
        reads.close()
    crowd = crowded >= LEAST_CROWDED
    mistaken = ""
    if len(bare) >= LEAST_BARE:
        looks, ends = list(bare.values()), bar.xy_px[list(bare)]
        head = is_head(looks, ends, 2.0 * radius_px)
        mistaken = "head" if head else "trunk" if is_trunk(looks, ends) else ""
    numbers = np.array(frames, np.int64)
    return Look(numbers, np.array(points), np.array(seen), outlines, crowd, mistaken, crops)


#: A frame's number, its picture with the disc painted over, and as it is, where people are counted.
Picture = tuple[int, NDArray[np.uint8], NDArray[np.uint8] | None]


@dataclass(frozen=True)
class _Read:
    """What a net saw on a frame: somebody, how many people, and somebody with the disc on it."""

    frame: int
    found: Landmarks | None
    people: int
    bare: Landmarks | None


def _read(
    nets: tuple[PoseNet, ...],
    pictures: Iterable[Picture],
    bar_xy: FloatArray,
    body_px: float,
    away: float,
) -> Generator[_Read, None, None]:
    """What the nets see on pictures, in order. They take turns, each in a thread of its own and
    with its own crop that carries over, so that as many pictures are read at once; all begin anew
    after more than ``away`` frames without a picture.
    """

    def read(net: PoseNet, picture: Picture) -> _Read:
        n, rgb, with_disc = picture
        x, y = bar_xy[n].tolist()
        people, bare = 0, None
        if with_disc is not None:
            people = net.count(with_disc)
            crop = net.detect(with_disc, (x, y))
            bare = None if crop is None else net.read(with_disc, crop)
        return _Read(n, net.find(rgb, (x, y), body_px), people, bare)

    begun: deque[Future[_Read]] = deque()
    last, turn, counts = -np.inf, 0, 0
    with ExitStack() as stack:
        threads = [stack.enter_context(ThreadPoolExecutor(1)) for _ in nets]
        for picture in pictures:
            if len(begun) == AT_ONCE:
                yield begun.popleft().result()
            if picture[0] - last > away:
                wait(begun)
                for net in nets:
                    net.begin()
            last = picture[0]
            turn += 1
            if picture[2] is not None:
                turn = counts = counts + 1  # counting takes long, so it goes round as well
            which = turn % len(nets)
            begun.append(threads[which].submit(read, nets[which], picture))
        while begun:
            yield begun.popleft().result()


def _pictures(
    clip: Clip,
    wanted: list[int],
    counted: set[int],
    bar: BarTrack,
    radius_px: float,
    passing: PassWatch | None,
) -> Generator[Picture, None, None]:
    """Frames in order, the disc painted over; and as they are, where people are counted."""
    for n, rgb in clip.rgbs(wanted):
        if passing is not None:
            passing.add(n, rgb)
        with_disc = rgb.copy() if n in counted else None
        x, y = bar.xy_px[n].tolist()
        hide_disc(rgb, x, y, radius_px)
        yield n, rgb, with_disc


def _bar_s_middle(bar_xy: FloatArray, far: FarDisc | None) -> FloatArray:
    """The bar between its ends (K, 2): a turned camera shows the near end beside the body."""
    return bar_xy if far is None else bar_xy + np.array([0.5 * far.aside_px, 0.0])
