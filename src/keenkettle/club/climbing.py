"""Ladders in the records: where athletes stand, what was seen, the coach's decisions."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from typing import Any

from sqlalchemy import Subquery, Text, func, select, true, type_coerce
from sqlalchemy.orm import Session

from keenkettle.club.commands import now
from keenkettle.club.people import person_of
from keenkettle.club.stale import keep_stamp
from keenkettle.club.store import Store
from keenkettle.club.tables import Athlete, ClipRow, GateNoteRow, PlacementRow, SessionRow
from keenkettle.coach.gates import ClipNote, Note, Standing
from keenkettle.coach.ladders import all_ladders
from keenkettle.coach.review import Review

FEW = 20  # from here on the whole table is read rather than a list of ids


@dataclass(frozen=True)
class Step:
    """One decision in an athlete's history on ladders."""

    ladder: str
    rung: int
    since: date
    act: str
    reason: str


def rung_text(ladder_id: str, rung: int) -> str:
    """A place in words, as shown beside the athlete's name."""
    ladder = all_ladders().get(ladder_id)
    if ladder is None or not 1 <= rung <= len(ladder.rungs):
        return ""
    return f"{ladder.name}, rung {rung} of {len(ladder.rungs)}: {ladder.rung(rung).title}"


def history_of(store: Store, athlete_id: int) -> list[Step]:
    """An athlete's decisions, oldest first."""
    with store.session() as s:
        rows = s.scalars(
            select(PlacementRow)
            .where(PlacementRow.athlete_id == athlete_id)
            .order_by(PlacementRow.id)
        )
        return [Step(r.ladder, r.rung, r.since, r.act, r.reason) for r in rows]


def standings(store: Store, people: Iterable[Athlete], today: date) -> dict[int, Standing]:
    """Where these athletes stand, by athlete id; those on no ladder are left out.

    Reads each table once, and only what can count for the present rungs.
    """
    athletes = {a.id: a for a in people}
    own = list(athletes) if len(athletes) <= FEW else None

    def mine(column: Any) -> Any:
        return true() if own is None else column.in_(own)

    with store.session() as s:
        steps = _steps(s, mine)
        notes = _notes(s, mine, _lasting_keys(steps))
        clips = _clips(s, mine)
        days, last_day = _days(s, mine, today)
    made = {}
    for athlete_id, rows in steps.items():
        last = rows[-1]
        ladder = all_ladders().get(last.ladder)
        if athlete_id not in athletes or ladder is None or last.act == "leave":
            continue
        made[athlete_id] = Standing(
            ladder=ladder,
            number=min(last.rung, len(ladder.rungs)),
            since=last.since,
            person=person_of(athletes[athlete_id], today, {last.ladder: last.rung}),
            notes=tuple(notes[athlete_id]),
            clips=tuple(clips[athlete_id]),
            session_days=tuple(days[athlete_id]),
            last_day=last_day.get(athlete_id),
            been_sideways=any(r.act == "sideways" for r in rows),
        )
    return made


#: Whether a row is of one of the athletes asked for.
Mine = Callable[[Any], Any]


def _present() -> Subquery:
    """Since when each athlete stands where they stand: athlete_id, since."""
    newest = select(func.max(PlacementRow.id)).group_by(PlacementRow.athlete_id)
    place = select(PlacementRow.athlete_id, PlacementRow.since)
    return place.where(PlacementRow.id.in_(newest)).subquery()


def _steps(s: Session, mine: Mine) -> dict[int, list[Step]]:
    steps: dict[int, list[Step]] = defaultdict(list)
    place = select(
        PlacementRow.athlete_id, PlacementRow.ladder, PlacementRow.rung, PlacementRow.since,
        PlacementRow.act, PlacementRow.reason,
    )  # fmt: skip
    ordered = place.where(mine(PlacementRow.athlete_id)).order_by(PlacementRow.id)
    for i, ladder, rung, since, act, reason in s.execute(ordered):
        steps[i].append(Step(ladder, rung, since, act, reason))
    return steps


def _lasting_keys(steps: dict[int, list[Step]]) -> list[str]:
    """Keys of the loads and weeks beside that the rungs stood on ask for."""
    keys = set()
    for rows in steps.values():
        ladder = all_ladders().get(rows[-1].ladder)
        if ladder is not None:
            rung = ladder.rungs[min(rows[-1].rung, len(ladder.rungs)) - 1]
            keys |= {g.key for g in rung.gate if g.kind in ("load", "side-weeks")}
    return sorted(keys)


def _notes(s: Session, mine: Mine, keys: list[str]) -> dict[int, list[Note]]:
    notes: dict[int, list[Note]] = defaultdict(list)
    note, place = GateNoteRow, _present()
    lately = select(note.athlete_id, note.day, note.key, note.value).join(
        place, (place.c.athlete_id == note.athlete_id) & (note.day >= place.c.since)
    )
    # Weeks beside and loads count from before the rung too: their sum, and the best of them.
    weeks = select(note.athlete_id, func.max(note.day), note.key, func.sum(note.value)).where(
        note.key.like("side-weeks:%"), note.key.in_(keys)
    )
    # SQLite gives the day of the row that holds the maximum.
    loads = select(note.athlete_id, note.day, note.key, func.max(note.value)).where(
        note.key.like("load:%"), note.key.in_(keys)
    )
    queries = [lately.where(note.key.not_like("side-weeks:%"), note.key.not_like("load:%"))]
    if keys:  # they count from long ago, so all of the notes are gone through
        queries += [q.group_by(note.athlete_id, note.key) for q in (weeks, loads)]
    for query in queries:
        for athlete_id, day, key, value in s.execute(query.where(mine(note.athlete_id))):
            notes[athlete_id].append(Note(day, key, value))
    return notes


def _clips(s: Session, mine: Mine) -> dict[int, list[ClipNote]]:
    clips: dict[int, list[ClipNote]] = defaultdict(list)
    place = _present()
    said_on = (
        select(ClipRow.athlete_id, ClipRow.filmed_on, ClipRow.lift, type_coerce(ClipRow.said, Text))
        .join(
            place,
            (place.c.athlete_id == ClipRow.athlete_id) & (ClipRow.filmed_on >= place.c.since),
        )
        .where(mine(ClipRow.athlete_id), ClipRow.said.is_not(None))
    )
    for athlete_id, day, lift, said in s.execute(said_on):
        clips[athlete_id] += _clip_notes(day, lift or "", said)
    return clips


@lru_cache(maxsize=4096)
def _clip_notes(day: date, lift: str, said: str) -> tuple[ClipNote, ...]:
    """What the records say of one clip; kept, for reading them costs most of a day's line."""
    return tuple(
        ClipNote(day, lift, rep["measures"], rep["faults"], frozenset(rep.get("unjudged", ())))
        for rep in json.loads(said) or []
    )


def _days(s: Session, mine: Mine, today: date) -> tuple[dict[int, list[date]], dict[int, date]]:
    """Days trained since they stand where they stand, in order, and the last of all."""
    days: dict[int, list[date]] = defaultdict(list)
    place = _present()
    trained = (
        select(SessionRow.athlete_id, SessionRow.day)
        .join(
            place,
            (place.c.athlete_id == SessionRow.athlete_id) & (SessionRow.day >= place.c.since),
        )
        .where(mine(SessionRow.athlete_id), SessionRow.day <= today)
    )
    for athlete_id, day in s.execute(trained.order_by(SessionRow.day)):
        days[athlete_id].append(day)
    newest = (
        select(func.max(SessionRow.day))
        .where(SessionRow.athlete_id == Athlete.id, SessionRow.day <= today)
        .scalar_subquery()
    )
    rows = s.execute(select(Athlete.id, newest).where(mine(Athlete.id)))
    return days, {i: day for i, day in rows if day is not None}


def said_of(review: Review) -> list[dict[str, Any]]:
    """What a reviewed clip measured, found and could not judge, rep by rep."""
    return [
        {
            "measures": {k: m.value for k, m in rep.metrics.items() if m.value is not None},
            "faults": {f.fault: f.severity for f in rep.verdict.findings},
            "unjudged": [fault for fault, _ in rep.verdict.not_judged],
        }
        for rep in review.reps
    ]


def keep_said(store: Store, clip_id: int, review: Review) -> None:
    """Keep what a reviewed clip said, for gates and history."""
    said = said_of(review)
    with store.session() as s:
        row = s.get(ClipRow, clip_id)
        if row is None:
            return
        if row.said != said:
            row.said = said
        keep_stamp(s, row)


@dataclass
class Decide:
    """The coach puts an athlete on a rung, or takes them off a ladder; the reason is kept."""

    athlete_id: int
    ladder: str
    rung: int
    since: date
    act: str
    reason: str
    name: str = "place on the ladder"
    _row_id: int | None = None
    _text_before: str = ""

    def do(self, session: Session) -> None:
        """Keep the decision."""
        row = PlacementRow(
            athlete_id=self.athlete_id,
            ladder=self.ladder,
            rung=self.rung,
            since=self.since,
            act=self.act,
            reason=self.reason,
            made_at=now(),
        )
        if self._row_id is not None:
            row.id = self._row_id
        session.add(row)
        session.flush()
        self._row_id = row.id
        athlete = session.get(Athlete, self.athlete_id)
        if athlete is not None:
            self._text_before = athlete.rung
            athlete.rung = "" if self.act == "leave" else rung_text(self.ladder, self.rung)

    def undo(self, session: Session) -> None:
        """Take the decision back; the place before it counts again."""
        row = session.get(PlacementRow, self._row_id)
        if row is not None:
            session.delete(row)
        athlete = session.get(Athlete, self.athlete_id)
        if athlete is not None:
            athlete.rung = self._text_before


@dataclass
class SeeGate:
    """The coach ticks a condition, or writes down a hold, weeks beside or a load."""

    athlete_id: int
    day: date
    key: str
    value: float
    name: str = "seen toward the gate"
    _row_id: int | None = None

    def do(self, session: Session) -> None:
        """Keep it."""
        row = GateNoteRow(athlete_id=self.athlete_id, day=self.day, key=self.key, value=self.value)
        if self._row_id is not None:
            row.id = self._row_id
        session.add(row)
        session.flush()
        self._row_id = row.id

    def undo(self, session: Session) -> None:
        """Forget it."""
        row = session.get(GateNoteRow, self._row_id)
        if row is not None:
            session.delete(row)
