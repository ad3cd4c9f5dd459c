"""What a joint is drawn to where little or nothing is seen of it: the bar it holds, the shoulder
below it, the floor it stands on; and what it is kept clear of, the bar that passes it.

Throughout a span of N frames: ``p`` are the joints as known so far, shape (N, J, 2), and ``start``
a first guess of them; ``bar_xy`` is the bar's end, (N, 2); all in pixels, ``mm`` of them to a
millimetre. ``firmly`` (N, J) is 1 where a coach's mark is believed; ``smooth`` tells when feet
stand.
"""

from __future__ import annotations

import numpy as np

from keenkettle.film.believed import FEET
from keenkettle.film.footage import Footage
from keenkettle.film.fuse import Line, Pull, Smooth
from keenkettle.film.posture import comes, let_go, racked_on, still, turning_over
from keenkettle.film.through_marks import shoulder_under, stands_through
from keenkettle.measure.calibration import PLATE_MM
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.motion import JOINTS
from keenkettle.measure.segments import SEGMENT_SHARE

#: Wrist to the middle of the grip, share of stature (Winter 2009: half of a hand); its error.
HAND_SHARE, HAND_SIGMA_MM = 0.054, 35.0
MOST_REACH = 0.48  # of stature, shoulder to bar: an arm and a hand have 0.39
#: An arm's length from the side, share of stature, with a wide grip; how much shorter it looks when
#: its bend counts; and what the hand may be off then.
LONG_ARM, BENT_ARM, BENT_HAND_MM = 0.29, 0.6, 50.0
HEAD_SD_MM, ELBOW_SD_MM = 80.0, 150.0
#: The bar lies on the front of the shoulders: so far behind and below it their joints are.
RACK_SHOULDER_MM, RACK_SHOULDER_SD_MM = (65.0, 28.0), 40.0
RACKED_MM = 15.0  # with the bar on them, from what a mark tells of their place under it
STAY_MM, LEVEL_MM = 45.0, 18.0  # of a planted foot's place, and of its height behind the disc
#: Where the upper arm points in the rack, ahead and down; the elbow's error.
RACK_ARM, RACK_ELBOW_MM = (0.9, 0.4), 120.0
#: From the bar's middle to a limb's, at least, on slender legs; its error. Deeper in is somebody
#: else's limb. Places along the limb that are told apart, shares of it.
CLEAR_MM = {("ankle", "knee"): 55.0, ("knee", "hip"): 75.0}
CLEAR_SD_MM, DEEPEST_MM = 18.0, 150.0
PLACES = (0.0, 0.25, 0.5)  # further up the hip would be pushed back
COMES_MM = 120.0  # off the shoulders while the bar comes to them or leaves them


def hand_on_bar(
    p: FloatArray, film: Footage, bar_xy: FloatArray, stature_mm: float, passed: BoolArray
) -> Pull:
    """The wrist stays by the bar: a hand's length from where it is held, toward the shoulder; until
    the bar is let go, which is not told on frames ``passed`` (N,) by somebody.
    """
    j = JOINTS.index("wrist")
    held = film.held_at(bar_xy)
    toward = p[:, JOINTS.index("shoulder")] - held
    length = np.maximum(np.linalg.norm(toward, axis=1, keepdims=True), 1.0)
    reach = np.minimum(HAND_SHARE * stature_mm * film.mm, 0.4 * length)
    place = held + toward / length * reach
    # On a bent arm the hand points to the elbow, which may be anywhere.
    tall = stature_mm * film.mm
    bent = np.clip((LONG_ARM * tall / length[:, 0] - 1.0) / BENT_ARM, 0.0, 1.0)
    sigma = np.hypot(HAND_SIGMA_MM, BENT_HAND_MM * bent) * film.mm
    # Overhead it is the shoulders that are taken to be elsewhere.
    away = (length[:, 0] > MOST_REACH * tall) & (toward[:, 1] < 0.0) & ~passed
    gone = let_go(away, bar_xy[:, 1], MOST_REACH * tall)
    return Pull(j, place, np.where(gone, np.inf, sigma))


def head_over_shoulder(p: FloatArray, firmly: FloatArray, stature_px: float, mm: float) -> Pull:
    """The ear is above the shoulder as the trunk goes on; weak, for where it is hidden."""
    hip, shoulder, ear = (JOINTS.index(n) for n in ("hip", "shoulder", "ear"))
    trunk = p[:, shoulder] - p[:, hip]
    length = np.maximum(np.linalg.norm(trunk, axis=1, keepdims=True), 1.0)
    place = p[:, shoulder] + trunk / length * SEGMENT_SHARE["shoulder", "ear"] * stature_px
    return Pull(ear, place, np.where(firmly[:, ear] == 0, HEAD_SD_MM * mm, np.inf))


def elbow_on_arm(p: FloatArray, xy: FloatArray, mm: float) -> Pull:
    """Where nothing was seen of it, the elbow is somewhere about the middle of the arm."""
    shoulder, elbow, wrist = (JOINTS.index(n) for n in ("shoulder", "elbow", "wrist"))
    unseen = ~np.isfinite(xy[:, elbow, 0])
    place = (p[:, shoulder] + p[:, wrist]) / 2.0
    return Pull(elbow, place, np.where(unseen, ELBOW_SD_MM * mm, np.inf))


def in_the_rack(
    p: FloatArray, film: Footage, bar_xy: FloatArray, firmly: FloatArray, stature_mm: float, lo: int
) -> list[Pull]:
    """In the rack elbows are ahead of the shoulders, and these under the bar; the nets mostly see
    neither behind the disc.
    """
    j, share = JOINTS.index("elbow"), SEGMENT_SHARE["shoulder", "elbow"]
    ahead = 1.0 if film.side == "right" else -1.0
    arm = share * stature_mm * film.mm
    place = p[:, JOINTS.index("shoulder")] + arm * np.array([ahead * RACK_ARM[0], RACK_ARM[1]])
    on = racked_on(p, film, bar_xy)
    there = on & ~turning_over(on, bar_xy, film.fps) & (firmly[:, j] == 0)
    elbow = Pull(j, place, np.where(there, RACK_ELBOW_MM * film.mm, np.inf))
    j = JOINTS.index("shoulder")
    behind, below = RACK_SHOULDER_MM
    place = film.held_at(bar_xy) + film.mm * np.array([-ahead * behind, below])
    known = on & (firmly[:, j] == 0)
    sigma = np.where(known, RACK_SHOULDER_SD_MM * film.mm, np.inf)
    marked = shoulder_under(film.held_at(bar_xy), on, film.marks.get("shoulder", {}), lo)
    told = np.isfinite(marked[:, 0])
    place[told], sigma[told] = marked[told], RACKED_MM * film.mm
    return [elbow, Pull(j, place, np.hypot(sigma, COMES_MM * film.mm * comes(on, film.fps)))]


def feet_that_stay(start: FloatArray, smooth: Smooth, firmly: FloatArray, mm: float) -> list[Pull]:
    """Planted feet are where they are seen when the disc has left them, on a level floor."""
    made = []
    for name in FEET:
        j = JOINTS.index(name)
        near = np.where(still(smooth, name, mm) & (firmly[:, j] == 0), STAY_MM * mm, np.inf)
        made.append(Pull(j, start[:, j], near))
    return made


def feet_on_level(start: FloatArray, smooth: Smooth, covered: BoolArray, mm: float) -> list[Line]:
    """Planted feet that the disc covers, shape (N, J), are as high as where they are seen: the
    floor is level, whatever the knees that are guessed above it say.
    """
    made = []
    for name in FEET:
        j = JOINTS.index(name)
        near = np.where(still(smooth, name, mm) & covered[:, j], LEVEL_MM * mm, np.inf)
        up = np.tile([0.0, 1.0], (len(start), 1))
        made.append(Line(j, j, 0.0, up, start[:, j, 1], near))
    return made


def clear_of_bar(
    p: FloatArray, film: Footage, bar_xy: FloatArray, firmly: FloatArray
) -> list[Line]:
    """A bar passes before shin and thigh: where a limb is guessed into it, it lies behind it."""
    if film.disc_mm != PLATE_MM:
        return []  # a bell swings between the legs
    ahead = 1.0 if film.side == "right" else -1.0
    held, near = film.held_at(bar_xy), film.mm * film.depth_share
    made = []
    for names, clear_mm in CLEAR_MM.items():
        a, b = (JOINTS.index(n) for n in names)
        along = p[:, b] - p[:, a]
        length = np.maximum(np.linalg.norm(along, axis=1), 1.0)
        along /= length[:, None]
        before = ahead * np.stack([-along[:, 1], along[:, 0]], axis=-1)
        share = ((held - p[:, a]) * along).sum(axis=1) / length
        gap = ((held - p[:, a]) * before).sum(axis=1) / near
        into = (gap < clear_mm) & (gap > -DEEPEST_MM) & (firmly[:, a] == 0) & (firmly[:, b] == 0)
        line = (held * before).sum(axis=1) - clear_mm * near
        for at in PLACES:
            here = into & (np.abs(share - at) <= 0.5 * PLACES[1])
            if here.any():
                sigma = np.where(here, CLEAR_SD_MM * near, np.inf)
                made.append(Line(a, b, at, before, line, sigma))
    return made


def feet_as_marked(film: Footage, smooth: Smooth, lo: int) -> list[Pull]:
    """Planted feet that a coach marked are where the marks say."""
    return [
        stands_through(
            JOINTS.index(name), film.marks[name], still(smooth, name, film.mm), lo, film.mm
        )
        for name in FEET
        if name in film.marks
    ]
