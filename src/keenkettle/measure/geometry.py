"""Plane angles of the contract. Points are arrays of shape (..., 2), x forward, y up; degrees."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]


def wrap_deg(angle: FloatArray) -> FloatArray:
    """Return angles folded into (-180, 180]."""
    return -((-angle + 180.0) % 360.0 - 180.0)


def direction_deg(start: FloatArray, end: FloatArray) -> FloatArray:
    """Direction from start to end above the forward horizontal, degrees."""
    d = end - start
    return np.asarray(np.degrees(np.arctan2(d[..., 1], d[..., 0])))


def included_deg(a: FloatArray, vertex: FloatArray, b: FloatArray) -> FloatArray:
    """Included angle a-vertex-b, 0 to 180 degrees; NaN where a point is NaN."""
    turn = wrap_deg(direction_deg(vertex, a) - direction_deg(vertex, b))
    return np.asarray(np.abs(turn))


def hip_deg(knee: FloatArray, hip: FloatArray, shoulder: FloatArray) -> FloatArray:
    """Hip angle on the front of the body: 180 straight, over 180 leaning back."""
    turn = wrap_deg(direction_deg(knee, hip) - direction_deg(hip, shoulder))
    return np.asarray(180.0 - turn)


def inclination_deg(low: FloatArray, high: FloatArray) -> FloatArray:
    """Inclination of low-to-high above the forward horizontal: 90 upright, under 90 forward."""
    return direction_deg(low, high)


def along_segment(point: FloatArray, start: FloatArray, end: FloatArray) -> FloatArray:
    """Where a point stands along start-end: 0 at start, 1 at end (may be outside)."""
    axis = end - start
    return np.asarray(np.sum((point - start) * axis, -1) / np.sum(axis * axis, -1))


def segment_distance(point: FloatArray, start: FloatArray, end: FloatArray) -> FloatArray:
    """Distance from a point to the segment start-end, in the unit of the points."""
    t = np.clip(along_segment(point, start, end), 0.0, 1.0)[..., None]
    return np.asarray(np.linalg.norm(point - (start + t * (end - start)), axis=-1))
