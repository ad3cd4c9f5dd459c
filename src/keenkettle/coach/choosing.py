"""Which lift to teach: a ranking with its reasons, closed lifts with what would open them.

Every point has a reason beside it; nothing is a bare score. The criteria are weighed by
numbers that the coach can change. The coach's own favourite carries no weight.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from keenkettle.coach.clearing import Closure, closures, open_lifts
from keenkettle.coach.faults import all_faults
from keenkettle.coach.lifts import GOALS, Lift, all_lifts
from keenkettle.coach.limiter import Limiter, what_limits
from keenkettle.coach.person import MINOR_AGE, OLDER_AGE, Person

#: Weight of each criterion; the coach may change any of them.
WEIGHTS: dict[str, float] = {
    "goal": 3.0,
    "phase": 1.0,
    "time": 1.0,
    "build": 1.0,
    "experience": 1.0,
    "fault": 1.5,
    "history": 1.0,
    "liking": 0.5,
    "variety": 0.5,
    "challenge": 0.5,
}
GOAL_WORDS = {
    "max-force": "maximal force",
    "rate-of-force": "rate of force",
    "velocity": "velocity",
    "power": "power",
    "technique": "technique of the competition lift",
    "conditioning": "conditioning",
    "balance": "left and right alike",
    "triple-extension": "triple extension",
    "whole-body-pull": "whole-body pull",
    "contrast": "contrast before jumps",
}
TALL_MM = 1880.0  # from here on a floor start is usually dear; a working value
PHASE_WANTS = {
    "work-capacity": ("pull", "to-knee", "shrug", "deadlift", "squat"),
    "maximal-strength": ("pull", "shrug", "deadlift", "squat"),
    "absolute-strength": ("pull", "shrug", "squat", "power-catch"),
    "strength-speed": ("power-catch", "full-catch", "pull", "shrug"),
    "speed-strength": ("jump-shrug", "high-pull", "jump", "throw", "power-catch"),
}
PHASE_STARTS = ("hip", "mid-thigh", "above-knee", "below-knee", "floor")
HIGHER_START = {
    "first pull": ("above-knee", "mid-thigh", "hip", "blocks"),
    "transition": ("mid-thigh", "hip"),
    "second pull": ("mid-thigh", "hip"),
    "set position": ("above-knee", "mid-thigh", "hip", "blocks", "raised"),
}
ELSEWHERE = ("jump", "swing")
LEAST_REPS = 3  # on film, before it says anything of a lift
FAST_GOALS = ("velocity", "power", "rate-of-force")
DRIVE_GOALS = ("power", "rate-of-force", "velocity", "max-force")


class ChoiceError(ValueError):
    """A goal, phase or criterion that is not known; the message lists those that are."""


@dataclass(frozen=True)
class Choice:
    """One open lift with its points and the reasons for and against."""

    lift: Lift
    score: float
    reasons_for: tuple[str, ...]
    reasons_against: tuple[str, ...]


@dataclass(frozen=True)
class Closed:
    """A lift that is closed to the athlete now."""

    lift: Lift
    closures: tuple[Closure, ...]
    instead: tuple[str, ...]


@dataclass(frozen=True)
class Choices:
    """The ranking, the closed lifts, and what is said about the whole."""

    ranked: tuple[Choice, ...]
    closed: tuple[Closed, ...]
    advice: tuple[str, ...]


@dataclass(frozen=True)
class Question:
    """What is asked: a goal, and where wanted a phase of the season and other weights."""

    goal: str
    phase: str = ""
    weights: dict[str, float] = field(default_factory=dict)
    lately: tuple[str, ...] = ()  # lifts done for months on end

    def __post_init__(self) -> None:
        """Check the names.

        Raises:
            ChoiceError: one is unknown.
        """
        if self.goal not in GOALS:
            raise ChoiceError(f"goal '{self.goal}' is unknown; use one of {', '.join(GOALS)}")
        if self.phase and self.phase not in PHASE_WANTS:
            raise ChoiceError(
                f"phase '{self.phase}' is unknown; use one of {', '.join(PHASE_WANTS)}"
            )
        for name in self.weights:
            if name not in WEIGHTS:
                raise ChoiceError(f"weight '{name}' is unknown; use {', '.join(WEIGHTS)}")


@dataclass
class _Tally:
    weights: dict[str, float]
    score: float = 0.0
    good: list[tuple[float, str]] = field(default_factory=list)
    bad: list[tuple[float, str]] = field(default_factory=list)

    def add(self, criterion: str, points: float, reason: str) -> None:
        worth = self.weights[criterion] * points
        if worth:
            self.score += worth
            (self.good if worth > 0 else self.bad).append((abs(worth), reason))


def _goal(t: _Tally, lift: Lift, person: Person, q: Question) -> None:
    aim = lift.aims.get(q.goal, 0)
    word = GOAL_WORDS[q.goal]
    t.add("goal", aim, f"serves {word}" + (" best" if aim == 3 else ""))
    if aim == 0:
        t.add("goal", -1.0, f"does little for {word}")
    catches = [all_lifts()[x] for x in ("power-clean", "power-snatch")]
    no_catch = all(closures(x, person) for x in catches)
    if no_catch and q.goal in DRIVE_GOALS and lift.ends in ("pull", "shrug", "jump-shrug"):
        t.add("goal", 0.7, "the drive without the catch, and it can be loaded more")
    if lift.start == "mid-thigh" and lift.ends in ("pull", "shrug"):
        t.add("goal", 0.2, "moves a very short way on purpose: peak force in little time")


def _phase(t: _Tally, lift: Lift, q: Question) -> None:
    if not q.phase:
        return
    if lift.ends in PHASE_WANTS[q.phase]:
        t.add("phase", 1.0, f"suits {q.phase.replace('-', ' ')}")
    if q.phase == "speed-strength" and lift.id == "mid-thigh-pull":
        t.add("phase", 1.0, "the heavy, short pull beside the fast ones at the peak")
    if q.phase == "work-capacity" and lift.caught:
        t.add("phase", -1.0, "catches suffer in long sets; keep it to the warm-up")


def _time(t: _Tally, lift: Lift, person: Person) -> None:
    week = person.sessions_per_week
    gain = max(lift.aims.values(), default=0)
    t.add("time", 0.5 * gain - 0.5 * lift.complexity, _time_words(lift, gain))
    if week is not None and week <= 2 and lift.start == "floor" and lift.caught:
        t.add("time", -1.0, "two sessions a week are few for a floor start")
    if week is not None and week <= 2 and lift.complexity <= 2 and gain >= 2:
        t.add("time", 0.5, "pays soon, also with two sessions a week")


def _time_words(lift: Lift, gain: int) -> str:
    low, high = lift.sessions
    if 0.5 * gain - 0.5 * lift.complexity > 0:
        return f"learnt in {low} to {high} sessions"
    return f"takes {low} to {high} sessions to acceptable form"


def _build(t: _Tally, lift: Lift, person: Person) -> None:
    tall = person.stature_mm is not None and person.stature_mm >= TALL_MM
    stiff = person.state("set_position") in ("partly", "not_yet")
    if lift.start == "floor" and lift.implement == "barbell" and tall:
        t.add("build", -1.0, "a tall body pays for the floor start")
    if (tall or stiff) and lift.start in ("above-knee", "mid-thigh", "blocks", "raised"):
        t.add("build", 0.8, "a higher start suits this body; train the set position in warm-ups")
    rack_stiff = person.state("rack") in ("partly", "not_yet")
    overhead_stiff = person.state("overhead") in ("partly", "not_yet")
    if rack_stiff and not overhead_stiff and lift.family == "snatch":
        t.add("build", 1.0, "the rack is stiff and overhead is fine: snatch first")
    if overhead_stiff and not rack_stiff and lift.family == "clean":
        t.add("build", 1.0, "overhead is poor and the rack is fine: clean first")
    if rack_stiff and overhead_stiff and lift.ends in ("pull", "shrug", "jump-shrug"):
        t.add("build", 1.0, "rack and overhead both poor: pulls, and mobility")


def _experience(t: _Tally, lift: Lift, person: Person) -> None:
    missing = [s for s in lift.skills if s not in person.bests and s in all_lifts()]
    if missing:
        t.add("experience", -0.7, f"{all_lifts()[missing[0]].name} is learnt first")
    young = person.age is not None and person.age < MINOR_AGE
    new = person.training_years is not None and person.training_years < 1
    lifter = "weightlift" in person.sport
    if (young or new) and not lifter:
        if lift.id in ("dumbbell-snatch", "goblet-squat", "front-squat"):
            t.add("experience", 1.0, "young or new and from another sport: simple and safe to miss")
        if lift.family == "jump":
            t.add("experience", 0.7, "jumps and throws give the same drive at once")
        if lift.complexity >= 4:
            t.add("experience", -1.0, "much to learn for someone young or new")
    if person.age is not None and person.age >= OLDER_AGE and lift.ends == "full-catch":
        t.add("experience", -0.3, "a deep fast catch: smaller steps at this age")
    if lifter and lift.id in ("snatch", "clean", "split-jerk", "clean-and-jerk"):
        t.add("experience", 1.0, "a lift of the sport itself")


def _fault(t: _Tally, lift: Lift, person: Person) -> None:
    for fault_id in person.open_faults:
        fault = all_faults().get(fault_id)
        if fault is None or lift.family not in ("clean", "snatch"):
            continue
        if lift.start in HIGHER_START.get(fault.phase, ()) and lift.ends not in ("hold", "to-knee"):
            t.add("fault", 1.0, f"begins just above the fault ({fault.title.lower()})")
        elif lift.caught and lift.start == "floor":
            t.add("fault", -0.5, f"{fault.title.lower()} is still open and comes with this start")


def _history(t: _Tally, lift: Lift, person: Person, q: Question) -> None:
    rating = person.rating.get(lift.id)
    if rating is not None:
        t.add("history", (rating - 3) / 2.0, f"the coach rates it {rating} of 5 on the day")
    liking = person.liking.get(lift.id, 0)
    if liking:
        t.add("liking", liking / 2.0, "the athlete likes it" if liking > 0 else "disliked")
    if lift.id in q.lately:
        t.add("variety", -1.0, "the same for months")
    elif q.lately and lift.aims.get(q.goal, 0) >= 2:
        t.add("variety", 0.3, "something other than the last months")
    if person.bests and 3 <= lift.complexity <= 4 and all(s in person.bests for s in lift.skills):
        t.add("challenge", 0.6, "a challenge that is within reach")
    if lift.hands == 1 and "left-right-difference" in person.open_faults:
        t.add("fault", 1.0, "one side at a time shows and mends the difference")


@dataclass(frozen=True)
class _Film:
    """What film says of this athlete, lift by lift, and of what limits in a family."""

    reps: dict[str, int]
    faults: dict[str, int]
    fastest: str  # the lift with the fastest bar, where at least two can be compared
    speed_m_s: float
    limiters: tuple[Limiter, ...]


def _read_film(person: Person) -> _Film:
    reps: dict[str, int] = {}
    faults: dict[str, int] = {}
    speeds: dict[str, list[float]] = {}
    for clip in person.film:
        reps[clip.lift] = reps.get(clip.lift, 0) + clip.reps
        faults[clip.lift] = faults.get(clip.lift, 0) + clip.faults
        if "bar_peak_velocity" in clip.measures:
            speeds.setdefault(clip.lift, []).append(clip.measures["bar_peak_velocity"])
    usual = {i: float(np.median(v)) for i, v in speeds.items() if reps[i] >= LEAST_REPS}
    fastest = max(usual, key=lambda i: usual[i]) if len(usual) > 1 else ""
    limiters = [what_limits(person.film, family) for family in ("clean", "snatch")]
    found = tuple(x for x in limiters if x is not None)
    return _Film(reps, faults, fastest, usual.get(fastest, 0.0), found)


def _on_film(t: _Tally, lift: Lift, film: _Film, q: Question) -> None:
    seen = film.reps.get(lift.id, 0)
    if seen >= LEAST_REPS:
        each = film.faults[lift.id] / seen
        says = f"{each:.1f} faults a rep on {seen} filmed reps"
        t.add("history", 0.6 * (1.0 - min(each, 2.0)), says)
    if lift.id == film.fastest and q.goal in FAST_GOALS:
        t.add("history", 0.3, f"the fastest bar on film: {film.speed_m_s:.2f} m/s")
    for limiter in film.limiters:
        if limiter.served_by(lift):
            t.add("history", 0.8, limiter.why)


def choose(person: Person, question: Question) -> Choices:
    """Rank the open lifts for a goal.

    Args:
        person: what is known of the athlete.
        question: goal, phase and weights.
    """
    weights = WEIGHTS | question.weights
    ranked: list[Choice] = []
    film = _read_film(person)
    is_open, why_shut = open_lifts(person)
    shut = [
        Closed(all_lifts()[i], why, instead_of(all_lifts()[i], is_open))
        for i, why in why_shut.items()
    ]
    for lift in is_open:
        t = _Tally(weights)
        _goal(t, lift, person, question)
        _phase(t, lift, question)
        _time(t, lift, person)
        _build(t, lift, person)
        _experience(t, lift, person)
        _fault(t, lift, person)
        _history(t, lift, person, question)
        _on_film(t, lift, film, question)
        ranked.append(
            Choice(
                lift,
                round(t.score, 2),
                tuple(r for _, r in sorted(t.good, reverse=True)) or (lift.why,),
                tuple(r for _, r in sorted(t.bad, reverse=True)),
            )
        )
    ranked.sort(key=lambda c: (-c.score, c.lift.complexity, c.lift.id))
    return Choices(tuple(ranked), tuple(shut), tuple(_advice(person, ranked, film, question)))


def instead_of(lift: Lift, is_open: list[Lift]) -> tuple[str, ...]:
    """Up to three of the open lifts that give most of what a closed one would.

    The same family first, then the nearest end and start: a pull for a catch, a higher
    start for the floor.
    """
    near = []
    for other in is_open:
        shared = sum(min(n, other.aims.get(goal, 0)) for goal, n in lift.aims.items())
        shared += 2 * (other.family == lift.family) + (other.start == lift.start)
        near.append((-shared, other.complexity, other.id))
    return tuple(i for _, _, i in sorted(near)[:3])


def _advice(person: Person, ranked: list[Choice], film: _Film, q: Question) -> list[str]:
    said = []
    barbell = [c for c in ranked if c.lift.implement == "barbell" and c.lift.aims.get(q.goal, 0)]
    if ranked and ranked[0].lift.family in ELSEWHERE:
        said.append(
            "Jumps, throws or swings serve this goal better now than a barbell lift: "
            "offer them without regret."
        )
    if not barbell:
        said.append("No barbell lift that serves this goal is open; see what would open them.")
    if person.pain:
        said.append(
            f"Present {', '.join(person.pain)} pain: what loads it stays closed until a "
            "qualified clinician says otherwise."
        )
    said += [f"In the {x.family}, {x.why}." for x in film.limiters]
    untested = sum(person.state(c) == "not_tested" for c in all_lifts()["clean"].needs)
    if untested:
        said.append("Some checks were never tried: run through the clearances first.")
    return said
