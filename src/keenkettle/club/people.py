"""Athletes' facts: between the records' JSON and the types that the coach's judgement uses.

Nobody else reads or writes ``Athlete.facts``. Days are ISO text there, lengths mm, masses kg.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any
from zlib import crc32

from keenkettle.club.tables import Athlete
from keenkettle.coach.person import Best, CheckResult, OnFilm, Person
from keenkettle.fit.grip import Trial
from keenkettle.fit.lengths import LengthError
from keenkettle.fit.set_position import (
    ANKLE_DEG,
    HIP_DEG,
    Limits,
    SetPositionError,
    dorsiflexion_deg,
    fitted_hip,
)
from keenkettle.lifter.body import BodyError

DAYS_IN_YEAR = 365.25
MOST_RANGE_DEG = 60.0  # no ankle bends further


@dataclass(frozen=True)
class Pain:
    """Pain at a joint. ``now`` False is history; ``note`` is only what the coach typed.

    ``cleared_by``: the clinician who said that it may be loaded again, and when.
    """

    joint: str
    now: bool
    day: date | None = None
    note: str = ""
    cleared_by: str = ""


@dataclass(frozen=True)
class Facts:
    """Everything that is known of an athlete beside name, sport and stature."""

    born: date | None = None
    started: date | None = None
    goal: str = ""
    sessions_per_week: float | None = None
    days: tuple[int, ...] = ()  # weekdays on which the athlete comes, Monday is 0
    mass_kg: float | None = None
    lengths_mm: dict[str, float] = field(default_factory=dict)
    ankle_deg: float | None = None
    wall_mm: dict[str, float] = field(default_factory=dict)  # knee to wall, "left" and "right"
    stance_mm: dict[str, float] = field(default_factory=dict)  # heels, "pull" and "landing"
    hip_deg: float | None = None
    trial: Trial | None = None
    grips_mm: dict[str, float] = field(default_factory=dict)  # as the coach settled them
    checks: dict[str, tuple[CheckResult, ...]] = field(default_factory=dict)  # newest last
    pains: tuple[Pain, ...] = ()
    equipment: tuple[str, ...] = ()
    bests: tuple[tuple[str, Best], ...] = ()
    consent: str = ""
    liking: dict[str, int] = field(default_factory=dict)
    rating: dict[str, int] = field(default_factory=dict)

    def check(self, check_id: str) -> CheckResult | None:
        """Newest answer to a clearance."""
        answers = self.checks.get(check_id)
        return answers[-1] if answers else None

    def with_check(self, check_id: str, result: CheckResult) -> Facts:
        """The same with one more answer."""
        answers = (*self.checks.get(check_id, ()), result)
        return replace(self, checks={**self.checks, check_id: answers})

    def with_best(self, lift: str, best: Best) -> Facts:
        """The same with a best; an older one of that lift stays as history."""
        return replace(self, bests=(*self.bests, (lift, best)))

    def with_pain(self, pain: Pain) -> Facts:
        """The same with this joint's pain as it is now."""
        others = tuple(p for p in self.pains if p.joint != pain.joint)
        return replace(self, pains=(*others, pain))

    @property
    def ankle_range_deg(self) -> float | None:
        """Ankle range: as said, else that of the stiffer side from knee to wall; degrees."""
        if self.ankle_deg is not None or not self.wall_mm:
            return self.ankle_deg
        return min(MOST_RANGE_DEG, *(dorsiflexion_deg(mm) for mm in self.wall_mm.values()))

    @property
    def painful(self) -> tuple[str, ...]:
        """Joints with present pain."""
        return tuple(p.joint for p in self.pains if p.now)

    def best_of(self, lift: str) -> Best | None:
        """Highest best of a lift."""
        known = [b for name, b in self.bests if name == lift]
        return max(known, key=lambda b: b.kg) if known else None

    def age(self, today: date) -> float | None:
        """Age in years."""
        return None if self.born is None else (today - self.born).days / DAYS_IN_YEAR


def _day(value: Any) -> date | None:
    return date.fromisoformat(value) if value else None


def _text(day: date | None) -> str | None:
    return day.isoformat() if day else None


def read_facts(data: dict[str, Any]) -> Facts:
    """Facts from the records' JSON."""
    trial = data.get("trial")
    checks = {
        name: tuple(
            CheckResult(a["state"], _day(a.get("day")), a.get("note", ""), a.get("value"))
            for a in answers
        )
        for name, answers in data.get("checks", {}).items()
    }
    # Records of the first version kept only the newest word on each check, and bests by name.
    for name, state in data.get("clearances", {}).items():
        checks.setdefault(name, (CheckResult(state),))
    bests = [
        (b["lift"], Best(b["kg"], _day(b.get("day")), b.get("how", "")))
        for b in data.get("bests", [])
    ]
    bests += [(lift, Best(kg)) for lift, kg in data.get("bests_kg", {}).items()]
    pains = [
        Pain(p["joint"], p["now"], _day(p.get("day")), p.get("note", ""), p.get("cleared_by", ""))
        for p in data.get("pains", [])
    ]
    pains += [Pain(joint, True) for joint in data.get("pain", [])]
    return Facts(
        born=_day(data.get("born")),
        started=_day(data.get("started")),
        goal=data.get("goal", ""),
        sessions_per_week=data.get("sessions_per_week"),
        days=tuple(data.get("days", ())),
        mass_kg=data.get("mass_kg"),
        lengths_mm=dict(data.get("lengths_mm", {})),
        ankle_deg=data.get("ankle_deg"),
        wall_mm=dict(data.get("wall_mm", {})),
        stance_mm=dict(data.get("stance_mm", {})),
        hip_deg=data.get("hip_deg"),
        trial=Trial(*trial) if trial else None,
        grips_mm=dict(data.get("grips_mm", {})),
        checks=checks,
        pains=tuple(pains),
        equipment=tuple(data.get("equipment", ())),
        bests=tuple(bests),
        consent=data.get("consent", ""),
        liking=dict(data.get("liking", {})),
        rating=dict(data.get("rating", {})),
    )


def write_facts(facts: Facts) -> dict[str, Any]:
    """Facts as the records' JSON; what is not known is left out."""
    data: dict[str, Any] = {
        "born": _text(facts.born),
        "started": _text(facts.started),
        "goal": facts.goal,
        "sessions_per_week": facts.sessions_per_week,
        "days": list(facts.days),
        "mass_kg": facts.mass_kg,
        "lengths_mm": facts.lengths_mm,
        "ankle_deg": facts.ankle_deg,
        "wall_mm": facts.wall_mm,
        "stance_mm": facts.stance_mm,
        "hip_deg": facts.hip_deg,
        "trial": [facts.trial.grip, facts.trial.bar_height] if facts.trial else None,
        "grips_mm": facts.grips_mm,
        "checks": {
            name: [
                {"state": a.state, "day": _text(a.day), "note": a.note, "value": a.value}
                for a in answers
            ]
            for name, answers in facts.checks.items()
        },
        "pains": [
            {
                "joint": p.joint,
                "now": p.now,
                "day": _text(p.day),
                "note": p.note,
                "cleared_by": p.cleared_by,
            }
            for p in facts.pains
        ],
        "equipment": list(facts.equipment),
        "bests": [
            {"lift": lift, "kg": b.kg, "day": _text(b.day), "how": b.how} for lift, b in facts.bests
        ],
        "consent": facts.consent,
        "liking": facts.liking,
        "rating": facts.rating,
    }
    return {k: v for k, v in data.items() if v not in (None, "", [], {})}


def facts_of(athlete: Athlete) -> Facts:
    """An athlete's facts."""
    return read_facts(athlete.facts)


def limits_of(facts: Facts) -> Limits:
    """The athlete's ranges; what was not measured counts as usual."""
    return Limits(
        ANKLE_DEG if facts.ankle_range_deg is None else facts.ankle_range_deg,
        HIP_DEG if facts.hip_deg is None else facts.hip_deg,
    )


def fitted_by(athlete: Athlete) -> str:
    """What the fitted set position hangs on, in short; empty where no grip is settled."""
    facts = facts_of(athlete)
    if not facts.grips_mm:
        return ""
    told = sorted(facts.grips_mm.items()), sorted(facts.lengths_mm.items()), limits_of(facts)
    return f" {crc32(repr(told).encode()):08x}"


def set_hips_of(athlete: Athlete) -> dict[str, tuple[float, float]]:
    """By family, the hip over the bar in the set position that is fitted to the athlete, mm, and
    its standard deviation; only for grips that are settled.
    """
    facts, out = facts_of(athlete), {}
    for family in ("clean", "snatch"):
        grip_mm = facts.grips_mm.get(family)
        if grip_mm is None or athlete.stature_mm is None:
            continue
        try:
            fitted = fitted_hip(athlete.stature_mm, facts.lengths_mm, grip_mm, limits_of(facts))
        except (BodyError, LengthError, SetPositionError):
            continue  # said where they are typed
        if fitted is not None:
            out[family] = fitted
    return out


def person_of(
    athlete: Athlete,
    today: date,
    rungs: dict[str, int] | None = None,
    open_faults: tuple[str, ...] = (),
    film: tuple[OnFilm, ...] = (),
) -> Person:
    """The athlete as the coach's judgement needs one."""
    facts = facts_of(athlete)
    bests: dict[str, Best] = {}
    for lift, best in facts.bests:
        if lift not in bests or best.kg >= bests[lift].kg:
            bests[lift] = best
    years = None if facts.started is None else (today - facts.started).days / DAYS_IN_YEAR
    return Person(
        name=athlete.name,
        stature_mm=athlete.stature_mm,
        mass_kg=facts.mass_kg,
        age=facts.age(today),
        training_years=years,
        sport=athlete.sport,
        goal=facts.goal,
        sessions_per_week=facts.sessions_per_week,
        checks={name: answers[-1] for name, answers in facts.checks.items()},
        pain=facts.painful,
        past_pain=tuple(p.joint for p in facts.pains if not p.now),
        equipment=facts.equipment,
        bests=bests,
        rungs=rungs or {},
        open_faults=open_faults,
        film=film,
        liking=facts.liking,
        rating=facts.rating,
        lengths_mm=facts.lengths_mm,
    )
