"""Every change to the records, one named command each, with do and undo."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any, Protocol

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from keenkettle.club.people import Facts, write_facts
from keenkettle.club.store import Store
from keenkettle.club.tables import (
    Athlete,
    ClipRow,
    ClubRow,
    FindingRow,
    JudgedRow,
    MarkRow,
    NoteRow,
    PrescriptionRow,
    SessionRow,
)  # fmt: skip
from keenkettle.coach.judge import Finding
from keenkettle.coach.remedies import Proposal


def now() -> datetime:
    """The present moment, UTC without zone, as the tables keep it."""
    return datetime.now(UTC).replace(tzinfo=None, microsecond=0)


class Command(Protocol):
    """One change. ``name`` says it in the past tense for "undo: ..."."""

    name: str

    def do(self, session: Session) -> None:
        """Make the change."""

    def undo(self, session: Session) -> None:
        """Take it back exactly."""


class History:
    """What was done since the start, to be undone and redone in order."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._done: list[Command] = []
        self._undone: list[Command] = []
        self.heard: Callable[[Command], None] = lambda _command: None  # after do, undo and redo

    def run(self, command: Command) -> None:
        """Do a command; it is on the disk when this returns.

        Raises:
            ClubError: it could not be written; nothing has changed.
        """
        with self.store.session() as session:
            command.do(session)
        self._done.append(command)
        self._undone.clear()
        self.heard(command)

    def undo(self) -> str:
        """Undo the last command and say its name; empty where there is none."""
        if not self._done:
            return ""
        command = self._done[-1]
        with self.store.session() as session:
            command.undo(session)
        self._undone.append(self._done.pop())
        self.heard(command)
        return command.name

    def forget(self) -> None:
        """Nothing that was done so far can be undone any more."""
        self._done.clear()
        self._undone.clear()

    def redo(self) -> str:
        """Do again what was last undone."""
        if not self._undone:
            return ""
        command = self._undone[-1]
        with self.store.session() as session:
            command.do(session)
        self._done.append(self._undone.pop())
        self.heard(command)
        return command.name


@dataclass
class NameClub:
    """The club gets its name, or another one."""

    club: str
    name: str = "name of the club"
    _before: str | None = None

    def do(self, session: Session) -> None:
        """Keep it."""
        row = session.scalar(select(ClubRow))
        self._before = None if row is None else row.name
        if row is None:
            session.add(ClubRow(name=self.club))
        else:
            row.name = self.club

    def undo(self, session: Session) -> None:
        """Give the old name back."""
        row = session.scalar(select(ClubRow))
        if row is not None and self._before is None:
            session.delete(row)
        elif row is not None:
            row.name = self._before or ""


@dataclass
class AddAthlete:
    """Someone new in the club."""

    athlete_name: str
    name: str = "athlete added"
    athlete_id: int | None = None

    def do(self, session: Session) -> None:
        """Add them."""
        row = Athlete(name=self.athlete_name, facts={})
        if self.athlete_id is not None:
            row.id = self.athlete_id
        session.add(row)
        session.flush()
        self.athlete_id = row.id

    def undo(self, session: Session) -> None:
        """Take them out again; whatever came after was undone before."""
        session.execute(delete(Athlete).where(Athlete.id == self.athlete_id))


@dataclass
class ChangeAthlete:
    """The coach writes down something about an athlete.

    ``fields`` are columns (name, sport, caution, stature_mm, touching_mm); ``facts`` replaces
    the facts where given.
    """

    athlete_id: int
    fields: dict[str, Any] = field(default_factory=dict)
    facts: Facts | None = None
    name: str = "athlete's facts"
    _before: dict[str, Any] = field(default_factory=dict)
    _facts_before: dict[str, Any] = field(default_factory=dict)

    def do(self, session: Session) -> None:
        """Keep it."""
        row = session.get_one(Athlete, self.athlete_id)
        self._before = {k: getattr(row, k) for k in self.fields}
        self._facts_before = dict(row.facts)
        for k, v in self.fields.items():
            setattr(row, k, v)
        if self.facts is not None:
            row.facts = write_facts(self.facts)

    def undo(self, session: Session) -> None:
        """Put back what was there."""
        row = session.get_one(Athlete, self.athlete_id)
        for k, v in self._before.items():
            setattr(row, k, v)
        row.facts = self._facts_before


@dataclass
class AnswerFinding:
    """The coach confirms, dismisses or postpones a finding."""

    clip_id: int
    rep: int
    finding: Finding
    answer: str
    name: str = "answer to a finding"
    _before: tuple[str, datetime | None, int | None] | None = None

    def do(self, session: Session) -> None:
        """Keep the answer; of a finding without evidence also where the coach saw it."""
        row = _finding(session, self.clip_id, self.rep, self.finding.fault)
        if row is None:
            row = FindingRow(
                clip_id=self.clip_id,
                rep=self.rep,
                fault=self.finding.fault,
                severity=self.finding.severity,
                says=self.finding.says,
                answer="open",
            )
            session.add(row)
            self._before = None
        else:
            self._before = (row.answer, row.answered_at, row.seen_at)
        row.answer, row.answered_at = self.answer, now()
        row.seen_at = None if self.finding.evidence else self.finding.at

    def undo(self, session: Session) -> None:
        """Put back what was there."""
        row = _finding(session, self.clip_id, self.rep, self.finding.fault)
        if row is None:
            return
        if self._before is None:
            session.delete(row)
        else:
            row.answer, row.answered_at, row.seen_at = self._before


def _finding(session: Session, clip_id: int, rep: int, fault: str) -> FindingRow | None:
    return session.scalar(
        select(FindingRow).where(
            FindingRow.clip_id == clip_id, FindingRow.rep == rep, FindingRow.fault == fault
        )
    )


def _session_row(session: Session, athlete_id: int, day: date) -> SessionRow | None:
    return session.scalar(
        select(SessionRow).where(SessionRow.athlete_id == athlete_id, SessionRow.day == day)
    )


@dataclass
class Prescribe:
    """A drill goes into the athlete's session as a line of text."""

    athlete_id: int
    clip_id: int | None
    proposal: Proposal
    day: date
    name: str = "drill into the session"
    _text_before: str | None = None
    _row_id: int | None = None

    def do(self, session: Session) -> None:
        """Write the line and keep the prescription."""
        row = _session_row(session, self.athlete_id, self.day)
        self._text_before = None if row is None else row.text
        if row is None:
            row = SessionRow(athlete_id=self.athlete_id, day=self.day, text="")
            session.add(row)
            session.flush()
        line = self.proposal.session_line
        if line not in row.text.splitlines():
            row.text = f"{row.text.rstrip()}\n{line}\n".lstrip("\n")
        made = PrescriptionRow(
            athlete_id=self.athlete_id,
            clip_id=self.clip_id,
            session_id=row.id,
            drill=self.proposal.drill.id,
            faults=list(self.proposal.faults),
            line=line,
            worked_if=self.proposal.worked_if,
            made_at=now(),
            outcome="",
        )
        session.add(made)
        session.flush()
        self._row_id = made.id

    def undo(self, session: Session) -> None:
        """Take the line and the prescription out again."""
        session.execute(delete(PrescriptionRow).where(PrescriptionRow.id == self._row_id))
        row = _session_row(session, self.athlete_id, self.day)
        if row is None:
            return
        if self._text_before is None:
            session.delete(row)
        else:
            row.text = self._text_before


@dataclass
class WriteSession:
    """The coach edits a session's text."""

    athlete_id: int
    day: date
    text: str
    name: str = "session text"
    _before: str | None = None

    def do(self, session: Session) -> None:
        """Keep the new text."""
        row = _session_row(session, self.athlete_id, self.day)
        self._before = None if row is None else row.text
        if row is None:
            row = SessionRow(athlete_id=self.athlete_id, day=self.day, text="")
            session.add(row)
        row.text = self.text

    def undo(self, session: Session) -> None:
        """Put the old text back."""
        row = _session_row(session, self.athlete_id, self.day)
        if row is None:
            return
        if self._before is None:
            session.delete(row)
        else:
            row.text = self._before


@dataclass
class SetMark:
    """The coach marks, moves or (with None) removes a joint on a frame."""

    clip_id: int
    joint: str
    frame: int
    xy: tuple[float, float] | None
    name: str = "joint mark"
    _before: tuple[float, float] | None = None

    def _put(self, session: Session, xy: tuple[float, float] | None) -> None:
        row = session.scalar(
            select(MarkRow).where(
                MarkRow.clip_id == self.clip_id,
                MarkRow.joint == self.joint,
                MarkRow.frame == self.frame,
            )
        )
        self._before = None if row is None else (row.x, row.y)
        if xy is None:
            if row is not None:
                session.delete(row)
        elif row is None:
            session.add(
                MarkRow(clip_id=self.clip_id, joint=self.joint, frame=self.frame, x=xy[0], y=xy[1])
            )
        else:
            row.x, row.y = xy

    def do(self, session: Session) -> None:
        """Keep the mark."""
        self._put(session, self.xy)

    def undo(self, session: Session) -> None:
        """Put back the mark that was there."""
        before = self._before
        self._put(session, before)
        self._before = before


@dataclass
class AddClip:
    """A clip joins an athlete's films."""

    athlete_id: int
    path: Path
    sha256: str
    filmed_on: date
    lift: str | None = None
    load_kg: float | None = None
    name: str = "clip added"
    clip_id: int | None = field(default=None)

    def do(self, session: Session) -> None:
        """Add it; the file stays where it is."""
        row = ClipRow(
            athlete_id=self.athlete_id,
            path=str(self.path),
            sha256=self.sha256,
            filmed_on=self.filmed_on,
            lift=self.lift,
            load_kg=self.load_kg,
        )
        if self.clip_id is not None:
            row.id = self.clip_id
        session.add(row)
        session.flush()
        self.clip_id = row.id

    def undo(self, session: Session) -> None:
        """Forget it and all that hangs on it; the file is left alone."""
        for table in (FindingRow, JudgedRow, MarkRow, NoteRow):
            session.execute(delete(table).where(table.clip_id == self.clip_id))
        for made in session.scalars(
            select(PrescriptionRow).where(PrescriptionRow.clip_id == self.clip_id)
        ):
            made.clip_id = None
        session.execute(delete(ClipRow).where(ClipRow.id == self.clip_id))
