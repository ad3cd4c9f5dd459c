"""From confirmed findings to drills, ranked with the reason for each.

Order: the root before its consequences; then the drills in the order coaches usually try
them; left out are those the athlete is not cleared for, that load a painful joint, that
need what is not there, or that were tried without effect. A drill that answers several
findings comes first, so that the fewest drills cover them all.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache

from keenkettle.coach.faults import Fault, all_faults
from keenkettle.coach.judge import show_value
from keenkettle.coach.lifts import Lift
from keenkettle.coach.tables import KnowledgeError, read_entries

PHASES = (
    "set position", "first pull", "transition", "second pull", "turnover", "catch", "recovery",
    "dip", "drive", "split",
)  # fmt: skip
MOST_DRILLS = 3
ALWAYS_THERE = {"barbell", "stick"}
WORKED_CLIPS = 3


@dataclass(frozen=True)
class Drill:
    """One drill; fields as in drills.toml. ``low``, ``high``: share of the best of ``best``."""

    id: str
    title: str
    phase: str
    dose: str
    best: str
    low: float
    high: float
    load: str
    equipment: tuple[str, ...]
    needs: tuple[str, ...]
    avoid: tuple[str, ...]
    how: str
    why: str


@dataclass(frozen=True)
class AthleteState:
    """What decides whether a drill fits.

    Attributes:
        clearances: check to "pass", "partly", "not_yet" or "not_tested".
        pain: joints with present pain.
        equipment: what is at hand; barbell and stick always are.
        bests_kg: best by lift id.
        no_effect: drills tried for a fault without effect, as (fault, drill).
    """

    clearances: dict[str, str] = field(default_factory=dict)
    pain: tuple[str, ...] = ()
    equipment: tuple[str, ...] = ()
    bests_kg: dict[str, float] = field(default_factory=dict)
    no_effect: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Proposal:
    """A drill for one or more faults, with its load and why it is proposed."""

    drill: Drill
    faults: tuple[str, ...]
    load_text: str
    reasons: tuple[str, ...]
    worked_if: str
    cue: str

    @property
    def session_line(self) -> str:
        """The drill as a line of a session."""
        return f"{self.drill.title.lower()} {self.drill.dose} @ {self.load_text}"


@dataclass(frozen=True)
class LeftOut:
    """A drill that was not proposed, and why."""

    drill: Drill
    because: str


@cache
def all_drills() -> dict[str, Drill]:
    """The shipped drills by id.

    Raises:
        KnowledgeError: a drill is wrong.
    """
    drills = {}
    for e in read_entries("drills.toml", "drill"):
        drills[e.id] = Drill(
            id=e.id,
            title=e.text("title"),
            phase=e.one_of("phase", PHASES),
            dose=e.text("dose"),
            best=e.text("best", ""),
            low=e.number("low", 0.0),
            high=e.number("high", 0.0),
            load=e.text("load", ""),
            equipment=e.texts("equipment"),
            needs=e.texts("needs"),
            avoid=e.texts("avoid"),
            how=e.text("how"),
            why=e.text("why"),
        )
    for fault in all_faults().values():
        for name in fault.drills:
            if name not in drills:
                raise KnowledgeError(f"faults.toml: fault '{fault.id}': no drill '{name}'")
    return drills


def closed_because(drill: Drill, athlete: AthleteState) -> str:
    """Why the athlete must not do this drill now; empty where nothing speaks against it."""
    sore = [joint for joint in drill.avoid if joint in athlete.pain]
    if sore:
        return f"present {sore[0]} pain: nothing that loads it until a clinician clears it"
    failed = [n for n in drill.needs if athlete.clearances.get(n) in ("not_yet", "partly")]
    if failed:
        return f"{failed[0].replace('_', ' ')} not cleared yet"
    have = ALWAYS_THERE | set(athlete.equipment)
    lacking = [e for e in drill.equipment if e not in have]
    if lacking:
        return f"no {lacking[0]} at hand"
    return ""


def load_text(drill: Drill, athlete: AthleteState) -> str:
    """The load as a coach writes it: kilograms where the best is known, else per cent."""
    if not drill.best:
        return drill.load
    middle = (drill.low + drill.high) / 2.0
    best = athlete.bests_kg.get(drill.best)
    if best is None:
        return f"{drill.low * 100:.0f}-{drill.high * 100:.0f}% of {drill.best.replace('-', ' ')}"
    return f"{round(best * middle / 2.5) * 2.5:g}kg"


def worked_if(fault: Fault, lift: Lift) -> str:
    """What must be seen on the next clips for the drill to have worked."""
    tests = fault.tests_for(lift)
    if not tests:
        return f"Worked if: not seen on {WORKED_CLIPS} clips running."
    main = [t for t in tests if t.metric == tests[0].metric]
    t = next((t for t in main if t.severity == "note"), main[0])
    from keenkettle.measure.sheet import UNITS

    unit = UNITS[t.metric]
    if t.times or t.plus:
        return f"Worked if: {t.label} inside its limit on {WORKED_CLIPS} clips running."
    if t.relation == "outside":
        lo, hi = (show_value(v, unit) for v in t.limit)
        return f"Worked if: {t.label} {lo} to {hi} on {WORKED_CLIPS} clips running."
    word = "or less" if t.relation == "above" else "or more"
    limit = show_value(t.limit[0], unit)
    return f"Worked if: {t.label} {limit} {word} on {WORKED_CLIPS} clips running."


def propose(
    confirmed: list[str], lift: Lift, athlete: AthleteState
) -> tuple[list[Proposal], list[LeftOut]]:
    """Propose drills for confirmed faults.

    Args:
        confirmed: fault ids.
        lift: the lift reviewed.
        athlete: clearances, pain, equipment, bests, what was tried.

    Returns:
        Proposals, best first (the first three are enough), and the drills left out.
    """
    faults = all_faults()
    roots = [f for f in confirmed if not any(c in confirmed for c in faults[f].follows)]
    order = roots + [f for f in confirmed if f not in roots]
    answers: dict[str, list[str]] = {}
    left: dict[str, LeftOut] = {}
    for fault_id in order:
        for drill_id in faults[fault_id].drills:
            drill = all_drills()[drill_id]
            because = closed_because(drill, athlete)
            if (fault_id, drill_id) in athlete.no_effect:
                because = "tried before without effect"
            if because:
                left[drill_id] = LeftOut(drill, because)
            else:
                answers.setdefault(drill_id, []).append(fault_id)

    def score(drill_id: str) -> tuple[float, ...]:
        hit = answers[drill_id]
        lead = min(order.index(f) for f in hit)
        root = faults[order[lead]]
        in_phase = all_drills()[drill_id].phase == root.phase
        place = root.drills.index(drill_id)
        return (lead, -len(hit), place - (1.5 if in_phase else 0.0))

    ranked = sorted(answers, key=score)
    return [_proposal(d, answers[d], lift, athlete, roots) for d in ranked], list(left.values())


def cover(proposals: list[Proposal]) -> list[Proposal]:
    """The fewest proposals, at most three, that answer every fault they can."""
    missing = {f for p in proposals for f in p.faults}
    chosen: list[Proposal] = []
    for p in proposals:
        if len(chosen) < MOST_DRILLS and missing & set(p.faults):
            chosen.append(p)
            missing -= set(p.faults)
    return chosen


def _proposal(
    drill_id: str, hit: list[str], lift: Lift, athlete: AthleteState, roots: list[str]
) -> Proposal:
    drill, fault = all_drills()[drill_id], all_faults()[hit[0]]
    reasons = [drill.why.rstrip(".")]
    if drill.phase == fault.phase:
        reasons.append(f"trains the {drill.phase}, where the fault arises")
    if len(hit) > 1:
        titles = ", ".join(all_faults()[f].title.lower() for f in hit[1:])
        reasons.append(f"also answers: {titles}")
    if hit[0] in roots:
        reasons.append("goes for the root")
    return Proposal(
        drill,
        tuple(hit),
        load_text(drill, athlete),
        tuple(reasons),
        worked_if(fault, lift),
        fault.cue,
    )
