"""An athlete as the coach's judgement needs one: goal, body, clearances, bests, pain."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from typing import Any

from keenkettle.coach.lifts import CHECKS, GOALS, JOINTS, all_lifts
from keenkettle.lifter.body import MAX_STATURE_MM, MIN_STATURE_MM

STATES = ("pass", "partly", "not_yet", "not_tested")
ALWAYS_THERE = frozenset({"barbell", "stick", "discs"})
MINOR_AGE = 18
OLDER_AGE = 50


class PersonError(ValueError):
    """A fact about an athlete cannot be; the message names the field and what it should be."""


@dataclass(frozen=True)
class CheckResult:
    """One answer to a clearance."""

    state: str
    day: date | None = None
    note: str = ""
    value: float | None = None


@dataclass(frozen=True)
class Best:
    """A best, kg, with its day and how it is known."""

    kg: float
    day: date | None = None
    how: str = ""


@dataclass(frozen=True)
class OnFilm:
    """What one reviewed clip said of a lift: measures are medians over its reps."""

    clip_id: int
    lift: str
    day: date
    load_kg: float | None
    reps: int
    faults: int  # findings that call for a drill or more, all reps together
    measures: dict[str, float]


@dataclass(frozen=True)
class Person:
    """What is known of an athlete. Lengths mm, masses kg; None or empty is not known.

    Attributes:
        checks: newest answer by clearance.
        pain: joints with present pain; ``past_pain``: joints with a history.
        rungs: ladder id to rung number, from 1.
        liking: lift id to -2 (dislikes) .. 2 (likes).
        rating: lift id to the coach's rating, 1 to 5.
        film: reviewed clips, oldest first.
    """

    name: str = ""
    stature_mm: float | None = None
    mass_kg: float | None = None
    age: float | None = None
    training_years: float | None = None
    sport: str = ""
    goal: str = ""
    sessions_per_week: float | None = None
    checks: dict[str, CheckResult] = field(default_factory=dict)
    pain: tuple[str, ...] = ()
    past_pain: tuple[str, ...] = ()
    equipment: tuple[str, ...] = ()
    bests: dict[str, Best] = field(default_factory=dict)
    rungs: dict[str, int] = field(default_factory=dict)
    open_faults: tuple[str, ...] = ()
    liking: dict[str, int] = field(default_factory=dict)
    rating: dict[str, int] = field(default_factory=dict)
    film: tuple[OnFilm, ...] = ()
    lengths_mm: dict[str, float] = field(default_factory=dict)

    def state(self, check: str) -> str:
        """State of a clearance; "not_tested" where nothing is written."""
        result = self.checks.get(check)
        return result.state if result else "not_tested"

    @property
    def bests_kg(self) -> dict[str, float]:
        """Bests by lift, kg."""
        return {lift: b.kg for lift, b in self.bests.items()}


def _number(data: dict[str, Any], name: str, low: float, high: float) -> float | None:
    value = data.get(name)
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise PersonError(f"{name} is {value!r}; give a number from {low:g} to {high:g}")
    return float(value)


def _text(data: dict[str, Any], name: str) -> str:
    value = data.get(name, "")
    if not isinstance(value, str):
        raise PersonError(f"{name} is {value!r}; give text")
    return value


def _texts(data: dict[str, Any], name: str, allowed: tuple[str, ...] = ()) -> tuple[str, ...]:
    value = data.get(name, [])
    if not isinstance(value, list) or not all(isinstance(v, str) for v in value):
        raise PersonError(f"{name} should be a list of texts")
    for v in value:
        if allowed and v not in allowed:
            raise PersonError(f"{name} holds '{v}'; use {', '.join(allowed)}")
    return tuple(value)


def _table(data: dict[str, Any], name: str) -> dict[str, Any]:
    value = data.get(name, {})
    if not isinstance(value, dict):
        raise PersonError(f"{name} should be a table of names and values")
    return value


def stature_mm(data: dict[str, Any]) -> float | None:
    """Stature from ``stature_cm``, mm.

    Raises:
        PersonError: it cannot be a person's; says so where inches look likely.
    """
    value = data.get("stature_cm")
    if isinstance(value, int | float) and not isinstance(value, bool) and 48 <= value <= 84:
        raise PersonError(
            f"stature_cm is {value:g}, which looks like inches; give {value * 2.54:.0f} cm"
        )
    cm = _number(data, "stature_cm", MIN_STATURE_MM / 10, MAX_STATURE_MM / 10)
    return None if cm is None else cm * 10.0


def person_from(data: dict[str, Any]) -> Person:
    """Read the athlete file of the headless commands; unknown keys are passed over.

    Raises:
        PersonError: a field cannot be; the message names it.
    """
    checks = {}
    for name, value in _table(data, "clearances").items():
        if name not in CHECKS:
            raise PersonError(f"clearances holds '{name}'; use {', '.join(CHECKS)}")
        if value not in STATES:
            raise PersonError(f"clearances.{name} is {value!r}; use {', '.join(STATES)}")
        checks[name] = CheckResult(value)
    bests = {}
    for lift in _table(data, "bests"):
        if lift not in all_lifts() and lift not in {x.best for x in all_lifts().values()}:
            raise PersonError(f"bests holds '{lift}', which is no lift of the catalogue")
        kg = _number(_table(data, "bests"), lift, 0.0, 500.0)
        if kg is not None:
            bests[lift] = Best(kg)
    rungs = {}
    for ladder in _table(data, "rungs"):
        rung = _number(_table(data, "rungs"), ladder, 1, 99)
        if rung is not None:
            rungs[ladder] = int(rung)
    goal = _text(data, "goal")
    if goal and goal not in GOALS:
        raise PersonError(f"goal is '{goal}'; use {', '.join(GOALS)}")
    return Person(
        name=_text(data, "name"),
        stature_mm=stature_mm(data),
        mass_kg=_number(data, "mass_kg", 20, 300),
        age=_number(data, "age", 5, 110),
        training_years=_number(data, "training_years", 0, 90),
        sport=_text(data, "sport"),
        goal=goal,
        sessions_per_week=_number(data, "sessions_per_week", 0, 14),
        checks=checks,
        pain=_texts(data, "pain", JOINTS),
        past_pain=_texts(data, "past_pain", JOINTS),
        equipment=_texts(data, "equipment"),
        bests=bests,
        rungs=rungs,
        open_faults=_texts(data, "open_faults"),
    )
