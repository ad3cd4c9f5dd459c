"""How the back bends under load, from a mark in the middle of it."""

from __future__ import annotations

import numpy as np

from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import angle_sigma
from keenkettle.measure.sheet import Sheet
from keenkettle.measure.smooth import running_median

JOINTS = ("hip", "back", "shoulder")
LASTS_S = 0.08  # a back that rounds stays so for a while; a frame's twitch is the marks'


def flexion_deg(hip: FloatArray, back: FloatArray, shoulder: FloatArray) -> FloatArray:
    """Bend of the trunk at its middle, degrees, forward positive; points (..., 2), x ahead."""
    lower, upper = back - hip, shoulder - back
    turn = np.arctan2(lower[..., 1], lower[..., 0]) - np.arctan2(upper[..., 1], upper[..., 0])
    return np.asarray(np.degrees((turn + np.pi) % (2.0 * np.pi) - np.pi))


def back_bend(s: Sheet, first: str, last: str) -> None:
    """The most by which the back is bent more than at ``first``, until ``last``."""
    m = s.ctx.motion
    at = s.needs("back_bend", JOINTS, first, last)
    if at is None or at[1] <= at[0]:
        return
    bend = flexion_deg(*(m.joints[j][at[0] : at[1] + 1] for j in JOINTS))
    wide = 2 * round(LASTS_S / m.spacing_s / 2.0) + 1
    more = running_median(bend - bend[0], wide) if len(bend) > wide else bend - bend[0]
    if not np.isfinite(more).any():
        s.put("back_bend", float("nan"), 0.0, at[0])
        return
    k = int(np.nanargmax(more))
    error = np.hypot(angle_sigma(m, at[0], *JOINTS), angle_sigma(m, at[0] + k, *JOINTS))
    s.put("back_bend", max(float(more[k]), 0.0), error, at[0] + k)
