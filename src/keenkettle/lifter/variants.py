"""A lift as different schools teach it: flowing or with stops, bottom up or from the top down."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from keenkettle.lifter.body import Body
from keenkettle.lifter.demonstrate import (
    RATE_HZ,
    Demonstration,
    Stop,
    demonstrate,
    simulated_shape,
)
from keenkettle.lifter.recipe import Shown

STOP_S = 1.5
STOPPED_AT = ("bar at the knee", "power position")
FROM_THE_TOP = ("hip", "mid-thigh", "above-knee", "below-knee", "floor")


@dataclass(frozen=True)
class Variant:
    """One way of teaching a lift: its words, the lift on its axes, and where it stands still."""

    words: str
    shown: Shown
    stops: tuple[str, ...] = ()


def variants_of(shown: Shown) -> list[Variant]:
    """The lift as it is written first; more only where the simulated lifter can show them."""
    out = [Variant("as it is written", shown)]
    if simulated_shape(shown) is None:
        return out
    if shown.start == "floor":
        out.append(Variant("with stops at the knee and the power position", shown, STOPPED_AT))
        out.append(Variant("with a stop at the knee", shown, STOPPED_AT[:1]))
    for start in FROM_THE_TOP:
        if start != shown.start:
            words = f"from the {start.replace('-', ' ')}, as taught from the top down"
            if start == "floor":
                words = "from the floor, as taught from the bottom up"
            out.append(Variant(words, replace(shown, start=start)))
    return out


def show_variant(variant: Variant, body: Body) -> Demonstration:
    """The demonstration of a variant in a body's proportions."""
    return stand_still(demonstrate(variant.shown, body), variant.stops)


def stand_still(made: Demonstration, at: tuple[str, ...], hold_s: float = STOP_S) -> Demonstration:
    """Stand still at these checkpoints; what comes after is later by as much."""
    frames = [round(s.t_s * RATE_HZ) for s in made.stops if s.name in at]
    if not frames:
        return made
    still = round(hold_s * RATE_HZ)
    times = np.ones(len(made.t_s), dtype=int)
    times[[min(f, len(times) - 1) for f in frames]] += still
    index = np.repeat(np.arange(len(times)), times)
    stops = tuple(
        Stop(s.t_s + hold_s * sum(f < round(s.t_s * RATE_HZ) for f in frames), s.name, s.angles)
        for s in made.stops
    )
    return replace(
        made,
        t_s=np.arange(len(index)) / RATE_HZ,
        hand=made.hand[index],
        joints={n: xy[index] for n, xy in made.joints.items()},
        stops=stops,
    )
