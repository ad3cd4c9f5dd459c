"""Has a measure moved? Clips before against clips after, with the statistics stated.

One number a clip (the median of its reps), since reps of one set are not independent. The
test is the exact permutation test of the difference of medians (E. S. Edgington, P. Onghena,
Randomization Tests, 4th ed., 2007), one-sided toward better.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import combinations

import numpy as np

from keenkettle.measure.geometry import FloatArray

ENOUGH = 3  # clips on each side, below which nothing is said
SURE = 0.1  # chance of so large a change without any
MOST_CLIPS = 8  # on each side, the nearest in time
BEFORE = timedelta(days=120)


@dataclass(frozen=True)
class Point:
    """A measure on one day of filming."""

    day: date
    value: float


@dataclass(frozen=True)
class Moved:
    """Whether a measure moved the way it was meant to.

    ``answer``: "yes", "no" or "not yet". ``chance`` is None where there was too little.
    """

    answer: str
    before: float | None
    after: float | None
    n_before: int
    n_after: int
    chance: float | None
    says: str


def has_moved(points: Sequence[Point], since: date, better: str, unit: str) -> Moved:
    """Judge the change of a measure at a day.

    Args:
        points: one a clip, any order.
        since: the day from which the drill was done; clips of that day count before.
        better: "less" or "more".
        unit: of the values, for the sentence.
    """
    ordered = sorted(points, key=lambda p: p.day)
    old = [p.value for p in ordered if since - BEFORE <= p.day <= since][-MOST_CLIPS:]
    new = [p.value for p in ordered if p.day > since][:MOST_CLIPS]
    n, k = len(old), len(new)
    a = float(np.median(old)) if old else None
    b = float(np.median(new)) if new else None
    if n < ENOUGH or k < ENOUGH:
        says = f"not yet enough clips: {n} before and {k} after, {ENOUGH} of each are needed"
        return Moved("not yet", a, b, n, k, None, says)
    assert a is not None and b is not None
    sign = -1.0 if better == "less" else 1.0
    chance = _chance(np.array(old) * sign, np.array(new) * sign)
    words = f"median {_show(a, unit)} before ({n} clips), {_show(b, unit)} after ({k})"
    odds = f"so large a change comes by chance in {chance:.0%} of shuffles"
    if sign * (b - a) > 0 and chance <= SURE:
        return Moved("yes", a, b, n, k, chance, f"yes: {words}; {odds}")
    if sign * (b - a) > 0 and n + k < 2 * (ENOUGH + 1):
        says = f"not yet: {words}; {odds}, and few clips cannot tell a small change from none"
        return Moved("not yet", a, b, n, k, chance, says)
    return Moved("no", a, b, n, k, chance, f"no: {words}; {odds}")


def _chance(old: FloatArray, new: FloatArray) -> float:
    """Share of all ways to deal the values out that give at least this difference."""
    both = np.concatenate([old, new])
    seen = np.median(new) - np.median(old)
    chosen = np.array(list(combinations(range(len(both)), len(new))))
    picked = np.zeros((len(chosen), len(both)), dtype=bool)
    np.put_along_axis(picked, chosen, True, axis=1)
    dealt = np.broadcast_to(both, picked.shape)
    after = np.median(dealt[picked].reshape(len(chosen), -1), axis=1)
    before = np.median(dealt[~picked].reshape(len(chosen), -1), axis=1)
    return float(np.mean(after - before >= seen - 1e-12))


def _show(value: float, unit: str) -> str:
    if unit == "mm":
        return f"{value / 10:.1f} cm"
    digits = 0 if unit in ("deg", "ms") else 2
    return f"{value:.{digits}f}{'°' if unit == 'deg' else '' if unit == '1' else ' ' + unit}"
