"""Receiving and standing up: balanced poses between standing and the bottom of the catch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.lifter.body import Body
from keenkettle.lifter.poses import leg_points, place_foot, unit
from keenkettle.lifter.recipe import Recipe
from keenkettle.measure.geometry import FloatArray

RACK_DX_MM, RACK_DY_MM = 72.0, 22.0  # bar from the shoulder joint in the front rack
OVERHEAD_DX_MM = 12.0
DEPTHS = 121


@dataclass(frozen=True)
class StancePose:
    """Body under the bar at each sample: ``hip`` (N, 2) mm, ``trunk`` (N,) deg."""

    hip: FloatArray
    trunk: FloatArray
    bar_dx: float


class Stance:
    """Poses from standing (depth 0) to the bottom (depth 1), bar over the middle of the foot."""

    def __init__(self, body: Body, recipe: Recipe) -> None:
        shape = recipe.shape
        assert shape.bottom_knee is not None
        self.overhead = shape.family == "snatch"
        scale = shape.arm_scale
        straight = (body.upper_arm + body.forearm + body.hand) * scale * 0.999
        self.bar_dx = OVERHEAD_DX_MM if self.overhead else RACK_DX_MM
        bar_dy = straight if self.overhead else RACK_DY_MM
        depth = np.linspace(0.0, 1.0, DEPTHS)
        knee_deg = 178.0 + depth * (shape.bottom_knee - 178.0)
        lean = 2.0 + depth**0.8 * (shape.bottom_lean - 2.0)
        zero = np.zeros(DEPTHS)
        foot = place_foot(body, zero, zero, zero)
        _, hip = leg_points(body, foot.ankle, lean, knee_deg)
        ahead = 57.0 * recipe.size("forward-loop")
        middle = body.foot / 2.0 - body.heel_back + ahead
        offset = np.clip((middle - self.bar_dx - hip[:, 0]) / body.trunk, -0.2, 0.75)
        self.trunk = np.degrees(np.arccos(offset))
        shoulder = hip + body.trunk * unit(self.trunk)
        self.hip = hip
        self.bar_y = shoulder[:, 1] + bar_dy
        self._low_elbow = recipe.size("low-elbows")

    @property
    def bottom_bar_y(self) -> float:
        """Bar height at the bottom of the catch, mm."""
        return float(self.bar_y[-1])

    @property
    def standing_bar_y(self) -> float:
        """Bar height standing, mm."""
        return float(self.bar_y[0])

    def elbow_deg(self, bar_y: FloatArray) -> FloatArray:
        """Upper arm above the horizontal in the rack, degrees."""
        up = np.interp(bar_y, self.bar_y[::-1], np.linspace(-4.0, 12.0, DEPTHS))
        return np.asarray(up - 42.0 * self._low_elbow)


def stance_at(stance: Stance, bar_y: FloatArray, shift_x: float) -> StancePose:
    """Poses that hold the bar at these heights, feet moved by ``shift_x`` mm."""
    order = slice(None, None, -1)
    y = stance.bar_y[order]
    hip = np.stack([np.interp(bar_y, y, stance.hip[order, i]) for i in (0, 1)], axis=-1) + np.array(
        [shift_x, 0.0]
    )
    trunk = np.interp(bar_y, y, stance.trunk[order])
    return StancePose(hip, np.asarray(trunk), stance.bar_dx)
