"""What a joint may be off besides its noise: all the while, behind the disc, and between marks. The
errors were settled on films by two renderers, by causes that hold on others too.

Throughout a span of N frames: ``p`` are the joints, shape (N, J, 2), ``bar_xy`` is the bar's end,
(N, 2), both in pixels; ``told`` says whether a coach marked the joint anywhere.
"""

from __future__ import annotations

import numpy as np
from scipy.ndimage import label

from keenkettle.film.believed import FEET, deep_behind_disc
from keenkettle.film.footage import Footage
from keenkettle.film.fuse import Smooth
from keenkettle.film.posture import comes, hanging, racked_on, still, turning_over
from keenkettle.film.two_sides import drawn_error_mm
from keenkettle.film.with_marks import LEFT_MM, OTHER_LEFT_MM
from keenkettle.measure.calibration import UNKNOWN_YAW_DEG
from keenkettle.measure.geometry import BoolArray, FloatArray, included_deg
from keenkettle.measure.motion import JOINTS

BIAS_MM = {
    "elbow": 32.0, "wrist": 22.0, "heel": 11.0, "toe": 11.0, "ankle": 16.0, "knee": 16.0,
    "ear": 23.0, "shoulder": 16.0, "hip": 16.0,
}  # fmt: skip
NET_PX = 1.5  # nor is any net nearer than this on the picture, which tells on small bodies
#: A hip that the disc covers while the leg is straight, between marks; degrees beyond STRAIGHT_DEG.
HIP_STRAIGHT_MM, STRAIGHTENS_DEG = 22.0, 10.0
HIP_DEEP_LEFT_R = 0.31  # of an unmarked hip behind the disc's middle, of its radius
#: A hip behind the disc, and so many radii from its middle on a film from aside.
HIP_COVERED_MM, HIP_COVER, HIP_TURNED_MM, HIP_TURNED_COVER = 8.0, 1.2, 30.0, 1.8
TURNED_DEG = 6.0
#: Other joints that it covers, or whose limbs it does; so many radii from its middle. The nets put
#: them where the limb is last seen.
COVERED_MM = {"knee": 30.0, "ankle": 22.0, "heel": 24.0, "toe": 16.0}
COVERED_REACH = {"knee": 1.7, "ankle": 1.3, "heel": 1.3, "toe": 1.3}
COVERED_MARKED_MM = 7.0  # between marks
#: With the bar overhead, upper arms are before ears and about the shoulders. The disc covers hands:
#: nets put a wrist where the forearm is last seen, which on raised arms is not on the way to it.
OVERHEAD_MM = {"ear": 30.0, "shoulder": 18.0, "elbow": 35.0, "wrist": 30.0}
RACK_WRIST_MM = 35.0
#: Nets see a bent knee where the kneecap is; the knee's angle from which, and what it bends by.
BENT_KNEE_MM, STRAIGHT_DEG, BENT_BY_DEG = 16.0, 150.0, 60.0
#: What a mark tells fades as the body goes on to another pose: by bar travel, and how much it may
#: then be off, by films by two renderers.
MOVED_ON_MM = 400.0
MOVED_MM = {
    "ear": 34.0, "shoulder": 22.0, "elbow": 12.0, "wrist": 20.0, "hip": 8.0, "knee": 9.0,
    "ankle": 5.0, "heel": 6.0,
}  # fmt: skip
#: Elbows that turn over, the same; and about when the bar comes to the shoulders, when they do.
WHIPPED_ON_MM, WHIPPED_MM, WHIPS_MM = 120.0, 90.0, 150.0
RACKED_MM = 35.0  # in the rack, where a mark shows them in it
#: A head behind the disc, so many radii from its middle, may turn unseen.
HEAD_COVER, HEAD_TURNS_MM = 1.2, 60.0
LIFTED_MM, UNMARKED_S = 8.0, 0.1  # feet that may have left the floor, so far from a mark
HANGING_ELBOW_MM = 20.0  # of arms that hang
#: Arms fold as the bar is pulled past; from shoulder to wrist against straight ones, from which and
#: by how much more; share of the way from that line to the elbow that this may be off.
FOLDED, FOLDED_BY, FOLDED_SHARE = 0.85, 0.15, 0.45
STRAIGHT_QUANTILE = 0.95
HAND_SHARE = 0.27  # of the elbow's error: the hand points from the bar to it, a quarter of the way
RACK_LEFT_MM = 110.0  # of elbows in the rack


def between_marks(
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
        racked = racked_on(p, film, bar_xy)
        moved = np.where(racked, comes(racked, film.fps), moved)  # it goes with the bar
    left = MOVED_MM.get(name, 0.0) * mm * moved
    far = unmarked(film, name, span)
    away = np.linalg.norm(p[:, JOINTS.index(name)] - bar_xy, axis=1) / film.radius_px
    if name in COVERED_REACH:
        left = np.hypot(left, COVERED_MARKED_MM * mm * far * (away < COVERED_REACH[name]))
    if name == "hip":
        # On a straight leg a few millimetres along it are many across.
        legs = (p[:, JOINTS.index(n)] for n in ("ankle", "knee", "hip"))
        straight = np.clip((included_deg(*legs) - STRAIGHT_DEG) / STRAIGHTENS_DEG, 0.0, 1.0)
        left = np.hypot(left, HIP_STRAIGHT_MM * mm * far * straight * (away < HIP_COVER))
    if name == "ear":
        left = np.hypot(left, HEAD_TURNS_MM * mm * far * (away < HEAD_COVER))
    if name in ("elbow", "wrist"):
        racked = racked_on(p, film, bar_xy)
        folds = np.hypot(
            _folds(p, film, bar_xy), WHIPS_MM * mm * turning_over(racked, bar_xy, film.fps)
        )
        whipped = np.minimum(_moved_on(film, name, span) / (WHIPPED_ON_MM * mm), 1.0)
        if name == "elbow":
            there = _shared_with_a_mark(racked, film, name, span)
            most = np.where(there, RACKED_MM, WHIPPED_MM * ~hanging(p, film, bar_xy)) * mm
            left = np.hypot(left, whipped * np.hypot(most, folds))
        else:
            left = np.hypot(left, whipped * HAND_SHARE * folds)
    if name in FEET:
        left = np.hypot(left, LIFTED_MM * mm * far * ~still(smooth, name, mm))
    return np.asarray(left)


def unmarked(film: Footage, name: str, span: tuple[int, int]) -> FloatArray:
    """How far from a joint's next mark, in UNMARKED_S and at most 1, shape (N,)."""
    every = np.arange(span[0], span[1] + 1)
    away = np.abs(every[:, None] - np.array(sorted(film.marks[name]))).min(axis=1) / film.fps
    return np.asarray(np.minimum(away / UNMARKED_S, 1.0))


def _moved_on(film: Footage, name: str, span: tuple[int, int]) -> FloatArray:
    """How far the bar has gone since a joint's nearest mark, or goes until it, pixels (N,)."""
    every, marked = np.arange(span[0], span[1] + 1), np.array(sorted(film.marks[name]))
    nearest = marked[np.abs(every[:, None] - marked).argmin(axis=1)]
    return np.asarray(np.linalg.norm(film.bar_xy[every] - film.bar_xy[nearest], axis=1))


def all_the_while(
    name: str, p: FloatArray, bar_xy: FloatArray, film: Footage, told: bool
) -> FloatArray:
    """What a joint may be off all the while, whatever is seen of it, pixels (N,)."""
    if told:
        left = LEFT_MM.get(name, OTHER_LEFT_MM) * np.ones(len(p))
    else:
        parts = [BIAS_MM[name], NET_PX / film.mm, drawn_error_mm(film, name)]
        left = float(np.linalg.norm(parts)) * np.ones(len(p))
    if name == "elbow" and not told:
        left[hanging(p, film, bar_xy)] = HANGING_ELBOW_MM
        left[racked_on(p, film, bar_xy)] = RACK_LEFT_MM
        left = np.hypot(left, _folds(p, film, bar_xy) / film.mm)
    away = np.linalg.norm(p[:, JOINTS.index(name)] - bar_xy, axis=1) / film.radius_px
    if name in OVERHEAD_MM and not told:
        over = p[:, JOINTS.index("wrist"), 1] < p[:, JOINTS.index("ear"), 1]
        left = np.hypot(left, OVERHEAD_MM[name] * over)
    if name == "wrist" and not told:
        left = np.hypot(left, RACK_WRIST_MM * racked_on(p, film, bar_xy))
        left = np.hypot(left, HAND_SHARE * _folds(p, film, bar_xy) / film.mm)
    if name == "knee" and not told:
        legs = (p[:, JOINTS.index(n)] for n in ("ankle", "knee", "hip"))
        bent = np.clip((STRAIGHT_DEG - included_deg(*legs)) / BENT_BY_DEG, 0.0, 1.0)
        left = np.hypot(left, BENT_KNEE_MM * bent)
    if name in COVERED_MM and not told:
        left = np.hypot(left, COVERED_MM[name] * (away < COVERED_REACH[name]))
    if name == "hip":
        left = np.hypot(left, HIP_COVERED_MM * (away < HIP_COVER))
        if not told:
            deep = deep_behind_disc(p, bar_xy, film)
            left = np.hypot(left, HIP_DEEP_LEFT_R * film.disc_mm / 2.0 * deep)
        turned = film.far is not None and _turn_deg(film) > TURNED_DEG
        left = np.hypot(left, HIP_TURNED_MM * (turned & (away < HIP_TURNED_COVER)))
    return np.asarray(left * film.mm)


def _shared_with_a_mark(
    while_: BoolArray, film: Footage, name: str, span: tuple[int, int]
) -> BoolArray:
    """Frames (N,) of runs of ``while_`` in which a joint is marked."""
    runs, _ = label(while_)
    marked = [n - span[0] for n in film.marks[name] if span[0] <= n <= span[1]]
    return np.asarray(while_ & np.isin(runs, runs[marked]))


def _folds(p: FloatArray, film: Footage, bar_xy: FloatArray) -> FloatArray:
    """What an elbow may be off while the arms fold on the way up, pixels (N,): the same reach is to
    be had with it behind, beside and, once it has turned over, before the bar.
    """
    arm = p[:, JOINTS.index("wrist")] - p[:, JOINTS.index("shoulder")]
    reach = np.linalg.norm(arm, axis=1)
    straight = float(np.quantile(reach, STRAIGHT_QUANTILE))
    folded = np.clip((FOLDED - reach / straight) / FOLDED_BY, 0.0, 1.0)
    off = 0.5 * np.sqrt(np.maximum(straight**2 - reach**2, 0.0))
    below = (arm[:, 1] > 0.0) & ~racked_on(p, film, bar_xy)
    return np.asarray(FOLDED_SHARE * off * folded * below)


def _turn_deg(film: Footage) -> float:
    """How far the camera is turned from side-on, degrees; as usual where nothing tells."""
    return UNKNOWN_YAW_DEG if film.far is None else abs(film.far.yaw_deg(1.0 / film.mm)[0])
