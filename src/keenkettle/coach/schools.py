"""Where schools of teaching differ, with the default and the reason for it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from keenkettle.coach.tables import read_entries


@dataclass(frozen=True)
class SchoolQuestion:
    """One question on which schools differ."""

    id: str
    asks: str
    one: str
    other: str
    default: str
    why: str


@cache
def all_schools() -> dict[str, SchoolQuestion]:
    """The questions by id.

    Raises:
        KnowledgeError: an entry is wrong.
    """
    fields = ("asks", "one", "other", "default", "why")
    return {
        e.id: SchoolQuestion(e.id, *(e.text(f) for f in fields))
        for e in read_entries("schools.toml", "question")
    }
