"""Reviewed films that wait for the coach's eyes, the most urgent first."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy import select

from keenkettle.club.store import Store
from keenkettle.club.tables import Athlete, ClipRow, FindingRow

RECENT = timedelta(days=30)
MOST = 60  # clips that are looked through
WEIGHT = {"stop": 100, "fix": 10, "note": 1}


@dataclass(frozen=True)
class Waiting:
    """A film with findings that nobody has answered. ``weight`` orders; ``words`` say why."""

    clip_id: int
    athlete_id: int
    athlete: str
    lift: str
    day: date
    weight: int
    words: str


def films_for_eyes(store: Store, today: date) -> list[Waiting]:
    """Reviewed films of the last weeks with unanswered findings: stops, then fixes, then notes."""
    with store.session() as s:
        answered: dict[int, set[tuple[int, str]]] = {}
        for clip_id, rep, fault in s.execute(
            select(FindingRow.clip_id, FindingRow.rep, FindingRow.fault).where(
                FindingRow.answer.in_(("confirmed", "dismissed"))
            )
        ):
            answered.setdefault(clip_id, set()).add((rep, fault))
        rows = s.execute(
            select(
                ClipRow.id, ClipRow.athlete_id, Athlete.name, ClipRow.lift, ClipRow.filmed_on,
                ClipRow.said,
            )
            .join(Athlete, Athlete.id == ClipRow.athlete_id)
            .where(
                ClipRow.said.is_not(None), ClipRow.path != "", ClipRow.filmed_on >= today - RECENT
            )
            .order_by(ClipRow.filmed_on.desc(), ClipRow.id.desc())
            .limit(MOST)
        ).all()  # fmt: skip
    out = []
    for clip_id, athlete_id, name, lift, day, said in rows:
        done = answered.get(clip_id, set())
        left = [
            severity
            for number, rep in enumerate(said or [], 1)
            for fault, severity in rep["faults"].items()
            if (number, fault) not in done
        ]
        if left:
            weight = sum(WEIGHT.get(x, 1) for x in left)
            counted = [(x, left.count(x)) for x in WEIGHT if x in left]
            words = ", ".join(f"{n} to {x}" if x != "note" else f"{n} to note" for x, n in counted)
            out.append(Waiting(clip_id, athlete_id, name, lift or "", day, weight, words))
    return sorted(out, key=lambda w: (-w.weight, -w.day.toordinal()))
