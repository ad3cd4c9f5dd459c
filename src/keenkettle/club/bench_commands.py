"""Changes made at the film bench beside answers and marks: notes, events, the written review."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from datetime import date
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from keenkettle.club.commands import AddClip, SetMark
from keenkettle.club.filmed import aside_in, rename_all, was_filmed
from keenkettle.club.tables import ClipRow, NoteRow
from keenkettle.coach.review import Filmed
from keenkettle.film.plausible import Marks


@dataclass
class TakeMarks:
    """Many marks at once, as from a file; what was marked on the same frames gives way."""

    clip_id: int
    marks: Marks
    name: str = "marks from a file"
    _single: list[SetMark] = field(default_factory=list)

    def do(self, session: Session) -> None:
        """Keep them."""
        self._single = [
            SetMark(self.clip_id, joint, frame, xy)
            for joint, at in self.marks.items()
            for frame, xy in at.items()
        ]
        for one in self._single:
            one.do(session)

    def undo(self, session: Session) -> None:
        """Put back what was there."""
        for one in self._single:
            one.undo(session)


@dataclass
class AddNote:
    """Words or a measuring line on a span of frames; ``points`` in pixels."""

    clip_id: int
    kind: str
    first: int
    last: int
    points: list[tuple[float, float]]
    text: str = ""
    name: str = "note on the film"
    note_id: int | None = None

    def do(self, session: Session) -> None:
        """Keep it."""
        row = NoteRow(
            clip_id=self.clip_id, kind=self.kind, first=self.first, last=self.last,
            points=[list(p) for p in self.points], text=self.text,
        )  # fmt: skip
        if self.note_id is not None:
            row.id = self.note_id
        session.add(row)
        session.flush()
        self.note_id = row.id

    def undo(self, session: Session) -> None:
        """Take it off again."""
        row = session.get(NoteRow, self.note_id)
        if row is not None:
            session.delete(row)


@dataclass
class RemoveNote:
    """A note comes off the film."""

    note_id: int
    name: str = "note taken off"
    _kept: dict[str, Any] = field(default_factory=dict)

    def do(self, session: Session) -> None:
        """Take it off."""
        row = session.get_one(NoteRow, self.note_id)
        names = ("clip_id", "kind", "first", "last", "points", "text")
        self._kept = {n: getattr(row, n) for n in names}
        session.delete(row)

    def undo(self, session: Session) -> None:
        """Put it back as it was."""
        session.add(NoteRow(id=self.note_id, **self._kept))


@dataclass
class SpanNote:
    """A note stands on frames ``first`` to ``last``."""

    note_id: int
    first: int
    last: int
    name: str = "how long a note stays"
    _before: tuple[int, int] = (0, 0)

    def do(self, session: Session) -> None:
        """Keep it."""
        row = session.get_one(NoteRow, self.note_id)
        self._before = row.first, row.last
        row.first, row.last = self.first, self.last

    def undo(self, session: Session) -> None:
        """Let it stand where it stood."""
        row = session.get_one(NoteRow, self.note_id)
        row.first, row.last = self._before


@dataclass
class SetEvent:
    """The coach moves an event of a rep to a frame; None gives it back to the measuring."""

    clip_id: int
    rep: int
    event: str
    frame: int | None
    name: str = "event moved"
    _before: dict[str, Any] | None = None

    def do(self, session: Session) -> None:
        """Keep it."""
        row = session.get_one(ClipRow, self.clip_id)
        self._before = row.events
        events = {rep: dict(at) for rep, at in (row.events or {}).items()}
        own = events.setdefault(str(self.rep), {})
        own.pop(self.event, None)
        if self.frame is not None:
            own[self.event] = self.frame
        row.events = events

    def undo(self, session: Session) -> None:
        """Put back what was set before."""
        session.get_one(ClipRow, self.clip_id).events = self._before


@dataclass
class ShowDisc:
    """The coach shows where the disc is: frame, x, y, and its radius or None, pixels."""

    clip_id: int
    bar: tuple[int, float, float, float | None]
    name: str = "where the disc is"
    _before: list[Any] | None = None

    def do(self, session: Session) -> None:
        """Keep it."""
        row = session.get_one(ClipRow, self.clip_id)
        self._before, row.bar = row.bar, list(self.bar)

    def undo(self, session: Session) -> None:
        """Put back what was shown before, or nothing."""
        session.get_one(ClipRow, self.clip_id).bar = self._before


@dataclass
class SetFilmed:
    """The coach says how a clip was filmed."""

    clip_id: int
    how: Filmed
    name: str = "how it was filmed"
    _before: dict[str, Any] | None = None

    def do(self, session: Session) -> None:
        """Keep it."""
        row = session.get_one(ClipRow, self.clip_id)
        self._before, row.filmed = row.filmed, asdict(self.how)

    def undo(self, session: Session) -> None:
        """Put back what was said before."""
        session.get_one(ClipRow, self.clip_id).filmed = self._before


@dataclass
class WriteReview:
    """The coach writes or edits the review for the athlete."""

    clip_id: int
    text: str
    name: str = "written review"
    _before: str | None = None

    def do(self, session: Session) -> None:
        """Keep it."""
        row = session.get_one(ClipRow, self.clip_id)
        self._before, row.written = row.written, self.text

    def undo(self, session: Session) -> None:
        """Put back what was written."""
        session.get_one(ClipRow, self.clip_id).written = self._before


@dataclass
class AddClips:
    """Several files join an athlete's films at once: (path, hash, day).

    Copies that were made for it in the club's folder ``own`` are put aside when it is undone; a
    film that was made here is offered again.
    """

    athlete_id: int
    files: list[tuple[Path, str, date]]
    own: Path
    name: str = "clips added"
    _each: list[AddClip] = field(default_factory=list)
    _aside: list[tuple[Path, Path]] = field(default_factory=list)

    def do(self, session: Session) -> None:
        """Add them all; the files stay where they are."""
        self._each = self._each or [AddClip(self.athlete_id, *f) for f in self.files]
        for one in self._each:
            one.do(session)
        rename_all([(aside, path) for path, aside in self._aside])

    def undo(self, session: Session) -> None:
        """Forget them again."""
        for one in reversed(self._each):
            one.undo(session)
        session.flush()
        left = set(session.scalars(select(ClipRow.path)))
        gone = {str(path) for path, _, _ in self.files if not was_filmed(path)} - left
        self._aside = aside_in(self.own, dict.fromkeys(gone, self.athlete_id))
        rename_all(self._aside)
