"""Reading the records: athletes, clips, sessions, prescriptions; and what findings need."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path

from sqlalchemy import desc, select

from keenkettle.club.people import person_of, set_hips_of
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import (
    Athlete,
    ClipRow,
    ClubRow,
    FindingRow,
    MarkRow,
    NoteRow,
    PrescriptionRow,
    SessionRow,
)
from keenkettle.coach.judge import Reference
from keenkettle.coach.remedies import AthleteState
from keenkettle.coach.review import Filmed, Request
from keenkettle.film.plausible import Marks

REST_DAYS = 2  # where no session stands ahead, the next one is this many days on


@dataclass(frozen=True)
class ClipCard:
    """One clip on the athlete's shelf."""

    id: int
    path: Path
    sha256: str
    filmed_on: date
    lift: str | None
    load_kg: float | None
    analysed: bool
    there: bool
    ends: Path | None  # where frames are kept that are costly to decode


def club_name(store: Store) -> str:
    """The club's name, empty where nobody gave one."""
    with store.session() as s:
        return s.scalar(select(ClubRow.name)) or ""


def athletes(store: Store) -> list[Athlete]:
    """All athletes by name."""
    with store.session() as s:
        return list(s.scalars(select(Athlete).order_by(Athlete.name)))


def athlete(store: Store, athlete_id: int) -> Athlete | None:
    """One athlete."""
    with store.session() as s:
        return s.get(Athlete, athlete_id)


def clips_of(store: Store, athlete_id: int) -> list[ClipCard]:
    """An athlete's clips, newest first; those whose film was not kept are left out."""
    with store.session() as s:
        rows = s.execute(
            select(
                ClipRow.id,
                ClipRow.path,
                ClipRow.filmed_on,
                ClipRow.lift,
                ClipRow.load_kg,
                ClipRow.tracks.is_not(None),
                ClipRow.sha256,
            )
            .where(ClipRow.athlete_id == athlete_id, ClipRow.path != "")
            .order_by(desc(ClipRow.filmed_on), desc(ClipRow.id))
        ).all()
    return [
        ClipCard(i, Path(p), sha, d, lift, kg, a, Path(p).exists(), store.ends_folder(sha))
        for i, p, d, lift, kg, a, sha in rows
    ]


def tracks_of(store: Store, clip_id: int) -> bytes | None:
    """A clip's stored tracks."""
    with store.session() as s:
        return s.scalar(select(ClipRow.tracks).where(ClipRow.id == clip_id))


def keep_tracks(
    store: Store, clip_id: int, data: bytes, lift: str | None, guessed: bool = False
) -> None:
    """Store a clip's tracks, and the lift with them where the coach named none."""
    with store.session() as s:
        row = s.get(ClipRow, clip_id)
        if row is not None:
            row.tracks = data
            if lift is not None and (row.lift is None or row.lift_guessed):
                row.lift, row.lift_guessed = lift, guessed


def set_clip(store: Store, clip_id: int, **fields: object) -> None:
    """Change fields of a clip: path, lift, bar."""
    with store.session() as s:
        row = s.get(ClipRow, clip_id)
        if row is not None:
            for name, value in fields.items():
                setattr(row, name, value)


def marks_of(store: Store, clip_id: int) -> Marks:
    """The coach's joint marks on a clip."""
    marks: Marks = {}
    with store.session() as s:
        for m in s.scalars(select(MarkRow).where(MarkRow.clip_id == clip_id)):
            marks.setdefault(m.joint, {})[m.frame] = (m.x, m.y)
    return marks


def answers_of(store: Store, clip_id: int) -> dict[tuple[int, str], str]:
    """Answers by rep and fault."""
    with store.session() as s:
        rows = s.scalars(select(FindingRow).where(FindingRow.clip_id == clip_id))
        return {(r.rep, r.fault): r.answer for r in rows}


def seen_of(store: Store, clip_id: int) -> dict[tuple[int, str], int]:
    """Frames of what the coach saw, by rep and fault; what was taken off again is left out."""
    with store.session() as s:
        rows = s.scalars(
            select(FindingRow)
            .where(FindingRow.clip_id == clip_id, FindingRow.answer != "dismissed")
            .order_by(FindingRow.id)
        )
        return {(r.rep, r.fault): r.seen_at for r in rows if r.seen_at is not None}


@dataclass(frozen=True)
class Note:
    """A line or words on frames ``first`` to ``last``; as in the table."""

    id: int
    kind: str
    first: int
    last: int
    points: tuple[tuple[float, float], ...]
    text: str


#: The kind of a note that puts its frame on the shelf; its words are shown with it.
SHELF = "shelf"
DRAWN = "drawn"  # of a line drawn by hand, through its points


@dataclass(frozen=True)
class OnShelf:
    """A frame chosen to be shown to a group."""

    note_id: int
    clip_id: int
    path: Path
    lift: str
    frame: int
    words: str


def shelf(store: Store) -> list[OnShelf]:
    """What is on the shelf, in the order in which it was put there."""
    with store.session() as s:
        rows = s.execute(
            select(NoteRow, ClipRow)
            .join(ClipRow, ClipRow.id == NoteRow.clip_id)
            .where(NoteRow.kind == SHELF)
            .order_by(NoteRow.id)
        )
        return [OnShelf(n.id, c.id, Path(c.path), c.lift or "", n.first, n.text) for n, c in rows]


def notes_of(store: Store, clip_id: int) -> list[Note]:
    """What the coach wrote and drew on a clip, in order of frames."""
    with store.session() as s:
        rows = s.scalars(
            select(NoteRow)
            .where(NoteRow.clip_id == clip_id, NoteRow.kind != SHELF)
            .order_by(NoteRow.first, NoteRow.id)
        )
        return [
            Note(r.id, r.kind, r.first, r.last, tuple((p[0], p[1]) for p in r.points), r.text)
            for r in rows
        ]


def written_of(store: Store, clip_id: int) -> str:
    """The review written for the athlete, empty where there is none yet."""
    with store.session() as s:
        return s.scalar(select(ClipRow.written).where(ClipRow.id == clip_id)) or ""


def waiting_clips(store: Store) -> list[tuple[int, Path]]:
    """Clips that were taken in but not analysed yet, oldest first; files that are there."""
    with store.session() as s:
        rows = s.execute(
            select(ClipRow.id, ClipRow.path)
            .where(ClipRow.tracks.is_(None), ClipRow.said.is_(None))
            .order_by(ClipRow.id)
        ).all()
    return [(i, Path(p)) for i, p in rows if p and Path(p).exists()]


def filmed_of(store: Store, clip_id: int) -> Filmed:
    """How a clip was filmed, as far as the coach said so."""
    with store.session() as s:
        said = s.scalar(select(ClipRow.filmed).where(ClipRow.id == clip_id)) or {}
    lines = {n: tuple(said[n]) for n in ("known", "upright") if said.get(n)}
    return Filmed(**{**said, **lines})


def request_for(store: Store, clip_id: int) -> Request:
    """What the review of a clip is asked with.

    Raises:
        ClubError: there is no such clip any more.
    """
    with store.session() as s:
        row = s.get(ClipRow, clip_id)
        if row is None:
            raise ClubError("that clip is not in the records any more; choose another")
        athlete = s.get(Athlete, row.athlete_id)
        bar = tuple(row.bar) if row.bar else None
        path, sha = Path(row.path), row.sha256
        lift = None if row.lift_guessed else row.lift
        events = {int(rep): dict(at) for rep, at in (row.events or {}).items()}
    marks = marks_of(store, clip_id)
    return Request(
        **vars(filmed_of(store, clip_id)),
        clip=path,
        ends=store.ends_folder(sha),
        lift=lift,
        bar=bar,
        bar_marks=marks.pop("bar", {}),
        marks=marks,
        reference=reference_of(athlete) if athlete else Reference(),
        auto=True,
        events=events,
    )


def reference_of(athlete: Athlete) -> Reference:
    """The athlete's own lengths."""
    return Reference(
        stature_mm=athlete.stature_mm,
        touching_mm=athlete.touching_mm,
        set_hip_mm=set_hips_of(athlete),
    )


def state_of(store: Store, athlete: Athlete) -> AthleteState:
    """What decides which drills fit, with what was tried without effect."""
    tried = []
    with store.session() as s:
        rows = s.scalars(
            select(PrescriptionRow).where(
                PrescriptionRow.athlete_id == athlete.id, PrescriptionRow.outcome == "no"
            )
        )
        tried = [(fault, r.drill) for r in rows for fault in r.faults]
    person = person_of(athlete, date.today())
    return AthleteState(
        clearances={name: result.state for name, result in person.checks.items()},
        pain=person.pain,
        equipment=person.equipment,
        bests_kg=person.bests_kg,
        no_effect=tuple(tried),
    )


def prescriptions_of(store: Store, athlete_id: int) -> list[PrescriptionRow]:
    """An athlete's prescriptions, newest first."""
    with store.session() as s:
        return list(
            s.scalars(
                select(PrescriptionRow)
                .where(PrescriptionRow.athlete_id == athlete_id)
                .order_by(desc(PrescriptionRow.made_at), desc(PrescriptionRow.id))
            )
        )


def next_session_day(store: Store, athlete_id: int, today: date) -> date:
    """The day of the athlete's next session; two days on where none is planned."""
    with store.session() as s:
        day = s.scalar(
            select(SessionRow.day)
            .where(SessionRow.athlete_id == athlete_id, SessionRow.day >= today)
            .order_by(SessionRow.day)
        )
    return day or today + timedelta(days=REST_DAYS)


def session_days(store: Store, athlete_id: int) -> list[date]:
    """All days that have a session, in order."""
    with store.session() as s:
        return list(
            s.scalars(
                select(SessionRow.day)
                .where(SessionRow.athlete_id == athlete_id)
                .order_by(SessionRow.day)
            )
        )


def session_text(store: Store, athlete_id: int, day: date) -> str:
    """A session's text, empty where there is none."""
    with store.session() as s:
        text = s.scalar(
            select(SessionRow.text).where(
                SessionRow.athlete_id == athlete_id, SessionRow.day == day
            )
        )
    return text or ""
