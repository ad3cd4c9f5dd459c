"""Films of which everything is drawn by lot: nobody chose the lift, the fault, room or camera.

They are judged once, as they come. Whoever mends the program on their account raises ``ROUND``
and has films that nobody has seen; the last round's findings are no longer blind.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from benchmarks.second import Case, table

ROUND = 18
FILMS = 14

PULLED = (
    "hips-rise-first", "unfinished-extension", "bar-bumped-forward", "low-contact",
    "rushed-first-pull", "bar-away-from-hip", "shoulders-behind-bar", "early-arm-bend",
)  # fmt: skip
CAUGHT = (*PULLED, "forward-loop", "jump-back", "jump-forward", "bar-crash")
FRONT = (*CAUGHT, "low-elbows")
#: Each lift with the faults that can be dialled into it.
LIFTS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("power-clean", FRONT), ("clean", FRONT), ("power-snatch", CAUGHT), ("snatch", CAUGHT),
    ("hang-power-clean", ("unfinished-extension", "low-elbows", "bar-crash", "forward-loop")),
    ("hang-snatch", ("unfinished-extension", "forward-loop", "jump-back")),
    ("clean-pull", PULLED), ("snatch-pull", PULLED),
    ("push-press", ("dip-forward", "rebend-in-push-press", "bar-ahead-overhead")),
    ("split-jerk", ("dip-forward", "dip-too-deep", "front-shin-off-vertical")),
    ("power-jerk", ("dip-forward", "dip-too-deep")),
)  # fmt: skip
SOUND_SHARE = 0.2
SIZES = (*4 * [(1280, 720)], *2 * [(720, 1280)], (1920, 1080))
RATES = (30.0, 50.0, 60.0, 60.0, 60.0, 120.0)


def drawn(seed: int) -> Case:
    """The film of this number."""
    rng = np.random.default_rng(seed)

    def often(share: float) -> bool:
        return bool(rng.random() < share)

    def colour(low: float, high: float) -> tuple[float, float, float]:
        r, g, b = (float(v) for v in rng.uniform(low, high, 3))
        return r, g, b

    lift, may = LIFTS[int(rng.integers(len(LIFTS)))]
    fault = may[int(rng.integers(len(may)))]
    faults = {} if often(SOUND_SHARE) else {fault: float(rng.uniform(1.3, 1.7))}
    discs = [(225.0, float(rng.uniform(30, 85)), colour(0.04, 0.6))]
    if often(0.3):
        discs.append((float(rng.uniform(120, 190)), float(rng.uniform(15, 40)), colour(0.04, 0.5)))
    scene: dict[str, Any] = {
        "discs": tuple(discs), "pattern": ("plain", "brick", "panels")[int(rng.integers(3))],
        "light": float(rng.uniform(0.6, 1.1)), "rear_near": often(0.5), "trousers": often(0.4),
        "long_sleeves": often(0.3),
    }  # fmt: skip
    if often(0.4):
        scene["ring"] = colour(0.2, 0.95)
    if often(0.2):
        scene["bystander"] = (float(rng.choice([-1, 1]) * rng.uniform(1100, 1700)), -900.0)
    if often(0.15):
        scene["post"] = (float(rng.choice([-1, 1]) * rng.uniform(300, 600)), 1300.0)
    width, height = SIZES[int(rng.integers(len(SIZES)))]
    phone = {
        "width": width, "height": height, "fps": RATES[int(rng.integers(len(RATES)))],
        "facing": "right" if often(0.5) else "left", "roll_deg": float(rng.normal(0.0, 1.0)),
        "exposure_s": float(1.0 / rng.uniform(60, 500)), "noise": float(rng.uniform(2, 8)),
        "k1": float(rng.choice([0.0, 0.0, -0.04])), "sway_mm": float(rng.choice([0.0, 0.0, 7.0])),
    }  # fmt: skip
    return Case(f"lot-{seed}", lift, faults, seed, scene, phone, float(rng.uniform(-12, 12)))


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    first = 20_000 + 100 * ROUND
    return table("by lot", [drawn(first + n) for n in range(2 if quick else FILMS)])
