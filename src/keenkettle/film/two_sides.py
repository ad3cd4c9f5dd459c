"""Where the nets see a joint of the camera's side when the camera is turned from side-on.

The two sides of the body then stand apart on the picture, and what the nets see of the near one is
drawn toward the far one: on 30 films by two renderers by 0.5 to 0.7 of the way to the middle
(standard error 0.1) at feet, knees and shoulders, by 0.3 at hips. Those films were turned by up to
13 degrees; where it is more the nets tell the sides apart themselves.
"""

from __future__ import annotations

import numpy as np

from keenkettle.film.footage import Footage
from keenkettle.measure.calibration import UNKNOWN_YAW_DEG

#: From the athlete's middle to the near side, mm.
SIDE_MM = {
    "toe": 165.0, "heel": 120.0, "ankle": 130.0, "knee": 135.0, "hip": 90.0, "shoulder": 175.0,
    "ear": 60.0, "elbow": 60.0, "wrist": 60.0,
}  # fmt: skip
DRAWN_SHARE = {"hip": 0.3}
OTHER_DRAWN_SHARE, DRAWN_SD = 0.6, 0.35
DRAWN_TO_DEG, APART_DEG = 13.0, 25.0  # turns up to which they are drawn so, and from which not
UNTOLD_SHARE = 0.7  # of the way, that a joint may be off where the turn's sign is not known
TWO_LEGS = ("knee", "ankle", "heel", "toe")


def drawn_px(film: Footage, name: str) -> float:
    """How far to the right of a joint's place the nets see it, pixels; 0 where nothing tells.

    In a split each leg is told on its own.
    """
    if film.far is None or (film.split and name in TWO_LEGS):
        return 0.0
    turn_deg = film.far.yaw_deg(1.0 / film.mm)[0]
    across = SIDE_MM[name] * float(np.sin(np.radians(turn_deg))) * film.mm
    return _drawn(turn_deg) * _share(name) * across


def drawn_error_mm(film: Footage, name: str) -> float:
    """What is left of that, one standard deviation."""
    if film.far is None:
        return UNTOLD_SHARE * SIDE_MM[name] * float(np.sin(np.radians(UNKNOWN_YAW_DEG)))
    turn_deg, sd_deg = film.far.yaw_deg(1.0 / film.mm)
    told = 0.0 if film.split and name in TWO_LEGS else _drawn(turn_deg)
    share = UNTOLD_SHARE + told * (DRAWN_SD - UNTOLD_SHARE)
    parts = share * np.sin(np.radians(turn_deg)), _share(name) * np.sin(np.radians(sd_deg))
    return SIDE_MM[name] * float(np.hypot(*parts))


def _drawn(turn_deg: float) -> float:
    """1 where the nets draw the sides together, 0 where they tell them apart."""
    return float(np.clip((APART_DEG - abs(turn_deg)) / (APART_DEG - DRAWN_TO_DEG), 0.0, 1.0))


def _share(name: str) -> float:
    return DRAWN_SHARE.get(name, OTHER_DRAWN_SHARE)
