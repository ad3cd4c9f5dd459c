"""Changes to films as the records list them: whose, which day, which load; and out of the list."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from sqlalchemy import delete, insert, select, update
from sqlalchemy.orm import Session

from keenkettle.club.filmed import aside_in, rename_all
from keenkettle.club.tables import ClipRow, FindingRow, JudgedRow, MarkRow, NoteRow, PrescriptionRow

HANGS_ON = (FindingRow, JudgedRow, MarkRow, NoteRow)


@dataclass
class SetFacts:
    """Films get what the coach says of them: ``athlete_id``, ``filmed_on`` or ``load_kg``."""

    clip_ids: tuple[int, ...]
    fields: dict[str, Any]
    name: str = "what is said of a film"
    _before: dict[int, dict[str, Any]] = field(default_factory=dict)

    def do(self, session: Session) -> None:
        """Keep it."""
        for clip_id in self.clip_ids:
            row = session.get_one(ClipRow, clip_id)
            self._before[clip_id] = {k: getattr(row, k) for k in self.fields}
            for k, v in self.fields.items():
                setattr(row, k, v)

    def undo(self, session: Session) -> None:
        """Put back what was there."""
        for clip_id, before in self._before.items():
            row = session.get_one(ClipRow, clip_id)
            for k, v in before.items():
                setattr(row, k, v)


@dataclass
class TakeOut:
    """Films leave the records with all that hangs on them; the files stay where they are.

    Drills that were prescribed on their account stay prescribed. A file in the club's folder
    ``own`` is put aside there: it is not taken for one that was cut off, and goes with its
    athlete when that one is erased.
    """

    clip_ids: tuple[int, ...]
    own: Path
    name: str = "film taken out"
    _rows: list[tuple[Any, list[dict[str, Any]]]] = field(default_factory=list)
    _drills: dict[int, int] = field(default_factory=dict)
    _aside: list[tuple[Path, Path]] = field(default_factory=list)

    def do(self, session: Session) -> None:
        """Take them out."""
        self._rows = [
            (t, [dict(r) for r in session.execute(select(t.__table__).where(which)).mappings()])
            for t, which in (
                (ClipRow, ClipRow.id.in_(self.clip_ids)),
                *((t, t.clip_id.in_(self.clip_ids)) for t in HANGS_ON),
            )
        ]
        made = select(PrescriptionRow).where(PrescriptionRow.clip_id.in_(self.clip_ids))
        for drill in session.scalars(made):
            assert drill.clip_id is not None
            self._drills[drill.id] = drill.clip_id
            drill.clip_id = None
        session.flush()
        for t in HANGS_ON:
            session.execute(delete(t).where(t.clip_id.in_(self.clip_ids)))
        session.execute(delete(ClipRow).where(ClipRow.id.in_(self.clip_ids)))
        session.flush()
        left = set(session.scalars(select(ClipRow.path)))
        clips = next(rows for table, rows in self._rows if table is ClipRow)
        mine = {row["path"]: row["athlete_id"] for row in clips if row["path"] not in left}
        self._aside = aside_in(self.own, mine)
        rename_all(self._aside)

    def undo(self, session: Session) -> None:
        """Put them back as they were."""
        for t, rows in self._rows:
            for row in rows:  # what is left out is NULL, where None would be JSON's own null
                known = {k: v for k, v in row.items() if v is not None}
                if t is JudgedRow:
                    known.pop("id")  # it may be another's by now, as judging is no command
                session.execute(insert(t.__table__).values(**known))
        for drill, clip_id in self._drills.items():
            session.execute(
                update(PrescriptionRow).where(PrescriptionRow.id == drill).values(clip_id=clip_id)
            )
        rename_all([(aside, path) for path, aside in self._aside])
