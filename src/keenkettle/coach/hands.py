"""Left hand against right over the reps of a one-arm lift."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from keenkettle.measure.sheet import HANDS_LACK, UNITS, Measure, Measures

NAME = "side_difference"
COMPARED = ("bar_peak_velocity", "bar_peak_height")
LEAST_REPS = 2  # with each hand


def hand_of(hands: str, rep: int) -> str:
    """The hand, L or R, of a rep counted from 1; a pattern goes on as it began."""
    return hands[(rep - 1) % len(hands)] if hands else ""


def side_difference(reps: Sequence[Measures], hands: str) -> Measure:
    """By what share one hand is faster or lifts higher than the other, whichever is more.

    Args:
        reps: measures of each rep in order.
        hands: L or R a rep, such as "LLLRRR"; a shorter pattern repeats.

    Returns:
        A share of the mean of both hands, with its standard error from the scatter between
        reps and the reps' own errors.
    """
    best: Measure | None = None
    for name in COMPARED:
        sides: dict[str, list[tuple[float, float]]] = {"L": [], "R": []}
        for i, measures in enumerate(reps):
            hand, one = hand_of(hands, i + 1), measures.get(name)
            if hand and one is not None and one.value is not None:
                sides[hand].append((one.value, one.sigma))
        if min(map(len, sides.values())) < LEAST_REPS:
            continue
        left, right = (np.array(v) for v in sides.values())
        middle = (left[:, 0].mean() + right[:, 0].mean()) / 2.0
        errors = [
            np.hypot(side[:, 0].std(ddof=1), np.median(side[:, 1])) / np.sqrt(len(side))
            for side in (left, right)
        ]
        share = abs(float(left[:, 0].mean() - right[:, 0].mean())) / abs(middle)
        if best is None or best.value is None or share > best.value:
            sigma = float(np.linalg.norm(errors)) / abs(float(middle))
            best = Measure(share, sigma, UNITS[NAME], None)
    return best or Measure(None, 0.0, UNITS[NAME], None, HANDS_LACK)
