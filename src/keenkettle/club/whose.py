"""Which rows of the records are one athlete's."""

from __future__ import annotations

from sqlalchemy import ColumnElement, Table, and_, delete, select
from sqlalchemy.orm import Session

from keenkettle.club.tables import Athlete, Base, ClipRow


def tables() -> list[Table]:
    """Tables that hold rows of an athlete, those that others point to first."""
    return [t for t in Base.metadata.sorted_tables if {"athlete_id", "clip_id"} & set(t.c.keys())]


def of_athlete(table: Table, athlete_id: int) -> ColumnElement[bool]:
    """Which rows of a table are one athlete's."""
    if "athlete_id" in table.c:
        return and_(table.c.athlete_id == athlete_id)
    clips = select(ClipRow.id).where(ClipRow.athlete_id == athlete_id)
    return and_(table.c.clip_id.in_(clips))


def drop_rows(session: Session, athlete_id: int) -> None:
    """Delete an athlete and all that is the athlete's."""
    for table in reversed(tables()):
        session.execute(delete(table).where(of_athlete(table, athlete_id)))
    session.execute(delete(Athlete).where(Athlete.id == athlete_id))
