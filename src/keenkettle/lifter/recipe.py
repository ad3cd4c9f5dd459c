"""What is asked of the simulated lifter: which lift, how big each fault.

A fault of size 1 is meant to stand near its "fix" limit; the truth that goes with the
clip always carries the value that was really made.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from keenkettle.measure.kinds import CATCHES

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

#: Ways in which schools teach a lift that change how it looks: the feet stay where they are, light
#: loads leave the ground, the knees straighten and are bent again on purpose.
MANNERS = ("planted-feet", "airborne", "re-bend")


class RecipeError(ValueError):
    """A lift or fault the simulated lifter does not know; the message lists what it does."""


@dataclass(frozen=True)
class Shown:
    """A lift on its axes. Fields as in the catalogue."""

    family: str
    implement: str
    start: str
    ends: str
    pre: str = "none"

    @property
    def caught(self) -> bool:
        """Whether the bar is received."""
        return self.ends in CATCHES


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
    "snatch-pull": LiftShape("snatch", 0.78, 90.0, 128.0, None, 0.0, 0.0, 0.0, 0.0, 1.6),
    "power-clean": LiftShape("clean", 1.0, 83.0, 138.0, 94.0, 24.0, 50.0, 70.0, 0.9),
    "clean": LiftShape("clean", 1.0, 83.0, 138.0, 62.0, 31.0, 90.0, 210.0, 1.6),
    "power-snatch": LiftShape("snatch", 0.78, 90.0, 128.0, 78.0, 28.0, 30.0, 70.0, 1.0),
    "snatch": LiftShape("snatch", 0.78, 90.0, 128.0, 52.0, 35.0, 45.0, 150.0, 1.6),
}


#: Where a start lies on the path of the pull: 0 set, 1 bar at the knee, 2 power position.
STARTS = {
    "floor": 0.0, "raised": 0.0, "mid-shin": 0.45, "below-knee": 0.85, "above-knee": 1.35,
    "blocks": 1.35, "mid-thigh": 1.75, "hip": 2.0,
}  # fmt: skip
#: Lifts of the catalogue that are one of the shapes from another start.
HANG_LIFTS = {
    "hang-power-clean": ("power-clean", "above-knee"),
    "hang-clean": ("clean", "above-knee"),
    "hang-power-snatch": ("power-snatch", "above-knee"),
    "hang-snatch": ("snatch", "above-knee"),
    "mid-thigh-pull": ("clean-pull", "mid-thigh"),
} | {
    f"{family}-{start}-{end}": (shape, start)
    for family in ("clean", "snatch")
    for end, shape in (
        ("pull", f"{family}-pull"), ("power-catch", f"power-{family}"), ("full-catch", family),
    )
    for start in ("mid-shin", "below-knee", "above-knee", "mid-thigh", "hip", "blocks")
}  # fmt: skip


def recipe_for(lift: str, stature_mm: float, faults: dict[str, float] | None = None) -> Recipe:
    """The recipe of a lift of the catalogue.

    Raises:
        RecipeError: it cannot be simulated.
    """
    shape, start = HANG_LIFTS.get(lift, (lift, "floor"))
    return Recipe(shape, stature_mm, faults or {}, start)


@dataclass(frozen=True)
class Recipe:
    """One simulated rep: shape, stature in mm, fault sizes by id, start, and a school's manner.

    ``effort``: share of the usual release speed; only for lifts that are not caught, since what is
    caught must rise as high as the catch needs.
    """

    lift: str
    stature_mm: float = 1750.0
    faults: dict[str, float] = field(default_factory=dict)
    start: str = "floor"
    manner: str = ""
    effort: float = 1.0

    def __post_init__(self) -> None:
        if self.lift not in SHAPES:
            known = ", ".join([*sorted(SHAPES), *HANG_LIFTS])
            raise RecipeError(f"lift '{self.lift}' cannot be simulated yet; choose one of {known}")
        if self.manner and self.manner not in MANNERS:
            raise RecipeError(f"manner '{self.manner}' is unknown; choose {', '.join(MANNERS)}")
        for name, size in self.faults.items():
            if name not in FAULTS:
                raise RecipeError(
                    f"fault '{name}' cannot be dialled in; choose one of {', '.join(FAULTS)}"
                )
            if not 0.0 <= size <= 3.0:
                raise RecipeError(f"fault '{name}' has size {size:g}; give 0 to 3")

    @property
    def start_s(self) -> float:
        """Where on the path of the pull it starts."""
        return STARTS[self.start]

    @property
    def feet(self) -> tuple[float, float]:
        """How far the feet are shuffled back and how high they come off the floor, mm."""
        return {"planted-feet": (0.0, 0.0), "airborne": (10.0, 95.0)}.get(self.manner, (10.0, 28.0))

    @property
    def shape(self) -> LiftShape:
        """How this lift is performed."""
        return SHAPES[self.lift]

    @property
    def shown(self) -> Shown:
        """The lift on its axes."""
        full = {"clean": "full-catch", "snatch": "full-catch"}
        ends = "pull" if self.lift.endswith("-pull") else full.get(self.lift, "power-catch")
        return Shown(self.shape.family, "barbell", self.start, ends)

    def size(self, fault: str) -> float:
        """Size of a fault, 0 where it is not asked for."""
        return self.faults.get(fault, 0.0)
