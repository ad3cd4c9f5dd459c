"""Poses of the planar body: forward and inverse kinematics.

All points are millimetres, x forward, y up, origin on the floor below the standing
ankle. Angles are degrees. Arrays are broadcast over frames: shape (N,) or (N, 2).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.lifter.body import Body
from keenkettle.measure.geometry import FloatArray


def unit(angle_deg: FloatArray | float) -> FloatArray:
    """Unit vectors, shape (..., 2), for directions above the forward horizontal."""
    a = np.radians(np.asarray(angle_deg, dtype=float))
    return np.stack([np.cos(a), np.sin(a)], axis=-1)


@dataclass(frozen=True)
class Foot:
    """Foot points over time, each of shape (N, 2), mm."""

    ankle: FloatArray
    heel: FloatArray
    toe: FloatArray


def place_foot(
    body: Body, shift_x: FloatArray, lift_y: FloatArray, heel_rise_deg: FloatArray
) -> Foot:
    """Place a foot that pivots on its ball.

    Args:
        body: lengths, mm.
        shift_x, lift_y: shape (N,), mm, movement of the whole foot.
        heel_rise_deg: shape (N,), rotation of the foot about its ball.
    """
    base = np.stack([shift_x, lift_y], axis=-1)
    ball = base + np.array([body.ball_ahead, 0.0])
    a = np.radians(heel_rise_deg)
    cos, sin = np.cos(a), np.sin(a)

    def turned(x: float, y: float) -> FloatArray:
        return np.asarray(ball + np.stack([x * cos + y * sin, -x * sin + y * cos], axis=-1))

    toe = base + np.array([body.foot - body.heel_back, 12.0])
    return Foot(
        ankle=turned(-body.ball_ahead, body.ankle_height),
        heel=turned(-body.ball_ahead - body.heel_back, 12.0),
        toe=toe,
    )


def leg_points(
    body: Body, ankle: FloatArray, shank_lean_deg: FloatArray, knee_deg: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Return knee and hip, shape (N, 2), from the shank's forward lean and the knee angle."""
    shank_dir = 90.0 - shank_lean_deg
    knee = ankle + body.shank * unit(shank_dir)
    hip = knee + body.thigh * unit(shank_dir + 180.0 - knee_deg)
    return knee, hip


def two_link(
    start: FloatArray, end: FloatArray, first: float, second: float, side: float
) -> FloatArray:
    """Middle joint of a two-link chain; ``side`` +1 bends it to the right of start-to-end.

    Ends further apart than the chain are met by the straight line between them.
    """
    axis = end - start
    dist = np.linalg.norm(axis, axis=-1)
    reach = np.clip(dist, abs(first - second) + 1e-6, first + second - 1e-6)
    along = (first**2 - second**2 + reach**2) / (2.0 * reach)
    off = np.sqrt(np.maximum(first**2 - along**2, 0.0))
    e = axis / np.maximum(dist, 1e-9)[..., None]
    normal = np.stack([e[..., 1], -e[..., 0]], axis=-1)
    return np.asarray(start + along[..., None] * e + side * off[..., None] * normal)


def chain_length(first: float, second: float, angle_deg: FloatArray) -> FloatArray:
    """End-to-end length of two links that include an angle."""
    c = np.cos(np.radians(angle_deg))
    return np.asarray(np.sqrt(first**2 + second**2 - 2.0 * first * second * c))
