"""What if: the rep simulated again without one fault, so that mending is ranked by what it gives.

Each fault found is dialled into the simulated lifter until its measure is the one the film showed
(a straight line through sizes 0 and 1); then the rep is made with all of them, and without each.
It is a model in the athlete's stature, not a forecast: it tells what hangs on what.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from keenkettle.coach.judge import Finding
from keenkettle.coach.lifts import Lift
from keenkettle.lifter.drawn import simulate
from keenkettle.lifter.recipe import FAULTS, RecipeError, Shown
from keenkettle.lifter.truth import truth_of
from keenkettle.measure.sheet import Measures

MOST_SIZE = 2.5
SMALLER = 0.8  # where no body can show all of them together, each is taken so much smaller
TRIES = 4
#: What a rep costs, and how much of each weighs as much as the others for the ranking.
COSTS = {"bar_peak_velocity": 0.05, "forward_swing": 20.0, "catch_drop": 30.0}
LEAST = 0.1  # of those; less is nothing
Rep = Callable[[dict[str, float]], Measures]


@dataclass(frozen=True)
class Gain:
    """What mending one fault, and what follows from it, saves.

    ``with_it`` are the faults that go with it; ``speed_m_s`` less is needed at the fastest point
    for the same catch, the bar swings ``swing_mm`` less forward and falls ``drop_mm`` less onto
    the lifter. Negative values are more.
    """

    fault: str
    with_it: tuple[str, ...]
    speed_m_s: float
    swing_mm: float
    drop_mm: float

    @property
    def worth(self) -> float:
        """For ranking: savings in the units of ``COSTS``."""
        saved = (self.speed_m_s, self.swing_mm, self.drop_mm)
        return float(sum(s / unit for s, unit in zip(saved, COSTS.values(), strict=True)))


def can_ask(findings: Sequence[Finding]) -> list[Finding]:
    """The findings that were measured and that the simulated lifter can show."""
    return [f for f in findings if f.fault in FAULTS and f.evidence]


def what_if(lift: Lift, stature_mm: float, findings: Sequence[Finding]) -> list[Gain]:
    """What mending each would give, the most first.

    Raises:
        RecipeError: the lift or these faults together cannot be simulated.
    """
    asked = can_ask(findings)
    shown = Shown(lift.family, lift.implement, lift.start, lift.ends, lift.pre)

    def rep(faults: dict[str, float]) -> Measures:
        return truth_of(simulate(lift.id, shown, stature_mm, faults)).metrics

    plain = rep({})
    sizes = {f.fault: _size(f, plain, rep({f.fault: 1.0})) for f in asked}
    sizes = {name: size for name, size in sizes.items() if size > 0.0}
    whole, sizes = _together(rep, sizes)
    gains = []
    for f in asked:
        if f.fault not in sizes:
            continue
        gone = {f.fault} | {g.fault for g in asked if g.follows == f.fault}
        left = rep({n: s for n, s in sizes.items() if n not in gone})
        saved = [_of(whole, m) - _of(left, m) for m in COSTS]
        gains.append(Gain(f.fault, tuple(sorted(gone - {f.fault})), *saved))
    return sorted(gains, key=lambda g: -g.worth)


def says(gain: Gain) -> str:
    """A gain in words."""
    parts = []
    for saved, unit, text in (
        (gain.speed_m_s, COSTS["bar_peak_velocity"], "{:.2f} m/s {} speed for the same catch"),
        (gain.swing_mm / 10.0, COSTS["forward_swing"] / 10.0, "{:.1f} cm {} forward swing"),
        (gain.drop_mm / 10.0, COSTS["catch_drop"] / 10.0, "{:.1f} cm {} fall onto the lifter"),
    ):
        if abs(saved) >= LEAST * unit:
            parts.append(text.format(abs(saved), "less" if saved > 0 else "more"))
    return ", ".join(parts) or "nothing that the bar would show"


def _of(measures: Measures, name: str) -> float:
    found = measures.get(name)
    return 0.0 if found is None or found.value is None else float(found.value)


def _size(finding: Finding, plain: Measures, one: Measures) -> float:
    """The size at which the simulated measure is the one that was seen."""
    seen = finding.evidence[0]
    a, b = _of(plain, seen.metric), _of(one, seen.metric)
    if abs(b - a) < 1e-6:
        return 1.0
    return float(np.clip((seen.value - a) / (b - a), 0.0, MOST_SIZE))


def _together(rep: Rep, sizes: dict[str, float]) -> tuple[Measures, dict[str, float]]:
    """The rep with all faults, made smaller where no body could show them together."""
    for _ in range(TRIES):
        try:
            return rep(sizes), sizes
        except RecipeError:
            sizes = {name: SMALLER * size for name, size in sizes.items()}
    return rep(sizes), sizes
