"""Films by the second renderer in a gym at work: people walk by, another lifts behind, discs stand
about, bars are let go, sets are lifted, and the camera sets its exposure anew. Judged as the matrix
is, with nuisances. Some of them are drawn by lot, and judged as ``lot`` says.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from benchmarks import lot
from benchmarks.second import BLACK, BLUE, GREEN, RED, Case, table

SPARES = ((-1050.0, 500.0), (980.0, 350.0), (1400.0, -700.0))
CASES = (
    Case("gym-walker", "power-clean", {"early-arm-bend": 1.5}, 31001, {"walker": (1500.0, 1.0)}),
    Case("gym-walker-left", "snatch", {"forward-loop": 1.5}, 31002,
         {"walker": (1250.0, -1.0), "pattern": "brick"}, {"width": 720, "height": 1280}),
    Case("gym-two", "clean", {"hips-rise-first": 1.5}, 31003,
         {"second": (1300.0, -1300.0, 0.5, RED), "discs": ((225.0, 65.0, BLUE),)}),
    Case("gym-two-alike", "power-snatch", {"bar-away-from-hip": 1.5}, 31004,
         {"second": (-1250.0, -900.0, -0.6, BLACK), "discs": ((225.0, 60.0, BLACK),)},
         {"facing": "left"}),
    Case("gym-spares", "power-clean", {"unfinished-extension": 1.5}, 31005, {"spares": SPARES}),
    Case("gym-spares-two-discs", "snatch-pull", {"shoulders-behind-bar": 1.5}, 31006,
         {"spares": SPARES, "discs": ((225.0, 65.0, GREEN), (170.0, 25.0, RED))},
         {"facing": "left", "sway_mm": 7.0}),
    Case("gym-let-go", "power-snatch", {"jump-back": 1.5}, 31007, {}, {}, 0.0, 1, True),
    Case("gym-let-go-clean", "power-clean", {}, 31008, {"pattern": "panels"},
         {"facing": "left", "sway_mm": 6.0}, 5.0, 1, True),
    Case("gym-set", "clean-pull", {"early-arm-bend": 1.5}, 31009, {"pattern": "brick"}, {}, 0.0, 3),
    Case("gym-set-hang", "snatch-pull", {"hips-rise-first": 1.5}, 31010,
         {"discs": ((225.0, 60.0, RED),)}, {"fps": 30.0, "facing": "left"}, 0.0, 2),
    Case("gym-exposure", "clean", {"bar-crash": 1.5}, 31011, {}, {"drift": 0.35}),
    Case("gym-exposure-dim", "split-jerk", {"dip-forward": 1.5}, 31012, {"light": 0.7},
         {"drift": 0.3, "noise": 7.0}),
)  # fmt: skip

ROUND = 8
FILMS = 6
HAPPENS = ("walker", "second", "let go", "spares", "drift")


def drawn(seed: int) -> Case:
    """The film of this number: as ``lot`` draws it, and something that happens in a gym."""
    rng = np.random.default_rng(seed)
    case = lot.drawn(seed)

    def aside(near: float, far: float) -> float:
        return float(rng.choice([-1.0, 1.0]) * rng.uniform(near, far))

    scene: dict[str, Any] = dict(case.scene)
    phone: dict[str, Any] = dict(case.phone)
    happens = HAPPENS[seed % len(HAPPENS)]
    match happens:
        case "walker":
            scene["walker"] = (float(rng.uniform(1100, 1700)), float(rng.choice([-1, 1])))
        case "second":
            colour = tuple(float(v) for v in rng.uniform(0.04, 0.6, 3))
            late_s = aside(0.3, 0.9)
            scene["second"] = (aside(1100, 1700), float(rng.uniform(-1700, -700)), late_s, colour)
        case "drift":
            phone["drift"] = float(rng.uniform(0.2, 0.4))
    if happens == "spares" or rng.random() < 0.3:
        scene["spares"] = tuple((aside(850, 1600), float(rng.uniform(-900, 700))) for _ in range(3))
    name = f"gym-{seed}"
    return replace(case, name=name, scene=scene, phone=phone, drops=happens == "let go")


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    if quick:
        return table("gym", CASES[:2])
    first = 40_000 + 100 * ROUND
    by_lot = [drawn(first + n) for n in range(FILMS)]
    return [*table("gym", CASES), *table("gym by lot", by_lot)]
