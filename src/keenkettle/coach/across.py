"""Across a set: how reps scatter, whether they fade, and which was the last good one.

Scatter is the standard deviation from rep to rep with the error of measuring taken out. Fade is
the slope over the rep's number by least squares; its error is the larger of what the reps'
own spread and the measuring make it. That speed lost over a set tells tiredness is from
L. Sanchez-Medina, J. J. Gonzalez-Badillo, Med Sci Sports Exerc 43(9), 2011; a tenth is our choice
for lifts that are caught, whose faults come before failure.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from keenkettle.coach.compare import path_of
from keenkettle.coach.review import RepReview

#: Measures looked at, and which way is worse: less (-1), more (1), or either (0).
WORSE = {
    "bar_peak_velocity": -1, "bar_peak_height": -1, "hip_extension": -1, "turnover_time": 1,
    "catch_drop": 1, "forward_swing": 1, "dip_depth": 0, "net_x": 0, "hold_sway": 1,
}  # fmt: skip
LOST = 0.10  # of the best speed so far
CLEARLY = 2.0  # standard errors
ENOUGH = 3  # reps, below which neither scatter nor fade is told


@dataclass(frozen=True)
class Across:
    """One measure over the reps; ``scatter`` and ``slope`` (a rep) are None under three values.

    ``values`` are None where a rep did not show it; ``sigma`` is the error of one value.
    """

    metric: str
    unit: str
    values: tuple[float | None, ...]
    sigma: float
    scatter: float | None
    slope: float | None
    slope_sigma: float

    @property
    def fades(self) -> bool:
        """Whether it gets worse by more than errors and scatter can make."""
        worse = WORSE[self.metric]
        return self.slope is not None and worse * self.slope > CLEARLY * self.slope_sigma


@dataclass(frozen=True)
class Set:
    """The reps of a set; ``last_good`` counts from 1, ``why`` says what ended it.

    ``path_mm``: how far the bar's paths lie apart sideways, a standard deviation; None under three.
    """

    n: int
    measures: tuple[Across, ...]
    path_mm: float | None
    last_good: int
    why: str


def across(reps: Sequence[RepReview]) -> Set | None:
    """What the reps of a set say together; None for fewer than two."""
    if len(reps) < 2:
        return None
    measures = tuple(a for name in WORSE if (a := _measure(name, reps)) is not None)
    last, why = _last_good(reps)
    return Set(len(reps), measures, _apart_mm(reps), last, why)


def _measure(name: str, reps: Sequence[RepReview]) -> Across | None:
    found = [r.metrics.get(name) for r in reps]
    values = tuple(m.value if m is not None else None for m in found)
    known = [(i, m) for i, m in enumerate(found) if m is not None and m.value is not None]
    if len(known) < 2:
        return None
    sigma = float(np.median([m.sigma for _, m in known]))
    unit = known[0][1].unit
    if len(known) < ENOUGH:
        return Across(name, unit, values, sigma, None, None, 0.0)
    x = np.array([float(i) for i, _ in known])
    y = np.array([m.value for _, m in known], dtype=float)
    scatter = float(np.sqrt(max(np.var(y, ddof=1) - sigma**2, 0.0)))
    dx = x - x.mean()
    slope = float(dx @ y / (dx @ dx))
    rest = y - y.mean() - slope * dx
    spread = max(float(rest @ rest) / (len(y) - 2), sigma**2)
    return Across(name, unit, values, sigma, scatter, slope, float(np.sqrt(spread / (dx @ dx))))


def _last_good(reps: Sequence[RepReview]) -> tuple[int, str]:
    """The rep before the first that loses a tenth of its speed or shows a new fault to be mended.

    A rep's speed counts as lost only where its error leaves no doubt.
    """
    first = {f.fault for f in reps[0].verdict.findings}
    best, best_sigma = 0.0, 0.0
    for n, rep in enumerate(reps, 1):
        new = [f for f in rep.verdict.findings if f.severity != "note" and f.fault not in first]
        if n > 1 and new:
            return n - 1, f"rep {n} brings {new[0].fault.replace('-', ' ')}"
        speed = rep.metrics.get("bar_peak_velocity")
        if speed is None or speed.value is None:
            continue
        error = CLEARLY * float(np.hypot(speed.sigma, best_sigma))
        if speed.value < (1.0 - LOST) * best and best - speed.value > error:
            lost = 1.0 - speed.value / best
            return n - 1, f"rep {n} has lost {lost:.0%} of the best speed"
        if speed.value > best:
            best, best_sigma = speed.value, speed.sigma
    return len(reps), "none falls off"


def _apart_mm(reps: Sequence[RepReview]) -> float | None:
    paths = [p for r in reps if (p := path_of(r)) is not None]
    if len(paths) < ENOUGH:
        return None
    sideways = np.stack(paths)[..., 0]
    return float(np.sqrt(np.mean(np.var(sideways, axis=0, ddof=1))))
