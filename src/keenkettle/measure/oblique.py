"""Measures of a rep filmed from between side and front: landing width, knees, hands.

What lies across the athlete's facing is seen shortened there, by as much as the bar is. Both feet,
knees or shoulders are mostly as far forward as each other, so their distance on the picture tells
how far apart they are. Split feet are not, and how far one is behind the other shows too little on
the floor: that needs a film from the front. For arms see ``lockout``.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.events import Events
from keenkettle.measure.front import (
    BENT,
    BREADTH,
    LAND_S,
    NO_EVENT,
    NO_JOINTS,
    NOT_DEEP,
    STAND_S,
    WORST_FRAMES,
    Ending,
    judged_at,
    not_seen,
    worst_of,
)
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JointTrack
from keenkettle.measure.sheet import NOT_THIS_LIFT, Measure, Measures

NET_MM = 23.0  # by which a knee or foot is off on the picture, by films with known joints
#: Between the shoulder joints, share of stature, and how much people differ: biacromial breadth is
#: 0.236 of it in men and 0.224 in women (Gordon et al. 2014, ANSUR II).
SHOULDERS, SHOULDERS_SD = 0.23 / BREADTH, 0.09
MOST_INSIDE_MM = 160.0  # knees that would touch before they are further inside the ankles
NOT_KNEES = "the knees could not be told apart"
FROM_FRONT = "from aside it does not show; film from the front"


@dataclass(frozen=True)
class Oblique:
    """A camera turned by ``yaw``, radians, from the side; positive where the far end is right.

    Attributes:
        yaw, yaw_sd: radians.
        lens_px: focal length.
        camera_mm: to the athlete's middle.
        centre_x_px: middle of the picture.
    """

    yaw: float
    yaw_sd: float
    lens_px: float
    camera_mm: float
    centre_x_px: float

    @property
    def mm_per_px(self) -> float:
        """Scale at the athlete."""
        return self.camera_mm / self.lens_px

    def across(self, x_px: FloatArray) -> FloatArray:
        """Pixels to the right for a millimetre toward the bar's far end, at columns (N,)."""
        off = (x_px - self.centre_x_px) / self.lens_px
        return np.asarray((np.sin(self.yaw) - off * np.cos(self.yaw)) / self.mm_per_px)


def measure_oblique(
    t_s: FloatArray,
    sides: dict[str, JointTrack],
    view: Oblique,
    events: Events,
    first: int,
    last: int,
    ending: Ending,
    stature_mm: float,
) -> Measures:
    """Landing width and knees of one rep.

    Args:
        t_s: times, shape (N,).
        sides: both sides' joints ("left_knee"), each (N, 2) pixels.
        view: the camera.
        events: of the rep; the catch or the lockout matter most.
        first, last: samples of the rep.
        ending: how the lift ends.
        stature_mm: the athlete's.

    Returns:
        Each measure with its standard deviation, or None with the reason.
    """
    at = judged_at(events, ending)
    begins = at if ending.landed else first
    both = Sides(t_s, sides, view)
    made: Measures = {}
    for name, wanted in (
        ("landing_width", ending.landed and not ending.split),
        ("knee_inside", not ending.split),
        ("split_width", ending.split),
    ):
        if not wanted:
            made[name] = not_seen(name, NOT_THIS_LIFT)
        elif name == "split_width":
            made[name] = not_seen(name, FROM_FRONT)
        elif at is None or begins is None:
            made[name] = not_seen(name, NO_EVENT)
        elif name == "landing_width":
            made[name] = _landing(both, at, last, stature_mm)
        else:
            made[name] = _knees(both, begins, last)
    return made


@dataclass(frozen=True)
class Sides:
    """Both sides' joints on N frames, pixels, and the camera that shows them."""

    t_s: FloatArray
    joints: dict[str, JointTrack]
    view: Oblique

    def apart(self, joint: str) -> FloatArray:
        """How far the right one is toward the bar's far end from the left one, mm, (N,)."""
        left, right = (self.joints[f"{s}_{joint}"].xy_px[:, 0] for s in ("left", "right"))
        return np.asarray((right - left) / self.view.across((left + right) / 2.0))

    def has(self, *joints: str) -> bool:
        """Whether both sides of these joints were found."""
        return all(f"{s}_{j}" in self.joints for s in ("left", "right") for j in joints)

    def height(self, joint: str) -> FloatArray:
        """Mean height of both, mm from the picture's top, (N,)."""
        rows = [self.joints[f"{s}_{joint}"].xy_px[:, 1] for s in ("left", "right")]
        return np.asarray(-np.mean(rows, axis=0) * self.view.mm_per_px)


def hands_apart(
    sides: dict[str, JointTrack],
    view: Oblique,
    first: int,
    last: int,
    usual_mm: tuple[float, float],
) -> tuple[float, float]:
    """From hand to hand on the bar and its standard deviation, mm.

    Args:
        sides: both sides' joints, each (N, 2) pixels.
        view: the camera.
        first, last: samples between which both hands hold the bar low, away from the discs.
        usual_mm: what the lift and the athlete's stature let expect, and its standard deviation.
    """
    both = Sides(np.zeros(0), sides, view)
    if not both.has("wrist") or last <= first:
        return usual_mm
    apart = np.abs(both.apart("wrist")[first : last + 1])
    if not np.isfinite(apart).any():
        return usual_mm
    seen = float(np.nanmedian(apart)), np.sqrt(2.0) * _net(view)
    weights = np.array([seen[1], usual_mm[1]]) ** -2.0
    value = float(weights @ [seen[0], usual_mm[0]] / weights.sum())
    return value, float(weights.sum()) ** -0.5


def _of_turn(view: Oblique) -> float:
    """Relative error of a distance across, by the error of the camera's turn."""
    return view.yaw_sd / max(abs(float(np.tan(view.yaw))), 1e-3)


def _net(view: Oblique) -> float:
    """Standard deviation of a joint across, mm."""
    return NET_MM / max(abs(float(np.sin(view.yaw))), 0.1)


def _landing(both: Sides, received: int, last: int, stature_mm: float) -> Measure:
    """Ankles apart after landing over the breadth of the shoulders, which the nets see roughly."""
    t = both.t_s - both.t_s[received]
    land = np.flatnonzero((t >= LAND_S) & (t <= STAND_S) & (np.arange(len(t)) <= last))
    if not both.has("ankle", "shoulder"):
        return not_seen("landing_width", NO_JOINTS)
    feet, shoulders = np.abs(both.apart("ankle")), both.apart("shoulder")
    if not np.isfinite(feet[land]).any():
        return not_seen("landing_width", NO_JOINTS)
    by_net = np.sqrt(2.0) * _net(both.view)
    seen, usual = abs(float(np.nanmedian(shoulders))), SHOULDERS * stature_mm
    weights = np.array([by_net, SHOULDERS_SD * usual]) ** -2.0
    own = BREADTH * float((weights * [seen, usual]).sum() / weights.sum())
    value = float(np.nanmedian(feet[land])) / own
    own_sd = BREADTH * float(weights.sum()) ** -0.5
    parts = [by_net / own, value * own_sd / own, _of_turn(both.view) * value]
    at = int(land[int(np.nanargmin(np.abs(feet[land] / own - value)))])
    return Measure(value, float(np.linalg.norm(parts)), "1", at)


def _knees(both: Sides, begins: int, last: int) -> Measure:
    """How far the knees come inside the ankles, the mean of both, from a sample on.

    A knee ahead of its ankle is seen beside it as well, both to the same side, so that only both
    together tell.
    """
    if not both.has("hip", "knee", "ankle"):
        return not_seen("knee_inside", NO_JOINTS)
    high = both.height("hip") - both.height("ankle")
    bent = high < BENT * np.nanquantile(high, 0.97)
    part = np.array([i for i in range(begins, last + 1) if bent[i]], np.int64)
    if len(part) < 2 * WORST_FRAMES:
        return not_seen("knee_inside", NOT_DEEP)
    ankles, knees = both.apart("ankle"), both.apart("knee")
    inside = 0.5 * np.sign(np.nanmedian(ankles[part])) * (ankles - knees)
    found = worst_of(inside, part, np.nanmax)
    if found is None:
        return not_seen("knee_inside", NO_JOINTS)
    value, at = found
    if value > MOST_INSIDE_MM:
        return not_seen("knee_inside", NOT_KNEES)
    sigma = float(np.hypot(_net(both.view), _of_turn(both.view) * value))
    return Measure(value, sigma, "mm", at)
