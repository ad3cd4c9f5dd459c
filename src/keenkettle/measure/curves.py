"""What a rep does over time, as curves for looking at: speed, height, forward travel, angles."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.geometry import FloatArray, hip_deg, inclination_deg, included_deg
from keenkettle.measure.motion import Motion

CURVES = ("speed", "height", "forward", "angles")


@dataclass(frozen=True)
class Line:
    """One line of a graph: ``values`` shape (N,), NaN where it was not measured."""

    name: str
    values: FloatArray


@dataclass(frozen=True)
class Graph:
    """Lines that share a unit: "m/s", "mm" or "deg"."""

    name: str
    label: str
    unit: str
    lines: tuple[Line, ...]


def graph_of(motion: Motion, name: str) -> Graph:
    """One of CURVES for a motion; ``angles`` has as many lines as joints allow.

    Raises:
        KeyError: there is no such curve.
    """
    if name == "angles":
        label = "joint angles, degrees" + _smoothed(motion.joint_cutoff_hz)
        return Graph(name, label, "deg", _angles(motion))
    label, unit, values = {
        "speed": ("bar speed up, m/s", "m/s", motion.bar_v[:, 1]),
        "height": ("bar height from its start, cm", "mm", motion.bar[:, 1]),
        "forward": ("bar ahead of its start, cm", "mm", motion.bar[:, 0]),
    }[name]
    label += _smoothed(motion.bar_cutoff_hz)
    return Graph(name, label, unit, (Line("bar", values),))


def _smoothed(cutoff_hz: float | None) -> str:
    """How much a curve is smoothed: the cut-off at which half of a swing is left."""
    return "" if cutoff_hz is None else f" · smoothed, cut-off {cutoff_hz:.0f} Hz"


def _angles(m: Motion) -> tuple[Line, ...]:
    at = m.joints
    lines = []
    if m.has("knee", "hip", "shoulder"):
        lines.append(Line("hip", hip_deg(at["knee"], at["hip"], at["shoulder"])))
    if m.has("ankle", "knee", "hip"):
        lines.append(Line("knee", included_deg(at["ankle"], at["knee"], at["hip"])))
    if m.has("hip", "shoulder"):
        lines.append(Line("trunk", inclination_deg(at["hip"], at["shoulder"])))
    if m.has("shoulder", "elbow", "wrist"):
        lines.append(Line("elbow", included_deg(at["shoulder"], at["elbow"], at["wrist"])))
    return tuple(line for line in lines if np.isfinite(line.values).any())
