"""Two reps beside each other: brought together at an event, in one scale, one facing."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keenkettle.coach.review import RepReview, Review
from keenkettle.measure.geometry import FloatArray

PATH_SAMPLES = 40  # points of a path between two events
PATH_EVENTS = ("lift_off", "knee_pass", "extension", "peak_height", "bottom")
MOST_DIFFERENCES = 8
CLEARLY = 2.0  # standard deviations of the difference


@dataclass(frozen=True)
class RepOf:
    """A rep with the clip it is from."""

    review: Review
    rep: RepReview

    @property
    def t_s(self) -> FloatArray:
        """Times of the clip's frames, s."""
        return self.review.times_s


@dataclass(frozen=True)
class Pairing:
    """Which frame of the second clip belongs to each of the first.

    Attributes:
        event: where both meet.
        frames: shape (N,), a frame of the second clip for each of the first's.
        there: shape (N,), whether the second clip reaches that moment.
        mirrored: the second faces the other way.
        scale: what the second's picture is to be enlarged by for the same scale.
    """

    event: str
    frames: NDArray[np.int64]
    there: NDArray[np.bool_]
    mirrored: bool
    scale: float


def common_events(a: RepOf, b: RepOf) -> list[str]:
    """Events that both reps have, in order of the first."""
    both = [
        (i, name)
        for name, i in a.rep.events.items()
        if i is not None and b.rep.events.get(name) is not None
    ]
    return [name for _, name in sorted(both)]


def pair(a: RepOf, b: RepOf, event: str) -> Pairing:
    """Bring two reps together at an event.

    Raises:
        ValueError: one of them does not have it.
    """
    at_a, at_b = a.rep.events.get(event), b.rep.events.get(event)
    if at_a is None or at_b is None:
        raise ValueError(f"{event.replace('_', ' ')} was not seen in both; choose another event")
    moments = a.t_s - a.t_s[at_a] + b.t_s[at_b]
    last = len(b.t_s) - 1
    after = np.clip(np.searchsorted(b.t_s, moments), 1, last)
    nearer = np.abs(moments - b.t_s[after - 1]) <= np.abs(b.t_s[after] - moments)
    frames = np.where(nearer, after - 1, after).astype(np.int64)
    half = 0.5 * b.rep.motion.spacing_s
    there = (moments >= b.t_s[0] - half) & (moments <= b.t_s[-1] + half)
    scale = b.review.calibration.mm_per_px / a.review.calibration.mm_per_px
    return Pairing(event, frames, there, a.review.facing != b.review.facing, float(scale))


@dataclass(frozen=True)
class Difference:
    """A measure that differs; ``change`` is second less first, with its standard deviation."""

    metric: str
    first: float
    second: float
    change: float
    sigma: float
    unit: str

    @property
    def clear(self) -> bool:
        """Whether it is more than errors can make."""
        return abs(self.change) > CLEARLY * self.sigma


def differences(a: RepOf, b: RepOf) -> list[Difference]:
    """Measures of both reps, those that differ most for their error first."""
    out = []
    for name, m in a.rep.metrics.items():
        other = b.rep.metrics.get(name)
        if m.value is None or other is None or other.value is None:
            continue
        sigma = float(np.hypot(m.sigma, other.sigma)) or 1e-6
        out.append(Difference(name, m.value, other.value, other.value - m.value, sigma, m.unit))
    return sorted(out, key=lambda d: -abs(d.change) / d.sigma)[:MOST_DIFFERENCES]


@dataclass(frozen=True)
class UsualPath:
    """The middle path of several reps: ``x_mm``, ``y_mm``, ``spread_mm`` shape (M,); ``n`` reps.

    ``spread_mm`` is the median absolute deviation sideways times 1.48 (a standard deviation
    where deviations are normal). The origin is the bar at its start.
    """

    x_mm: FloatArray
    y_mm: FloatArray
    spread_mm: FloatArray
    n: int


def path_of(rep: RepReview) -> FloatArray | None:
    """A rep's path with even steps between its events, shape (M, 2), mm; None without them."""
    marks = [i for name in PATH_EVENTS if (i := rep.events.get(name)) is not None]
    if len(marks) < len(PATH_EVENTS) or any(b <= a for a, b in itertools.pairwise(marks)):
        return None
    steps = [np.linspace(a, b, PATH_SAMPLES) for a, b in itertools.pairwise(marks)]
    at = np.concatenate(steps)
    n = np.arange(len(rep.motion.bar))
    return np.stack([np.interp(at, n, rep.motion.bar[:, k]) for k in (0, 1)], axis=-1)


def usual_path(reps: list[RepReview]) -> UsualPath | None:
    """The median path of reps with all events, or None where fewer than three have them."""
    paths = [p for r in reps if (p := path_of(r)) is not None]
    if len(paths) < 3:
        return None
    stack = np.stack(paths)
    middle = np.median(stack, axis=0)
    spread = 1.48 * np.median(np.abs(stack[..., 0] - middle[:, 0]), axis=0)
    return UsualPath(middle[:, 0], middle[:, 1], spread, len(paths))
