"""What the day asks for: who comes, what each is on, what is open, what needs a decision."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from keenkettle.club import look_up
from keenkettle.club.climbing import rung_text, standings
from keenkettle.club.people import facts_of
from keenkettle.club.store import Store
from keenkettle.club.tables import FindingRow, PrescriptionRow, SessionRow
from keenkettle.coach.gates import Proposal, Standing, propose

DECIDE = ("advance", "back", "sideways", "pause", "re-check", "leave")


@dataclass(frozen=True)
class DayLine:
    """One athlete's line for today. ``expected``: by weekday or by a written session."""

    athlete_id: int
    name: str
    sport: str
    expected: bool
    on: str
    session: str
    caution: str
    open_drills: tuple[str, ...]
    proposal: Proposal | None


class Proposals:
    """Proposals by athlete, made anew only where the standing or the day is another one."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[Standing, date, Proposal]] = {}

    def __call__(self, athlete_id: int, standing: Standing, today: date) -> Proposal:
        """What is proposed for one athlete."""
        known = self._known.get(athlete_id)
        if known is None or known[:2] != (standing, today):
            known = self._known[athlete_id] = (standing, today, propose(standing, today))
        return known[2]


def day_lines(store: Store, today: date, proposals: Proposals) -> list[DayLine]:
    """Everybody's line, those who are expected first, then by what needs a decision."""
    people = look_up.athletes(store)
    stand = standings(store, people, today)
    with store.session() as s:
        written = s.execute(
            select(SessionRow.athlete_id, SessionRow.text).where(SessionRow.day == today)
        )
        texts: dict[int, str] = {athlete_id: text for athlete_id, text in written}  # noqa: C416
        drills: dict[int, list[str]] = {}
        rows = s.execute(
            select(PrescriptionRow.athlete_id, PrescriptionRow.line).where(
                PrescriptionRow.outcome == ""
            )
        )
        for athlete_id, line in rows:
            drills.setdefault(athlete_id, []).append(line)
    lines = []
    for a in people:
        standing = stand.get(a.id)
        facts = facts_of(a)
        pain = [f"{j} pain: nothing that loads it" for j in facts.painful]
        lines.append(
            DayLine(
                athlete_id=a.id,
                name=a.name,
                sport=a.sport,
                expected=today.weekday() in facts.days or a.id in texts,
                on=rung_text(standing.ladder.id, standing.number) if standing else "no ladder yet",
                session=texts.get(a.id, ""),
                caution="; ".join([*pain, a.caution] if a.caution else pain),
                open_drills=tuple(drills.get(a.id, ())),
                proposal=proposals(a.id, standing, today) if standing else None,
            )
        )
    return sorted(lines, key=_urgency)


def _urgency(line: DayLine) -> tuple[bool, bool, str]:
    decision = line.proposal is not None and line.proposal.act in DECIDE
    return (not line.expected, not decision, line.name)


def open_findings(store: Store) -> int:
    """Findings left for later."""
    with store.session() as s:
        return len(list(s.scalars(select(FindingRow.id).where(FindingRow.answer == "later"))))
