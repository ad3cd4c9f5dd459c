"""The lift catalogue: every lift a point on a few axes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from keenkettle.coach.tables import read_entries

FAMILIES = ("clean", "snatch", "jerk", "squat", "hinge", "press", "swing")
STARTS = (
    "floor", "mid-shin", "below-knee", "above-knee", "mid-thigh", "hip", "blocks", "rack",
    "behind-neck", "overhead",
)  # fmt: skip
ENDS = (
    "deadlift", "pull", "high-pull", "jump-shrug", "muscle", "power-catch", "full-catch",
    "split-catch", "push-press", "squat", "swing",
)  # fmt: skip
CATCHES = ("power-catch", "full-catch", "split-catch")
REVIEWED_FAMILIES = ("clean", "snatch", "hinge")


class UnknownLiftError(ValueError):
    """No such lift; the message lists those there are."""


@dataclass(frozen=True)
class Lift:
    """One lift. ``usual`` and ``most`` are shares of the best of lift ``best``."""

    id: str
    name: str
    family: str
    implement: str
    start: str
    ends: str
    best: str
    usual: float
    most: float
    target: str

    @property
    def caught(self) -> bool:
        """Whether the bar is received."""
        return self.ends in CATCHES


@cache
def all_lifts() -> dict[str, Lift]:
    """The shipped catalogue by id.

    Raises:
        KnowledgeError: the catalogue is wrong.
    """
    lifts = {}
    for e in read_entries("lifts.toml", "lift"):
        lifts[e.id] = Lift(
            id=e.id,
            name=e.text("name"),
            family=e.one_of("family", FAMILIES),
            implement=e.text("implement", "barbell"),
            start=e.one_of("start", STARTS),
            ends=e.one_of("ends", ENDS),
            best=e.text("best"),
            usual=e.number("usual"),
            most=e.number("most"),
            target=e.text("target", ""),
        )
    return lifts


def find_lift(lift_id: str) -> Lift:
    """A lift by id.

    Raises:
        UnknownLiftError: no such lift.
    """
    lifts = all_lifts()
    if lift_id not in lifts:
        raise UnknownLiftError(f"lift '{lift_id}' is unknown; use one of {', '.join(lifts)}")
    return lifts[lift_id]
