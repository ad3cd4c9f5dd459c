"""Clips whose measures are of another body or lift than the records name by now."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from keenkettle.club.people import fitted_by
from keenkettle.club.store import Store
from keenkettle.club.tables import Athlete, ClipRow, JudgedRow


def stamp(lift: str | None, guessed: bool, body: str) -> str:
    """What a judgement hangs on beside the film: the lift where the coach named it, and the body
    as ``body_of`` tells it.
    """
    return f"{'' if guessed else lift or ''} {body}"


def body_of(athlete: Athlete) -> str:
    """An athlete's body and the set position that is fitted to it, in short."""
    stature_mm, touching_mm = athlete.stature_mm or 0.0, athlete.touching_mm or 0.0
    return f"{stature_mm:.1f} {touching_mm:.1f}{fitted_by(athlete)}"


def keep_stamp(session: Session, row: ClipRow) -> None:
    """Note for what a clip was judged, as the records are now."""
    athlete = session.get_one(Athlete, row.athlete_id)
    now = stamp(row.lift, row.lift_guessed, body_of(athlete))
    kept = session.scalar(select(JudgedRow).where(JudgedRow.clip_id == row.id))
    if kept is None:
        session.add(JudgedRow(clip_id=row.id, stamp=now))
    elif kept.stamp != now:
        kept.stamp = now


def stale_clips(store: Store) -> list[int]:
    """Analysed clips that were judged for another body or lift, the newest first."""
    with store.session() as s:
        rows = s.execute(
            select(
                ClipRow.id, JudgedRow.stamp, ClipRow.lift, ClipRow.lift_guessed, ClipRow.athlete_id
            )
            .join(JudgedRow, JudgedRow.clip_id == ClipRow.id)
            .order_by(ClipRow.filmed_on.desc())
        ).all()
        bodies = {a.id: body_of(a) for a in s.scalars(select(Athlete))}
        return [
            clip_id
            for clip_id, judged_for, lift, guessed, athlete_id in rows
            if judged_for != stamp(lift, guessed, bodies[athlete_id])
        ]
