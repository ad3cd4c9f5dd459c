"""Who else is in the room while somebody lifts: they stand and sway, or walk by in front."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from benchmarks.scene import Colour
from keenkettle.measure.geometry import FloatArray

PACE_HZ, STRIDE = 0.9, 0.22  # of a walk; half a stride, shares of the height
WALKS_MM_S = 1250.0
FROM_MM = 1500.0  # from the lifter to where a walk is at its beginning


@dataclass(frozen=True)
class Part:
    """A limb of somebody: its ends (2, 3) at a time in s, its radius, mm, and its colour."""

    ends: Callable[[float], FloatArray]
    radius_mm: float
    colour: Colour


def _clothes(rng: np.random.Generator) -> list[Colour]:
    def one() -> Colour:
        r, g, b = (float(v) for v in rng.uniform(0.1, 0.7, 3))
        return r, g, b

    return [one() for _ in range(2)]


def bystander(x: float, z: float, skin: Colour, rng: np.random.Generator) -> list[Part]:
    """Somebody who stands and sways at world (x, z), mm."""
    tall = float(rng.uniform(1600, 1900))
    cloth = _clothes(rng)
    parts = [
        ((0, 0.53), (0, 0.80), 0.062, cloth[0]), ((0, 0.80), (0, 0.93), 0.04, skin),
        ((-25, 0.04), (-20, 0.53), 0.045, cloth[1]), ((30, 0.04), (20, 0.53), 0.045, cloth[1]),
        ((40, 0.80), (60, 0.48), 0.03, cloth[0]),
    ]  # fmt: skip

    def swaying(
        low: tuple[float, float], high: tuple[float, float]
    ) -> Callable[[float], FloatArray]:
        ends = np.array([[x + low[0], low[1] * tall, z], [x + high[0], high[1] * tall, z]])
        way = np.array([25.0, 0.0, 0.0]) * ends[:, 1:2] / 1000.0
        return lambda t: np.asarray(ends + np.sin(0.9 * t) * way)

    return [Part(swaying(low, high), share * tall, colour) for low, high, share, colour in parts]


def walker(z: float, way: float, skin: Colour, rng: np.random.Generator) -> list[Part]:
    """Somebody who walks by at world depth ``z``, mm, to the right or (``way`` -1) the left."""
    tall = float(rng.uniform(1600, 1900))
    cloth = _clothes(rng)

    def limb(
        low: tuple[float, float], high: tuple[float, float], beside: float
    ) -> Callable[[float], FloatArray]:
        """From one place to another; each (swing, height) as shares of the height."""

        def at(t: float) -> FloatArray:
            x = way * (WALKS_MM_S * t - FROM_MM)
            swing = np.sin(2.0 * np.pi * PACE_HZ * t) * tall
            return np.array(
                [[x + share * swing, up * tall, z + beside] for share, up in (low, high)]
            )

        return at

    return [
        Part(limb((0, 0.53), (0, 0.80), 0.0), 0.062 * tall, cloth[0]),
        Part(limb((0, 0.86), (0, 0.92), 0.0), 0.055 * tall, skin),
        Part(limb((STRIDE, 0.04), (0, 0.53), 80.0), 0.045 * tall, cloth[1]),
        Part(limb((-STRIDE, 0.04), (0, 0.53), -80.0), 0.045 * tall, cloth[1]),
        Part(limb((-0.14, 0.48), (0, 0.80), 190.0), 0.03 * tall, cloth[0]),
        Part(limb((0.14, 0.48), (0, 0.80), -190.0), 0.03 * tall, cloth[0]),
    ]
