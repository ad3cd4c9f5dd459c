"""Tables of the club's database. Lengths in mm, loads in kg, times in UTC."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, LargeBinary, UniqueConstraint, false
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """Base of all tables."""

    _json = JSON(none_as_null=True)  # nothing known is NULL, not the word "null"
    type_annotation_map = {dict[str, Any]: _json, list[Any]: _json}  # noqa: RUF012


class ClubRow(Base):
    """The club itself; at most one row."""

    __tablename__ = "club"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]


class Athlete(Base):
    """Someone who lifts. ``facts`` is read and written by ``people`` only."""

    __tablename__ = "athlete"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    sport: Mapped[str] = mapped_column(default="")
    rung: Mapped[str] = mapped_column(default="")
    caution: Mapped[str] = mapped_column(default="")
    stature_mm: Mapped[float | None] = mapped_column(default=None)
    touching_mm: Mapped[float | None] = mapped_column(default=None)
    facts: Mapped[dict[str, Any]] = mapped_column(default=dict)


class ClipRow(Base):
    """A clip of an athlete; ``bar`` is the coach's click on the disc, where needed."""

    __tablename__ = "clip"
    id: Mapped[int] = mapped_column(primary_key=True)
    athlete_id: Mapped[int] = mapped_column(ForeignKey("athlete.id"), index=True)
    path: Mapped[str]
    sha256: Mapped[str] = mapped_column(index=True)
    filmed_on: Mapped[date] = mapped_column(index=True)
    lift: Mapped[str | None] = mapped_column(default=None)
    lift_guessed: Mapped[bool] = mapped_column(default=False, server_default=false())
    load_kg: Mapped[float | None] = mapped_column(default=None)
    bar: Mapped[list[Any] | None] = mapped_column(default=None)
    tracks: Mapped[bytes | None] = mapped_column(LargeBinary, default=None, deferred=True)
    said: Mapped[list[Any] | None] = mapped_column(default=None)  # measures and faults by rep
    events: Mapped[dict[str, Any] | None] = mapped_column(default=None)  # rep: event: frame
    filmed: Mapped[dict[str, Any] | None] = mapped_column(default=None)  # as the coach says
    written: Mapped[str | None] = mapped_column(default=None)  # the review for the athlete


class JudgedRow(Base):
    """For which lift and body a clip was judged. Not in the clip's own row, where it would lie
    behind the tracks and be slow to read.
    """

    __tablename__ = "judged"
    id: Mapped[int] = mapped_column(primary_key=True)
    clip_id: Mapped[int] = mapped_column(ForeignKey("clip.id"), unique=True)
    stamp: Mapped[str]


class MarkRow(Base):
    """A joint that the coach marked on a frame, pixels."""

    __tablename__ = "mark"
    __table_args__ = (UniqueConstraint("clip_id", "joint", "frame"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    clip_id: Mapped[int] = mapped_column(ForeignKey("clip.id"), index=True)
    joint: Mapped[str]
    frame: Mapped[int]
    x: Mapped[float]
    y: Mapped[float]


class NoteRow(Base):
    """A line or words on frames ``first`` to ``last``: kind "text", "distance" or "angle".

    ``points`` are pixels, as [[x, y], ...]: one for words, two or three for a line.
    """

    __tablename__ = "note"
    id: Mapped[int] = mapped_column(primary_key=True)
    clip_id: Mapped[int] = mapped_column(ForeignKey("clip.id"), index=True)
    kind: Mapped[str]
    first: Mapped[int]
    last: Mapped[int]
    points: Mapped[list[Any]]
    text: Mapped[str] = mapped_column(default="")


class FindingRow(Base):
    """A finding and the coach's answer: "open", "confirmed", "dismissed" or "later".

    ``seen_at`` is the frame of one that the coach saw, None of what was measured.
    """

    __tablename__ = "finding"
    __table_args__ = (UniqueConstraint("clip_id", "rep", "fault"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    clip_id: Mapped[int] = mapped_column(ForeignKey("clip.id"), index=True)
    rep: Mapped[int]
    fault: Mapped[str]
    severity: Mapped[str]
    says: Mapped[str]
    answer: Mapped[str] = mapped_column(default="open")
    answered_at: Mapped[datetime | None] = mapped_column(default=None)
    seen_at: Mapped[int | None] = mapped_column(default=None)


class SessionRow(Base):
    """One session of an athlete as text."""

    __tablename__ = "session"
    __table_args__ = (UniqueConstraint("athlete_id", "day"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    athlete_id: Mapped[int] = mapped_column(ForeignKey("athlete.id"), index=True)
    day: Mapped[date] = mapped_column(index=True)
    text: Mapped[str] = mapped_column(default="")


class PrescriptionRow(Base):
    """A drill prescribed for faults seen on a clip. ``outcome``: "", "yes", "no"."""

    __tablename__ = "prescription"
    id: Mapped[int] = mapped_column(primary_key=True)
    athlete_id: Mapped[int] = mapped_column(ForeignKey("athlete.id"), index=True)
    clip_id: Mapped[int | None] = mapped_column(ForeignKey("clip.id"), default=None)
    session_id: Mapped[int | None] = mapped_column(ForeignKey("session.id"), default=None)
    drill: Mapped[str]
    faults: Mapped[list[Any]] = mapped_column(default=list)
    line: Mapped[str]
    worked_if: Mapped[str]
    made_at: Mapped[datetime]
    outcome: Mapped[str] = mapped_column(default="")


class PlacementRow(Base):
    """An athlete's place on a ladder from ``since`` on; the newest row of an athlete counts.

    ``act`` is what the coach decided (a proposal's word, or "set"), ``reason`` why.
    """

    __tablename__ = "placement"
    id: Mapped[int] = mapped_column(primary_key=True)
    athlete_id: Mapped[int] = mapped_column(ForeignKey("athlete.id"), index=True)
    ladder: Mapped[str]
    rung: Mapped[int]
    since: Mapped[date]
    act: Mapped[str]
    reason: Mapped[str] = mapped_column(default="")
    made_at: Mapped[datetime]


class GateNoteRow(Base):
    """Something seen toward a gate: a tick, a hold in s, weeks beside, a load in kg."""

    __tablename__ = "gate_note"
    id: Mapped[int] = mapped_column(primary_key=True)
    athlete_id: Mapped[int] = mapped_column(ForeignKey("athlete.id"), index=True)
    day: Mapped[date] = mapped_column(index=True)
    key: Mapped[str] = mapped_column(index=True)
    value: Mapped[float] = mapped_column(default=1.0)
