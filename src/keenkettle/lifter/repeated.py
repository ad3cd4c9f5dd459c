"""Several reps one after the other, as a set is lifted."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from keenkettle.lifter.curves import smoothstep
from keenkettle.lifter.motion import RATE_HZ, SimMotion
from keenkettle.lifter.recipe import RecipeError
from keenkettle.measure.geometry import FloatArray

BACK_S = 1.1  # from the end of one rep to the start of the next


def set_of(reps: list[SimMotion]) -> SimMotion:
    """One motion of several reps of a lift at 1 kHz, mm; between them the body goes back.

    The way back is eased in a straight line for every joint, so it must be short: a hang lift
    that is not caught.

    Raises:
        RecipeError: there are none, or they are not of one body and lift.
    """
    if not reps or any((r.lift, r.body) != (reps[0].lift, reps[0].body) for r in reps):
        raise RecipeError("a set needs reps of one lift by one body")
    ease = smoothstep(np.arange(round(BACK_S * RATE_HZ)) / RATE_HZ, 0.0, BACK_S)[:, None]

    def joined(name: str) -> FloatArray:
        parts: list[FloatArray] = []
        for i, rep in enumerate(reps):
            own = rep.bar if name == "bar" else rep.joints[name]
            if i:
                parts.append(parts[-1][-1] + ease * (own[0] - parts[-1][-1]))
            parts.append(own)
        return np.concatenate(parts)

    bar = joined("bar")
    return replace(
        reps[0],
        t_s=np.arange(len(bar)) / RATE_HZ,
        bar=bar,
        joints={name: joined(name) for name in reps[0].joints},
        timeline=None,
    )
