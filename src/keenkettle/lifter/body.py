"""Segment lengths of a standing adult from stature.

Ratios: Drillis & Contini (1966), as tabulated in Winter, *Biomechanics and Motor
Control of Human Movement*, 4th ed. (2009), fig. 4.1. Depths of limbs are working
values for drawing only. Lengths are millimetres.
"""

from __future__ import annotations

from dataclasses import dataclass

#: Heights above the floor, standing, as a share of stature. Ankle to crown are Winter's;
#: navel, breastbone and mid-thigh are working values until the athlete is measured.
HEIGHT_SHARE = {
    "ankle": 0.039,
    "knee": 0.285,
    "mid-thigh": 0.408,
    "hip": 0.530,
    "navel": 0.600,
    "breastbone": 0.715,
    "shoulder": 0.818,
    "chin": 0.870,
    "crown": 1.000,
}
MIN_STATURE_MM, MAX_STATURE_MM = 1000.0, 2300.0


class BodyError(ValueError):
    """A body that cannot be; the message names the value and the range."""


@dataclass(frozen=True)
class Body:
    """Link lengths in millimetres, joint to joint; ``hand`` ends at the middle of the grip."""

    stature: float
    ankle_height: float
    foot: float
    heel_back: float
    ball_ahead: float
    shank: float
    thigh: float
    trunk: float
    upper_arm: float
    forearm: float
    hand: float
    ear: float

    @property
    def arm(self) -> float:
        """Shoulder joint to the middle of the grip, mm."""
        return self.upper_arm + self.forearm + self.hand


def body_from_stature(stature_mm: float) -> Body:
    """Return the average body of this stature.

    Args:
        stature_mm: standing height, 1000 to 2300 mm.

    Raises:
        BodyError: the stature is outside that range.
    """
    if not MIN_STATURE_MM <= stature_mm <= MAX_STATURE_MM:
        raise BodyError(
            f"stature is {stature_mm / 10:g} cm; give a stature between "
            f"{MIN_STATURE_MM / 10:g} and {MAX_STATURE_MM / 10:g} cm"
        )
    h = stature_mm
    foot = 0.152 * h
    return Body(
        stature=h,
        ankle_height=0.039 * h,
        foot=foot,
        heel_back=0.26 * foot,
        ball_ahead=0.46 * foot,
        shank=0.246 * h,
        thigh=0.245 * h,
        trunk=0.288 * h,
        upper_arm=0.186 * h,
        forearm=0.146 * h,
        hand=0.054 * h,
        ear=0.112 * h,
    )


def standing_heights_mm(stature_mm: float) -> dict[str, float]:
    """Return the named body heights above the floor, mm, for a stature in mm."""
    return {name: share * stature_mm for name, share in HEIGHT_SHARE.items()}
