"""The lift catalogue: every lift a point on a few axes."""

from __future__ import annotations

from dataclasses import dataclass
from difflib import get_close_matches
from functools import cache

from keenkettle.coach.tables import Entry, read_entries

FAMILIES = ("clean", "snatch", "jerk", "squat", "hinge", "press", "swing", "jump")
IMPLEMENTS = ("barbell", "dumbbell", "kettlebell", "stick", "medicine-ball", "none")
STARTS = (
    "floor", "raised", "blocks", "mid-shin", "below-knee", "above-knee", "mid-thigh", "hip",
    "pins", "tall", "rack", "behind-neck", "overhead", "standing",
)  # fmt: skip
PRE = ("none", "countermovement", "pause", "two-pauses")
ENDS = (
    "hold", "to-knee", "deadlift", "shrug", "jump-shrug", "pull", "high-pull", "muscle",
    "power-catch", "full-catch", "split-catch", "push-press", "press", "squat", "swing", "dip",
    "step", "row", "jump", "throw",
)  # fmt: skip
CATCHES = ("power-catch", "full-catch", "split-catch")
LIFT_PHASES = (
    "set position", "first pull", "transition", "second pull", "turnover", "catch", "recovery",
    "dip", "drive", "split", "lockout", "overhead hold",
)  # fmt: skip
JOINTS = ("shoulder", "elbow", "wrist", "back", "knee")
CHECKS = (
    "rack", "front_squat", "overhead", "overhead_squat_quarter", "overhead_squat",
    "set_position", "hinge", "landing", "bail_out",
)  # fmt: skip
GOALS = (
    "max-force", "rate-of-force", "velocity", "power", "technique", "conditioning", "balance",
    "triple-extension", "whole-body-pull", "contrast",
)  # fmt: skip
VIEWS = ("side", "front")


class UnknownLiftError(ValueError):
    """No such lift; the message names those like it."""


@dataclass(frozen=True)
class Lift:
    """One lift on its axes.

    Attributes:
        pre: movement before the lift proper.
        phases: what it trains.
        needs: clearances that must be passed.
        skills: lifts that are learnt before it.
        loads: joints that it loads.
        complexity: 1 to 5; ``sessions``: to acceptable form, from and to.
        usual, least, most: shares of the best of lift ``best``; ``reps``: a set, from and to.
        force, velocity: ordinal rank among the derivatives, 10 the most; None off that line.
        target: body height the bar should reach, else empty.
        aims: what it serves by goal, 1 to 3.
    """

    id: str
    name: str
    family: str
    implement: str
    hands: int
    start: str
    pre: str
    ends: str
    phases: tuple[str, ...]
    needs: tuple[str, ...]
    skills: tuple[str, ...]
    loads: tuple[str, ...]
    complexity: int
    sessions: tuple[int, int]
    best: str
    usual: float
    least: float
    most: float
    reps: tuple[int, int]
    force: int | None
    velocity: int | None
    target: str
    equipment: tuple[str, ...]
    view: str
    aims: dict[str, int]
    why: str

    @property
    def caught(self) -> bool:
        """Whether the bar is received."""
        return self.ends in CATCHES


def read_lifts(source: str | None = None) -> dict[str, Lift]:
    """Lifts by id; ``source`` is text to read instead of the shipped catalogue.

    Raises:
        KnowledgeError: an entry is wrong or names a lift that is not there.
    """
    entries = read_entries("lifts.toml", "lift", source)
    lifts = {e.id: _lift(e) for e in entries}
    for e in entries:
        unknown = [s for s in e.texts("skills") if s not in lifts]
        if unknown:
            raise e.fail("skills", f"ids of lifts; '{unknown[0]}' is none")
    return lifts


def _lift(e: Entry) -> Lift:
    lift = Lift(
        id=e.id,
        name=e.text("name"),
        family=e.one_of("family", FAMILIES),
        implement=e.one_of("implement", IMPLEMENTS, "barbell"),
        hands=int(e.number("hands", 2)),
        start=e.one_of("start", STARTS),
        pre=e.one_of("pre", PRE, "none"),
        ends=e.one_of("ends", ENDS),
        phases=e.some_of("phases", LIFT_PHASES),
        needs=e.some_of("needs", CHECKS),
        skills=e.texts("skills"),
        loads=e.some_of("loads", JOINTS),
        complexity=int(e.number("complexity")),
        sessions=e.span("sessions"),
        best=e.text("best"),
        usual=e.number("usual"),
        least=e.number("least"),
        most=e.number("most"),
        reps=e.span("reps"),
        force=_rank(e, "force"),
        velocity=_rank(e, "velocity"),
        target=e.text("target", ""),
        equipment=e.texts("equipment"),
        view=e.one_of("view", VIEWS, "side"),
        aims=e.counts("aims", GOALS),
        why=e.text("why"),
    )
    if not lift.least <= lift.usual <= lift.most:
        raise e.fail("usual", "between 'least' and 'most'")
    if lift.caught and lift.most > 1.0:
        raise e.fail("most", "1.0 or less, because the bar is caught")
    if not 1 <= lift.complexity <= 5:
        raise e.fail("complexity", "1 to 5")
    return lift


def _rank(e: Entry, field: str) -> int | None:
    return int(e.number(field)) if field in e.data else None


@cache
def all_lifts() -> dict[str, Lift]:
    """The catalogue by id: the shipped lifts and the coach's own.

    Raises:
        KnowledgeError: the catalogue is wrong.
    """
    return read_lifts()


def find_lift(lift_id: str) -> Lift:
    """A lift by id.

    Raises:
        UnknownLiftError: no such lift.
    """
    lifts = all_lifts()
    if lift_id not in lifts:
        near = get_close_matches(lift_id, lifts, 5, 0.5) or list(lifts)[:8]
        raise UnknownLiftError(
            f"lift '{lift_id}' is unknown; did you mean {', '.join(near)}? "
            "knowledge/lifts.toml lists all"
        )
    return lifts[lift_id]
