"""Whether the bar is level, on a film from between side and front that shows both of its ends.

The far end is further from the camera, so a level bar is not level on the picture. How the far
end moves as the near one rises is known from the far disc's size; what is left is tilt.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.front import (
    HELD_S,
    MOST_SPREAD_DEG,
    NO_EVENT,
    SLOPE_SIGMA_DEG,
    STILL_FRAMES,
)
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.sheet import UNITS, Measure

HIDDEN = "the bar's far end was hidden when it was received"


@dataclass(frozen=True)
class BarEnds:
    """Both ends of a bar on N frames.

    Attributes:
        near_px, far_px: shape (N, 2), pixels; NaN where the far end is hidden.
        size: how large the far end looks against the near one.
        size_sd: its standard deviation.
        between_mm: from one end to the other.
        mm_per_px: scale at the near end.
    """

    near_px: FloatArray
    far_px: FloatArray
    size: float
    size_sd: float
    between_mm: float
    mm_per_px: float


def level_far_px(ends: BarEnds, first: int) -> FloatArray:
    """Where the far end would be, were the bar as level as when it was lifted, (N, 2), pixels.

    Args:
        ends: both ends.
        first: sample at which it is lifted.
    """
    still = slice(first, first + STILL_FRAMES)
    near, far = np.median(ends.near_px[still], axis=0), np.nanmedian(ends.far_px[still], axis=0)
    return np.asarray(far + ends.size * (ends.near_px - near))


def drop_mm(ends: BarEnds, first: int) -> FloatArray:
    """How much lower the far end is than the near one, against how it was lifted, (N,), mm."""
    drop_px = (ends.far_px - level_far_px(ends, first))[:, 1]
    return np.asarray(drop_px * ends.mm_per_px / ends.size)


def slope_by_ends(ends: BarEnds, t_s: FloatArray, received: int | None, first: int) -> Measure:
    """Slope of the bar after it was received against that with which it was lifted, degrees.

    Args:
        ends: both ends.
        t_s: times, shape (N,).
        received: sample at which the bar is caught or locked out, None where that was not seen.
        first: sample at which it is lifted.

    Returns:
        The slope without its sign and its standard deviation; None with the reason where either
        end was hidden or no slope was held.
    """
    if received is None:
        return Measure(None, 0.0, UNITS["bar_slope"], why=NO_EVENT)
    held = np.flatnonzero((t_s >= t_s[received]) & (t_s <= t_s[received] + HELD_S))
    still = np.arange(first, min(first + STILL_FRAMES, received))
    seen = np.isfinite(ends.far_px[:, 1])
    if seen[held].sum() <= 2 or seen[still].sum() <= 2:
        return Measure(None, 0.0, UNITS["bar_slope"], why=HIDDEN)
    tilt = np.degrees(np.arcsin(np.clip(drop_mm(ends, first) / ends.between_mm, -1.0, 1.0)))
    value = float(np.nanmedian(tilt[held]))
    spread = 1.48 * float(np.nanmedian(np.abs(tilt[held] - value)))
    if spread > MOST_SPREAD_DEG:
        return Measure(None, 0.0, UNITS["bar_slope"], why=HIDDEN)
    at = int(held[int(np.nanargmin(np.abs(tilt[held] - value)))])
    rise_px = float(np.median(ends.near_px[still, 1])) - float(ends.near_px[at, 1])
    per_px = ends.mm_per_px / (ends.size * ends.between_mm)
    by_size = float(np.degrees(ends.size_sd * abs(rise_px) * per_px))
    sigma = float(np.sqrt(SLOPE_SIGMA_DEG**2 + (0.5 * spread) ** 2 + by_size**2))
    return Measure(abs(value), sigma, UNITS["bar_slope"], at)
