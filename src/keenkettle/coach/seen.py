"""What the coach sees on a film and the program has not found: findings without a measure."""

from __future__ import annotations

from collections.abc import Sequence

from keenkettle.coach.faults import Fault, all_faults
from keenkettle.coach.judge import Finding
from keenkettle.coach.lifts import Lift


def can_add(lift: Lift, found: Sequence[Finding]) -> list[Fault]:
    """Faults that the lift can show and that are not among those found, by title."""
    known = {f.fault for f in found}
    shown = [f for f in all_faults().values() if f.belongs_to(lift) and f.id not in known]
    return sorted(shown, key=lambda f: f.title)


def seen_by_coach(fault_id: str, frame: int) -> Finding:
    """A finding that the coach vouches for; it has no evidence.

    Raises:
        KeyError: there is no such fault.
    """
    says = f"{all_faults()[fault_id].title}: seen by the coach"
    return Finding(fault_id, "fix", frame, frame, frame, 1.0, (), says)
