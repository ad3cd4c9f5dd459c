"""The near face of a disc that is seen from aside, once the far disc tells by how much.

The outline is that of the face and of the back, which stands beside it toward the far disc. An
ellipse fitted to both is rounder than the face, a little too high, and its middle lies between
theirs. How much rounder tells how thick the disc is. Above and below the lens the outline leans,
and where it does not is the horizon.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.stats import theilslopes

from keenkettle.film.far_disc import BETWEEN_MM, FarDisc
from keenkettle.film.rim import Ring
from keenkettle.film.thick import Outlines
from keenkettle.measure.calibration import PLATE_MM
from keenkettle.measure.geometry import FloatArray

#: Share of being rounder by which a fitted ellipse is too high, and of which the middles are
#: apart; by fitting outlines of discs 60 to 180 mm thick at 15 to 45 degrees.
HIGHER, APART = 0.23, 1.15
PER_RADIUS_MM = PLATE_MM / 2.0
LEAST_ROWS, LEAST_SEEN_R = 6, 2.5  # rows, and radii between them, that tell the horizon
LEAST_LEAN = 0.02  # the lean must change by so much


@dataclass(frozen=True)
class Face:
    """The face's ring, and how far its middle is from the outline's on N frames, (N, 2) pixels."""

    ring: Ring
    shift_px: FloatArray


def face_of(outline: Ring, far: FarDisc, bar_px: FloatArray, horizon: float) -> Face:
    """The face of a disc by its outline.

    Args:
        outline: as it was fitted.
        far: the disc on the bar's far end.
        bar_px: the outline's middle, (N, 2).
        horizon: its row.
    """
    r = outline.r
    for _ in range(2):  # the turn is told by the face's size
        yaw = np.radians(far.yaw_deg(PER_RADIUS_MM / r)[0])
        aspect = float(np.cos(yaw))
        rounder = max(outline.aspect - aspect, 0.0)
        r = outline.r / (1.0 + HIGHER * rounder / outline.aspect)
    apart = APART * rounder * r  # of the outline's middle from the face's
    shift = np.zeros_like(bar_px)
    shift[:, 0] = -np.sign(far.aside_px) * apart
    # As deep as wide is seen of it; the far disc tells the same of the bar's whole length.
    depth_mm = 2.0 * apart * PER_RADIUS_MM / r / max(abs(float(np.sin(yaw))), 1e-3)
    share = depth_mm / BETWEEN_MM * (1.0 - far.size) / far.size
    shift[:, 1] = 0.5 * share * (bar_px[:, 1] - horizon)
    return Face(replace(outline, r=r, aspect=aspect), shift)


def horizon_of(shown: Outlines) -> float | None:
    """Row of the horizon, where the outline does not lean; None where too little was seen."""
    rows, values = shown.shapes.table()
    if len(rows) < LEAST_ROWS or float(np.ptp(rows)) < LEAST_SEEN_R * shown.first.r:
        return None
    line = theilslopes(values[:, 2], rows)
    if abs(float(line.slope)) * float(np.ptp(rows)) < LEAST_LEAN:
        return None
    return float(-line.intercept / line.slope)
