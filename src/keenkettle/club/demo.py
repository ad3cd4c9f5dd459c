"""The demo club: Tern Quay Barbell, a small club in a former ferry shed. All made up."""

from __future__ import annotations

import csv
import json
import shutil
from dataclasses import replace
from datetime import date, datetime, time, timedelta
from importlib.resources import as_file, files

from sqlalchemy import select
from sqlalchemy.orm import Session

from keenkettle.club.climbing import rung_text
from keenkettle.club.demo_people import CLUB, MEMBERS, DemoAthlete, DemoClip, DemoPast
from keenkettle.club.people import DAYS_IN_YEAR, Facts, read_facts, write_facts
from keenkettle.club.store import Store
from keenkettle.club.tables import (
    Athlete,
    ClipRow,
    ClubRow,
    GateNoteRow,
    MarkRow,
    PlacementRow,
    PrescriptionRow,
    SessionRow,
)  # fmt: skip
from keenkettle.coach.reviewed import Filmed
from keenkettle.files import hash_file


def fill_demo(store: Store, today: date) -> None:
    """Put the demo club into an empty store; a store with athletes is left alone.

    Raises:
        ClubError: the records cannot be written.
        OSError: the clips cannot be copied.
    """
    with store.session() as s:
        if s.scalar(select(ClubRow.id)) is None:
            s.add(ClubRow(name=CLUB))
        if s.scalar(select(Athlete.id).limit(1)) is not None:
            return
        store.clips_folder.mkdir(exist_ok=True)
        for member in MEMBERS:
            _add(s, store, member, today)


def _add(s: Session, store: Store, member: DemoAthlete, today: date) -> None:
    athlete = Athlete(
        name=member.name,
        sport=member.sport,
        rung=member.rung,
        caution=member.caution,
        stature_mm=member.stature_mm,
        touching_mm=None,
        facts=write_facts(_facts(member, today)),
    )
    s.add(athlete)
    s.flush()
    _add_steps(s, member, athlete, today)
    for offset, text in member.sessions.items():
        s.add(SessionRow(athlete_id=athlete.id, day=today + timedelta(days=offset), text=text))
    for clip in member.clips:
        _add_clip(s, store, athlete.id, clip, today)
    for past in member.past:
        _add_past(s, athlete.id, past, today)
    for drill, fault, worked_if, days_ago, outcome in member.tried:
        s.add(
            PrescriptionRow(
                athlete_id=athlete.id,
                drill=drill,
                faults=[fault],
                line=drill.replace("-", " "),
                worked_if=worked_if,
                outcome=outcome,
                made_at=datetime.combine(today - timedelta(days=days_ago), time(18, 0)),
            )
        )


def _add_past(s: Session, athlete_id: int, past: DemoPast, today: date) -> None:
    s.add(
        ClipRow(
            athlete_id=athlete_id,
            path="",
            sha256="",
            filmed_on=today - timedelta(days=past.days_ago),
            lift=past.lift,
            load_kg=past.load_kg,
            said=[{"measures": past.measures, "faults": {}}],
        )
    )


def _facts(member: DemoAthlete, today: date) -> Facts:
    """The member's facts with days: checks and bests are some weeks old."""
    bare = read_facts(member.facts)
    tested, made = today - timedelta(days=45), today - timedelta(days=30)
    return replace(
        bare,
        born=today - timedelta(days=round(member.age * DAYS_IN_YEAR)),
        started=today - timedelta(days=round(member.trained * DAYS_IN_YEAR)),
        days=member.days,
        checks={n: (replace(a[-1], day=tested),) for n, a in bare.checks.items()},
        bests=tuple((lift, replace(b, day=made, how="in training")) for lift, b in bare.bests),
    )


def _add_steps(s: Session, member: DemoAthlete, athlete: Athlete, today: date) -> None:
    for rung, ago, act, reason in member.steps:
        day = today - timedelta(days=ago)
        s.add(
            PlacementRow(
                athlete_id=athlete.id,
                ladder=member.ladder,
                rung=rung,
                since=day,
                act=act,
                reason=reason,
                made_at=datetime.combine(day, time(19, 0)),
            )
        )
        athlete.rung = rung_text(member.ladder, rung)
    for key, ago, value in member.seen:
        day = today - timedelta(days=ago)
        s.add(GateNoteRow(athlete_id=athlete.id, day=day, key=key, value=value))
    # The weeks behind: sessions on the days the member comes, with today's plan as text.
    listed = {today + timedelta(days=n) for n in member.sessions}
    text = next(iter(member.sessions.values()), "")
    first = max((ago for _, ago, _, _ in member.steps), default=0)
    for ago in range(first, 0, -1):
        day = today - timedelta(days=ago)
        if day.weekday() in member.days and day not in listed:
            s.add(SessionRow(athlete_id=athlete.id, day=day, text=text))


def _add_clip(s: Session, store: Store, athlete_id: int, clip: DemoClip, today: date) -> None:
    shelf = files("keenkettle.demo")
    target = store.clips_folder / f"{clip.key}.mp4"
    with as_file(shelf / f"{clip.key}.mp4") as source:
        shutil.copyfile(source, target)
    row = ClipRow(
        athlete_id=athlete_id,
        path=str(target),
        sha256=hash_file(target),
        filmed_on=today - timedelta(days=clip.days_ago),
        lift=clip.lift,
        load_kg=clip.load_kg,
        tracks=(shelf / f"{clip.key}.npz").read_bytes(),
        said=json.loads((shelf / f"{clip.key}.json").read_text(encoding="utf-8")),
        filmed=None if clip.front is None else vars(Filmed(view="front")),
    )
    s.add(row)
    s.flush()
    if clip.front is not None:
        return  # nobody marks joints from the front
    text = (shelf / f"{clip.key}.csv").read_text(encoding="utf-8")
    for m in csv.DictReader(text.splitlines()):
        s.add(
            MarkRow(
                clip_id=row.id,
                joint=m["joint"],
                frame=int(m["frame"]),
                x=float(m["x"]),
                y=float(m["y"]),
            )
        )
