"""Measures of a rep filmed from between side and front: landing width and knees.

What lies across the athlete's facing is seen shortened there, by as much as the bar is. Both feet,
knees or shoulders are mostly as far forward as each other, so their distance on the picture tells
how far apart they are. Split feet are not, and how far one is behind the other shows too little on
the floor; overhead the near disc hides an arm. Both need a film from the front.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from keenkettle.measure.events import Events
from keenkettle.measure.front import (
    BENT,
    NO_EVENT,
    NO_JOINTS,
    NOT_DEEP,
    WORST_FRAMES,
    landing_of,
    not_seen,
    worst_of,
)
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JointTrack, Motion
from keenkettle.measure.sheet import NOT_THIS_LIFT, Measure, Measures

NET_MM = 23.0  # by which a knee or foot is off on the picture, by films with known joints
WIDTH_SHARE = 0.13  # by which the shoulders are, over their width
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
    overhead: bool,
    split: bool,
) -> Measures:
    """Landing width and knees of one rep.

    Args:
        t_s: times, shape (N,).
        sides: both sides' joints ("left_knee"), each (N, 2) pixels.
        view: the camera.
        events: of the rep; the catch or the lockout matter most.
        first, last: samples of the rep.
        overhead: whether it ends with the bar overhead.
        split: whether the feet are split.

    Returns:
        Each measure with its standard deviation, or None with the reason.
    """
    known = [i for i in (events.get("catch"), events.get("lockout")) if i is not None]
    wide = _across(t_s, sides, view)
    made: Measures = {}
    for name, wanted in (
        ("elbow_gap", overhead),
        ("landing_width", not split),
        ("knee_inside", not split),
        ("split_width", split),
    ):
        if not wanted:
            made[name] = not_seen(name, NOT_THIS_LIFT)
        elif name in ("elbow_gap", "split_width"):
            made[name] = not_seen(name, FROM_FRONT)
        elif not known:
            made[name] = not_seen(name, NO_EVENT)
        elif name == "landing_width":
            made[name] = _landing(wide, view, known[0], first, last)
        else:
            made[name] = _knees(wide, view, known[0], last)
    return made


def _across(t_s: FloatArray, sides: dict[str, JointTrack], view: Oblique) -> Motion:
    """The joints with x across the athlete's facing, mm from their middle."""
    middle = np.mean([t.xy_px for t in sides.values()], axis=0)
    scale = np.stack([view.across(middle[:, 0]), np.full(len(t_s), -1.0 / view.mm_per_px)], -1)
    still = np.zeros((len(t_s), 2))
    joints = {n: (t.xy_px - middle) / scale for n, t in sides.items()}
    return Motion(t_s, still, still, still, joints)


def _of_turn(view: Oblique) -> float:
    """Relative error of a distance across, by the error of the camera's turn."""
    return view.yaw_sd / max(abs(float(np.tan(view.yaw))), 1e-3)


def _net(view: Oblique) -> float:
    """Standard deviation of a joint across, mm."""
    return NET_MM / max(abs(float(np.sin(view.yaw))), 0.1)


def _landing(m: Motion, view: Oblique, received: int, first: int, last: int) -> Measure:
    found = landing_of(m, received, first, last)
    if found.value is None:
        return found
    shoulders = float(np.nanmedian(_apart(m, "shoulder")))
    by_net = np.sqrt(2.0) * _net(view) / shoulders
    sigma = float(np.hypot(WIDTH_SHARE * found.value, by_net))
    return replace(found, sigma=sigma)


def _apart(m: Motion, joint: str) -> FloatArray:
    """How far the right one lies beyond the left one across, mm, (N,)."""
    return np.asarray(m.joints[f"right_{joint}"][:, 0] - m.joints[f"left_{joint}"][:, 0])


def _knees(m: Motion, view: Oblique, received: int, last: int) -> Measure:
    """How far the knees come inside the ankles, the mean of both, from the catch on.

    A knee ahead of its ankle is seen beside it as well, both to the same side, so that only both
    together tell.
    """
    if not m.has(*(f"{s}_{j}" for s in ("left", "right") for j in ("hip", "knee", "ankle"))):
        return not_seen("knee_inside", NO_JOINTS)
    high = np.zeros(len(m.t_s))
    for side in ("left", "right"):
        high += m.joints[f"{side}_hip"][:, 1] - m.joints[f"{side}_ankle"][:, 1]
    bent = high < BENT * np.nanquantile(high, 0.97)
    part = np.array([i for i in range(received, last + 1) if bent[i]], np.int64)
    if len(part) < 2 * WORST_FRAMES:
        return not_seen("knee_inside", NOT_DEEP)
    way = np.sign(np.nanmedian(_apart(m, "ankle")[part]))
    inside = 0.5 * way * (_apart(m, "ankle") - _apart(m, "knee"))
    found = worst_of(inside, part, np.nanmax)
    if found is None:
        return not_seen("knee_inside", NO_JOINTS)
    value, at = found
    sigma = float(np.hypot(_net(view), _of_turn(view) * value))
    return Measure(value, sigma, "mm", at)
