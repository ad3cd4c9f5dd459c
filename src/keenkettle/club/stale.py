"""Clips whose measures are of another body or lift than the records name by now."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from keenkettle.club.store import Store
from keenkettle.club.tables import Athlete, ClipRow, JudgedRow

ASKED = (
    ClipRow.id, JudgedRow.stamp, ClipRow.lift, ClipRow.lift_guessed, Athlete.stature_mm,
    Athlete.touching_mm,
)  # fmt: skip


def stamp(
    lift: str | None, guessed: bool, stature_mm: float | None, touching_mm: float | None
) -> str:
    """What a judgement hangs on beside the film: the lift where the coach named it, the body."""
    return f"{'' if guessed else lift or ''} {stature_mm or 0:.1f} {touching_mm or 0:.1f}"


def keep_stamp(session: Session, row: ClipRow) -> None:
    """Note for what a clip was judged, as the records are now."""
    athlete = session.get_one(Athlete, row.athlete_id)
    now = stamp(row.lift, row.lift_guessed, athlete.stature_mm, athlete.touching_mm)
    kept = session.scalar(select(JudgedRow).where(JudgedRow.clip_id == row.id))
    if kept is None:
        session.add(JudgedRow(clip_id=row.id, stamp=now))
    elif kept.stamp != now:
        kept.stamp = now


def stale_clips(store: Store) -> list[int]:
    """Analysed clips that were judged for another body or lift, the newest first."""
    with store.session() as s:
        rows = s.execute(
            select(*ASKED)
            .join(JudgedRow, JudgedRow.clip_id == ClipRow.id)
            .join(Athlete, Athlete.id == ClipRow.athlete_id)
            .order_by(ClipRow.filmed_on.desc())
        ).all()
    return [
        clip_id
        for clip_id, judged_for, lift, guessed, stature_mm, touching_mm in rows
        if judged_for != stamp(lift, guessed, stature_mm, touching_mm)
    ]
