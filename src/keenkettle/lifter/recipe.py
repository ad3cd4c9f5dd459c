"""What is asked of the simulated lifter: which lift, how big each fault.

A fault of size 1 is meant to stand near its "fix" limit; the truth that goes with the
clip always carries the value that was really made.
"""

from __future__ import annotations

from dataclasses import dataclass, field

FAULTS = (
    "hips-rise-first",
    "early-arm-bend",
    "unfinished-extension",
    "bar-bumped-forward",
    "forward-loop",
    "low-contact",
    "jump-back",
    "jump-forward",
    "rushed-first-pull",
    "bar-away-from-hip",
    "bar-crash",
    "low-elbows",
    "shoulders-behind-bar",
)


class RecipeError(ValueError):
    """A lift or fault the simulated lifter does not know; the message lists what it does."""


@dataclass(frozen=True)
class LiftShape:
    """How one lift differs from another for the planar body.

    Angles in degrees, lengths in mm, speeds in m/s. ``arm_scale`` shortens the arm as
    seen from the side for a wide grip. ``bottom_knee`` is None for lifts not caught.
    """

    family: str
    arm_scale: float
    power_trunk: float
    power_knee: float
    bottom_knee: float | None
    bottom_lean: float
    catch_drop: float
    sink: float
    recovery_s: float
    pull_speed: float = 1.45


SHAPES: dict[str, LiftShape] = {
    "clean-pull": LiftShape("clean", 1.0, 83.0, 138.0, None, 0.0, 0.0, 0.0, 0.0),
    "snatch-pull": LiftShape("snatch", 0.78, 87.0, 141.0, None, 0.0, 0.0, 0.0, 0.0, 1.6),
    "power-clean": LiftShape("clean", 1.0, 83.0, 138.0, 94.0, 24.0, 50.0, 70.0, 0.9),
    "clean": LiftShape("clean", 1.0, 83.0, 138.0, 62.0, 31.0, 90.0, 210.0, 1.6),
    "power-snatch": LiftShape("snatch", 0.78, 87.0, 141.0, 78.0, 28.0, 30.0, 70.0, 1.0),
    "snatch": LiftShape("snatch", 0.78, 87.0, 141.0, 52.0, 35.0, 45.0, 150.0, 1.6),
}


@dataclass(frozen=True)
class Recipe:
    """One simulated rep: lift id, stature in mm, and fault sizes by id."""

    lift: str
    stature_mm: float = 1750.0
    faults: dict[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.lift not in SHAPES:
            known = ", ".join(sorted(SHAPES))
            raise RecipeError(f"lift '{self.lift}' cannot be simulated yet; choose one of {known}")
        for name, size in self.faults.items():
            if name not in FAULTS:
                raise RecipeError(
                    f"fault '{name}' cannot be dialled in; choose one of {', '.join(FAULTS)}"
                )
            if not 0.0 <= size <= 3.0:
                raise RecipeError(f"fault '{name}' has size {size:g}; give 0 to 3")

    @property
    def shape(self) -> LiftShape:
        """How this lift is performed."""
        return SHAPES[self.lift]

    def size(self, fault: str) -> float:
        """Size of a fault, 0 where it is not asked for."""
        return self.faults.get(fault, 0.0)
