"""What an athlete's clearances, pain and equipment open and close, each with its reason.

A failed check is never worked through with load: what needs it is closed, and the way to
open it is named (``domain`` rule). Present pain closes every lift that loads the joint.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from keenkettle.coach.lifts import CHECKS, JOINTS, Lift, all_lifts
from keenkettle.coach.person import ALWAYS_THERE, Person
from keenkettle.coach.tables import read_entries

PAIN_OPENS = "a qualified clinician's word, written down with name and day"
STATE_WORDS = {
    "pass": "passed",
    "partly": "partly passed",
    "not_yet": "not passed yet",
    "not_tested": "not tested",
}


@dataclass(frozen=True)
class Check:
    """One clearance; ``seconds`` is how long it is held, 0 where it is not timed."""

    id: str
    title: str
    ask: str
    how: tuple[str, ...]
    look: tuple[str, ...]
    seconds: int
    value: str
    figure: str
    opens: str
    mend: str
    loads: tuple[str, ...]


@dataclass(frozen=True)
class Closure:
    """Why a lift is closed and what would open it. ``by``: check id, joint or equipment."""

    by: str
    because: str
    opens_with: str


@cache
def all_checks() -> dict[str, Check]:
    """The clearances by id, in the order in which they are tried.

    Raises:
        KnowledgeError: an entry is wrong.
    """
    made = {}
    for e in read_entries("checks.toml", "check"):
        if e.id not in CHECKS:
            raise e.fail("id", "one of " + ", ".join(CHECKS))
        made[e.id] = Check(
            id=e.id,
            title=e.text("title"),
            ask=e.text("ask"),
            how=e.texts("how"),
            look=e.texts("look"),
            seconds=int(e.number("seconds", 0)),
            value=e.text("value", ""),
            figure=e.text("figure"),
            opens=e.text("opens"),
            mend=e.text("mend"),
            loads=e.some_of("loads", JOINTS),
        )
    return made


def check_closure(check_id: str, person: Person) -> Closure | None:
    """The closure by one clearance, None where it is passed."""
    state = person.state(check_id)
    if state == "pass":
        return None
    check = all_checks()[check_id]
    because = f"{check.title.lower()} {STATE_WORDS[state]}"
    if state == "not_tested":
        return Closure(check_id, because, f"try it: {check.how[0]}")
    return Closure(check_id, because, check.mend)


def closures(lift: Lift, person: Person) -> tuple[Closure, ...]:
    """Everything that closes a lift for an athlete; empty where it is open."""
    found = [
        Closure(joint, f"present {joint} pain, and this loads the {joint}", PAIN_OPENS)
        for joint in lift.loads
        if joint in person.pain
    ]
    for check in lift.needs:
        closed = check_closure(check, person)
        if closed:
            found.append(closed)
    there = ALWAYS_THERE | set(person.equipment)
    missing = [thing for thing in lift.equipment if thing not in there]
    found += [Closure(m, f"no {m} at hand", f"a {m}") for m in missing if person.equipment]
    return tuple(found)


def open_lifts(person: Person) -> tuple[list[Lift], dict[str, tuple[Closure, ...]]]:
    """The open lifts, and the closed ones by id with their reasons."""
    is_open, shut = [], {}
    for lift in all_lifts().values():
        why = closures(lift, person)
        if why:
            shut[lift.id] = why
        else:
            is_open.append(lift)
    return is_open, shut


def what_opens(check_id: str) -> list[Lift]:
    """The lifts that need a clearance."""
    return [lift for lift in all_lifts().values() if check_id in lift.needs]
