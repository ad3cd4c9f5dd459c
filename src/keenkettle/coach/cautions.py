"""Cautions that belong to a lift, a drill, a finding or a person: few, short, most weighty first.

They help a coach to remember. They clear nobody: that is for clinicians, federations and the
rules of the place.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache

from keenkettle.coach.lifts import ENDS, FAMILIES, IMPLEMENTS, STARTS, Lift, all_lifts
from keenkettle.coach.person import MINOR_AGE, OLDER_AGE, Person
from keenkettle.coach.tables import read_entries

WHO = ("pain", "minor", "novice", "older", "long-break")
MOST = 3  # more at once is a wall that nobody reads
NEW_YEARS = 1.0


@dataclass(frozen=True)
class Caution:
    """One caution; fields as in cautions.toml. An axis that is empty asks nothing."""

    id: str
    implements: tuple[str, ...]
    families: tuple[str, ...]
    starts: tuple[str, ...]
    ends: tuple[str, ...]
    who: tuple[str, ...]
    drills: tuple[str, ...]
    faults: tuple[str, ...]
    says: str

    def concerns(self, lift: Lift) -> bool:
        """Whether it is about a lift."""
        axes = (
            (self.implements, lift.implement),
            (self.families, lift.family),
            (self.starts, lift.start),
            (self.ends, lift.ends),
        )
        return any(given for given, _ in axes) and all(own in given for given, own in axes if given)


def read_cautions(source: str | None = None) -> tuple[Caution, ...]:
    """Cautions in their order; ``source`` is text to read instead of the shipped ones.

    Raises:
        KnowledgeError: an entry is wrong.
    """
    return tuple(
        Caution(
            id=e.id,
            implements=e.some_of("implements", IMPLEMENTS),
            families=e.some_of("families", FAMILIES),
            starts=e.some_of("starts", STARTS),
            ends=e.some_of("ends", ENDS),
            who=e.some_of("who", WHO),
            drills=e.texts("drills"),
            faults=e.texts("faults"),
            says=e.text("says"),
        )
        for e in read_entries("cautions.toml", "caution", source)
    )


@cache
def all_cautions() -> tuple[Caution, ...]:
    """The shipped cautions and the coach's own."""
    return read_cautions()


def who_is(person: Person, rusty: bool = False) -> frozenset[str]:
    """Which of ``WHO`` a person is; what is not known makes nobody anything."""
    age, years = person.age, person.training_years
    minor = age is not None and age < MINOR_AGE
    true = {
        "pain": bool(person.pain),
        "minor": minor,
        "novice": not minor and years is not None and years < NEW_YEARS,
        "older": age is not None and age >= OLDER_AGE,
        "long-break": rusty,
    }
    return frozenset(word for word, holds in true.items() if holds)


def cautions_for(
    lifts: Iterable[Lift], who: frozenset[str] = frozenset(), most: int = MOST
) -> tuple[str, ...]:
    """What to be careful of with these lifts and this person, the most weighty first."""
    own = list(lifts)
    found = [c for c in all_cautions() if who & set(c.who) or any(c.concerns(x) for x in own)]
    return tuple(c.says for c in found[:most])


def drill_cautions(drill_id: str) -> tuple[str, ...]:
    """What to be careful of with a drill."""
    return tuple(c.says for c in all_cautions() if drill_id in c.drills)


def fault_caution(fault_id: str) -> str:
    """What a finding of this fault is not; empty for most."""
    return next((c.says for c in all_cautions() if fault_id in c.faults), "")


def lifts_in(text: str) -> tuple[Lift, ...]:
    """Lifts that a session's text names, the longest name counting where one holds another."""
    rest = text.lower().replace("-", " ")
    found = []
    for lift in sorted(all_lifts().values(), key=lambda x: -len(x.name)):
        name = lift.name.lower().replace("-", " ")
        if name in rest:
            found.append(lift)
            rest = rest.replace(name, " ")
    return tuple(found)
