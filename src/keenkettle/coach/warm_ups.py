"""Parts of a warm-up as data: what opens joints, what rehearses positions, complexes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from keenkettle.coach.lifts import CHECKS, FAMILIES, JOINTS, Lift
from keenkettle.coach.tables import read_entries

BLOCKS = ("joints", "positions", "complex")


@dataclass(frozen=True)
class WarmUpPart:
    """One part; fields as in warm_ups.toml. ``over`` tells when it has done its work."""

    id: str
    title: str
    block: str
    minutes: float
    checks: tuple[str, ...]
    families: tuple[str, ...]
    avoid: tuple[str, ...]
    how: str
    why: str
    over: str

    def rehearses(self, lift: Lift) -> bool:
        """Whether it belongs before a lift."""
        return not self.families or lift.family in self.families


def read_warm_ups(source: str | None = None) -> dict[str, WarmUpPart]:
    """Read the parts by id.

    Args:
        source: TOML text instead of the shipped file.

    Raises:
        KnowledgeError: a field is wrong; the message names it.
    """
    return {
        e.id: WarmUpPart(
            id=e.id,
            title=e.text("title"),
            block=e.one_of("block", BLOCKS),
            minutes=e.number("minutes"),
            checks=e.some_of("for", CHECKS),
            families=e.some_of("families", FAMILIES),
            avoid=e.some_of("avoid", JOINTS),
            how=e.text("how"),
            why=e.text("why"),
            over=e.text("over"),
        )
        for e in read_entries("warm_ups.toml", "part", source)
    }


@cache
def all_warm_ups() -> dict[str, WarmUpPart]:
    """The shipped parts, with the coach's own, by id."""
    return read_warm_ups()


def parts_for(check: str, pain: tuple[str, ...] = ()) -> list[WarmUpPart]:
    """Parts that work on a clearance; none that loads a joint in pain."""
    return [
        p for p in all_warm_ups().values() if check in p.checks and not set(p.avoid) & set(pain)
    ]
