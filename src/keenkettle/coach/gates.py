"""Where an athlete stands on a rung: what is met, what is missing, and what to propose.

The proposal never changes anything: the coach decides. Every state has a proposal, and every
proposal names the rule that made it.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date

from keenkettle.coach.clearing import PAIN_OPENS, all_checks
from keenkettle.coach.faults import all_faults
from keenkettle.coach.judge import show_value
from keenkettle.coach.ladders import Gate, Ladder, Rung, all_ladders
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.person import Person
from keenkettle.measure.sheet import UNITS

SESSIONS_TO_ADVANCE = 2
SAME_FAULT_SESSIONS = 3
STUCK_SESSIONS = 6
LEAVE_SESSIONS = 12
RUSTY_DAYS = 21
PROPOSALS = ("advance", "stay", "back", "sideways", "pause", "re-check", "leave")


@dataclass(frozen=True)
class Note:
    """Something that was seen or done: a tick, a hold, weeks of a side track, a load.

    ``key`` is a gate's key; ``value`` seconds, weeks or kilograms.
    """

    day: date
    key: str
    value: float = 1.0


@dataclass(frozen=True)
class ClipNote:
    """What a reviewed clip said: measures by id, faults by id with their severity.

    ``unjudged``: faults that it cannot tell anything of, say for the side it was filmed from.
    """

    day: date
    lift: str
    measures: dict[str, float]
    faults: dict[str, str]
    unjudged: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Standing:
    """Everything a proposal is made from.

    Attributes:
        since: day on which the athlete came to this rung.
        session_days: days trained since then, in order.
        last_day: last day trained at all, None where never.
        been_sideways: whether the athlete was sent sideways from this ladder before.
    """

    ladder: Ladder
    number: int
    since: date
    person: Person
    notes: tuple[Note, ...] = ()
    clips: tuple[ClipNote, ...] = ()
    session_days: tuple[date, ...] = ()
    last_day: date | None = None
    been_sideways: bool = False

    @property
    def rung(self) -> Rung:
        """The rung stood on."""
        return self.ladder.rung(self.number)


@dataclass(frozen=True)
class Condition:
    """One gate condition for one athlete.

    Attributes:
        state: "met", "half" (seen in one session of the two that are asked) or "missing".
        since: day it was first met, else day from which it is missing.
        source: where that is known from, or what would show it.
    """

    gate: Gate
    says: str
    state: str
    since: date
    source: str
    days: tuple[date, ...] = field(default=())


@dataclass(frozen=True)
class Proposal:
    """What the rules propose, why, and which rule it is."""

    act: str
    to: str
    reason: str
    rule: str
    ladder: str = ""  # where "sideways" leads to another ladder, its id


def metric_words(metric: str) -> str:
    """A measure in the words that findings use for it."""
    for fault in all_faults().values():
        for test in fault.tests:
            if test.label and test.metric == metric:
                return test.label
    return metric.replace("_", " ")


def gate_text(gate: Gate) -> str:
    """A condition in words."""
    if gate.kind == "tick":
        return gate.what
    if gate.kind == "hold":
        return f"{gate.what} held {gate.seconds:g} s"
    if gate.kind == "measure":
        word = "at most" if gate.relation == "below" else "at least"
        name = metric_words(gate.metric)
        value = show_value(gate.limit, UNITS[gate.metric])
        return f"{name} {word} {value} on {gate.clips} clips"
    if gate.kind == "no-fault":
        return f"no open fault: {all_faults()[gate.fault].title.lower()}"
    if gate.kind == "clearance":
        return f"cleared: {all_checks()[gate.check].title.lower()}"
    if gate.kind == "side-weeks":
        return f"{gate.weeks:g} weeks of {gate.track.replace('-', ' ')} beside it"
    of = "body mass" if gate.of == "body-mass" else f"the best {all_lifts()[gate.of].name}"
    return f"{all_lifts()[gate.lift].name} with form at {gate.share:.0%} of {of}"


def _within(gate: Gate, value: float) -> bool:
    return value <= gate.limit if gate.relation == "below" else value >= gate.limit


def _own_clips(s: Standing) -> list[ClipNote]:
    return sorted((c for c in s.clips if c.day >= s.since), key=lambda c: c.day)


def _days_met(gate: Gate, s: Standing) -> tuple[list[date], str]:
    """Days on which a condition was seen, and where that is known from."""
    key = gate.key
    if gate.kind in ("tick", "hold"):
        least = gate.seconds if gate.kind == "hold" else 1.0
        days = {n.day for n in s.notes if n.key == key and n.value >= least and n.day >= s.since}
        return sorted(days), "coach" if gate.kind == "tick" else "timed"
    if gate.kind == "measure":
        shown = [c for c in _own_clips(s) if gate.metric in c.measures]
        good = [c for c in shown if _within(gate, c.measures[gate.metric])]
        lately = shown[-gate.clips :]
        if len(lately) < gate.clips or any(c not in good for c in lately):
            return [], f"film: {len(good)} of {len(shown)} clips within"
        return sorted({c.day for c in lately}), f"film: last {gate.clips} clips within"
    shown = [c for c in _own_clips(s) if gate.fault not in c.unjudged]
    seen_on = {c.day for c in shown if gate.fault in c.faults}
    by_eye = {n.day for n in s.notes if n.key == key and n.day >= s.since}
    good_days = ({c.day for c in shown} | by_eye) - seen_on
    last = max({c.day for c in shown} | by_eye, default=None)
    if last is None or last not in good_days:
        return [], "film: seen on the last clip" if last else "film: no clip on this rung yet"
    return sorted(good_days), "film: clear on the last clips" if shown else "by eye"


def _lasting(gate: Gate, s: Standing) -> tuple[bool, date | None, str]:
    """Conditions that, once met, stay met: clearance, weeks beside, load."""
    key = gate.key
    if gate.kind == "clearance":
        result = s.person.checks.get(gate.check)
        done = result is not None and result.state == "pass"
        return done, result.day if done and result else None, "clearance"
    if gate.kind == "side-weeks":
        weeks = sorted(n.day for n in s.notes if n.key == key)
        total = sum(n.value for n in s.notes if n.key == key)
        return total >= gate.weeks, weeks[-1] if weeks else None, f"{total:g} weeks written down"
    base = s.person.mass_kg if gate.of == "body-mass" else s.person.bests_kg.get(gate.of)
    if base is None:
        what = "body mass" if gate.of == "body-mass" else f"best {all_lifts()[gate.of].name}"
        return False, None, f"{what} not known"
    need = gate.share * base
    good = sorted(n.day for n in s.notes if n.key == key and n.value >= need)
    best = s.person.bests.get(gate.lift)
    if not good and best is not None and best.kg >= need:
        return True, best.day, f"best {best.kg:g} kg"
    return bool(good), good[0] if good else None, f"needs {need:.0f} kg"


def condition(gate: Gate, s: Standing) -> Condition:
    """State of one condition."""
    says = gate_text(gate)
    if gate.kind in ("clearance", "side-weeks", "load"):
        done, day, source = _lasting(gate, s)
        return Condition(gate, says, "met" if done else "missing", day or s.since, source)
    days, source = _days_met(gate, s)
    if len(days) >= SESSIONS_TO_ADVANCE:
        return Condition(gate, says, "met", days[0], source, tuple(days))
    if days:
        return Condition(gate, says, "half", days[0], f"{source}; once more", tuple(days))
    return Condition(gate, says, "missing", s.since, source)


def conditions(s: Standing) -> tuple[Condition, ...]:
    """All conditions of the present rung."""
    return tuple(condition(g, s) for g in s.rung.gate)


def _pain(s: Standing) -> str | None:
    loads = {j for lift in s.rung.lifts for j in all_lifts()[lift].loads}
    return next((j for j in s.person.pain if j in loads), None)


def _back_reason(s: Standing) -> tuple[str, str] | None:
    clips = _own_clips(s)
    for clip in clips[-2:]:
        stop = next((f for f, severity in clip.faults.items() if severity == "stop"), None)
        if stop:
            return f"{all_faults()[stop].title.lower()} was a stop on {clip.day:%-d %b}", "stop"
    days = sorted({c.day for c in clips})[-SAME_FAULT_SESSIONS:]
    if len(days) < SAME_FAULT_SESSIONS:
        return None
    by_day = [
        {f for c in clips if c.day == d for f, severity in c.faults.items() if severity == "fix"}
        for d in days
    ]
    same = set.intersection(*by_day)
    if same:
        name = all_faults()[sorted(same)[0]].title.lower()
        return f"{name} in {SAME_FAULT_SESSIONS} sessions running", "same fault"
    return None


def sessions_since_progress(s: Standing, found: tuple[Condition, ...]) -> int:
    """Sessions on this rung since a condition was last newly met."""
    newest = max((c.since for c in found if c.state in ("met", "half")), default=s.since)
    start = max(newest, s.since)
    return sum(d > start for d in s.session_days)


def propose(s: Standing, today: date) -> Proposal:
    """What the rules propose today; the first rule that applies speaks."""
    found = conditions(s)
    ladder, rung = s.ladder, s.rung
    joint = _pain(s)
    if joint:
        return Proposal(
            "pause", rung.title,
            f"present {joint} pain: nothing is loaded on it; opens with {PAIN_OPENS}",
            "pain is a stop",
        )  # fmt: skip
    back = _back_reason(s)
    if back:
        to = rung.down or rung.title
        word = f"step back to {to}" if rung.down else "stay on this first rung with less load"
        rule = "a stop finding" if back[1] == "stop" else "same fix fault, three sessions running"
        return Proposal("back" if rung.down else "stay", to, f"{back[0]}: {word}", rule)
    if s.last_day is not None and (today - s.last_day).days > RUSTY_DAYS:
        gate = ladder.rung(max(s.number - 1, 1)).gate
        asks = "; ".join(gate_text(g) for g in gate[:3])
        return Proposal(
            "re-check", rung.title,
            f"{(today - s.last_day).days} days away: first look again at: {asks}",
            f"more than {RUSTY_DAYS} days away",
        )  # fmt: skip
    missing = [c for c in found if c.state != "met"]
    if not missing:
        if s.number == len(ladder.rungs):
            return Proposal(
                "leave", ladder.name, "the last rung's gate is met: this ladder is done; "
                "train the lift, or choose what comes next", "all conditions met",
            )  # fmt: skip
        to = ladder.rung(s.number + 1).title
        return Proposal(
            "advance", to, f"all {len(found)} conditions met, in two sessions where asked",
            "all conditions met in two sessions",
        )  # fmt: skip
    stuck = sessions_since_progress(s, found)
    if stuck >= LEAVE_SESSIONS and s.been_sideways:
        return Proposal(
            "leave", ladder.name, f"{stuck} sessions without one more condition, also after "
            "another approach: another family, or jumps and throws, may serve better",
            "stuck after going sideways",
        )  # fmt: skip
    if stuck >= STUCK_SESSIONS:
        other = rung.sideways[0] if rung.sideways else ""
        to = all_ladders()[other].name if other in all_ladders() else rung.down or rung.title
        return Proposal(
            "sideways", to, f"{stuck} sessions without one more condition met: try another "
            "approach", f"{STUCK_SESSIONS} sessions without progress", other,
        )  # fmt: skip
    names = "; ".join(c.says for c in missing[:2])
    more = f" and {len(missing) - 2} more" if len(missing) > 2 else ""
    return Proposal("stay", rung.title, f"still to be seen: {names}{more}", "conditions missing")
