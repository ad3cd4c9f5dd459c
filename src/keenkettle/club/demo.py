"""The demo club: Tern Quay Barbell, a small club in a former ferry shed. All made up."""

from __future__ import annotations

import csv
import shutil
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from importlib.resources import as_file, files
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from keenkettle.club.look_up import hash_file
from keenkettle.club.store import Store
from keenkettle.club.tables import Athlete, ClipRow, MarkRow, PrescriptionRow, SessionRow

CLUB = "Tern Quay Barbell"
_ALL_PASS = dict.fromkeys(
    ("rack", "front_squat", "overhead", "overhead_squat_quarter", "set_position", "hinge",
     "landing", "bail_out"), "pass",
)  # fmt: skip


@dataclass(frozen=True)
class DemoClip:
    """A simulated clip: file key, lift, faults, load, days ago, and how it is filmed."""

    key: str
    lift: str
    faults: dict[str, float]
    load_kg: float
    days_ago: int
    facing: str = "right"
    yaw_deg: float = 3.0
    look: int = 0


@dataclass(frozen=True)
class DemoAthlete:
    """One member of the demo club."""

    name: str
    sport: str
    rung: str
    caution: str
    stature_mm: float
    facts: dict[str, Any]
    clips: tuple[DemoClip, ...] = ()
    sessions: dict[int, str] = field(default_factory=dict)
    tried: tuple[tuple[str, str, str, int, str], ...] = ()


MEMBERS: tuple[DemoAthlete, ...] = (
    DemoAthlete(
        "Sunniva Dale",
        "bobsleigh push",
        "Floor first, rung 7 of 9, power clean",
        "",
        1720.0,
        {
            "clearances": {**_ALL_PASS, "overhead_squat": "partly"},
            "equipment": ["blocks", "band"],
            "bests_kg": {"power-clean": 70.0, "clean": 77.5, "front-squat": 95.0, "jerk": 65.0},
        },
        (
            DemoClip(
                "sunniva-3",
                "power-clean",
                {"unfinished-extension": 1.25, "bar-away-from-hip": 0.75},
                55.0,
                2,
            ),
            DemoClip("sunniva-2", "power-clean", {"hips-rise-first": 1.2}, 52.5, 20, yaw_deg=-4.0),
        ),
        {
            -16: "lift to the knee and hold 4x3 (3 s hold) @ 45kg\npower clean 5x2 @ 50kg\n"
            "front squat 4x4 @ 70kg\n",
            -2: "power clean 5x2 @ 55kg\nclean pull 3x3 @ 75kg\nfront squat 3x5 @ 72.5kg\n",
            3: "power clean 5x2 @ 55kg\nfront squat 4x4 @ 75kg\n",
        },
        (
            (
                "lift-to-knee-hold",
                "hips-rise-first",
                "Worked if: trunk tips forward by 8° or less on 3 clips running.",
                18,
                "yes",
            ),
            (
                "held-finish-pull",
                "unfinished-extension",
                "Worked if: hip angle at its straightest 170° or more on 3 clips running.",
                40,
                "no",
            ),
        ),
    ),
    DemoAthlete(
        "Anselm Brook",
        "goalkeeper, handball",
        "Hinge to hang, rung 3 of 4, high pull",
        "Floor start out of reach: raised discs 10 cm or hang.",
        1940.0,
        {
            "clearances": {**_ALL_PASS, "set_position": "not_yet", "front_squat": "partly"},
            "equipment": ["blocks"],
            "bests_kg": {"clean": 95.0, "power-clean": 85.0},
        },
        (
            DemoClip(
                "anselm-1", "clean-pull", {"early-arm-bend": 1.3}, 80.0, 5, facing="left", look=1
            ),
        ),
        {2: "romanian deadlift 4x5 @ 65kg\nclean pull from blocks 4x3 @ 85kg\n"},
    ),
    DemoAthlete(
        "Maren Holt",
        "masters weightlifting, 57",
        "Full clean and jerk, rung 9",
        "Long warm-up; smaller steps in load.",
        1630.0,
        {
            "clearances": {**_ALL_PASS, "overhead_squat": "pass"},
            "equipment": ["blocks", "rack"],
            "bests_kg": {
                "power-snatch": 42.5,
                "snatch": 47.5,
                "clean": 60.0,
                "jerk": 57.5,
                "power-clean": 55.0,
                "push-press": 47.5,
            },
        },
        (DemoClip("maren-1", "power-snatch", {"forward-loop": 1.3}, 35.0, 3, look=2),),
        {1: "power snatch 5x2 @ 35kg\nsnatch balance 3x2 @ 27.5kg\n"},
    ),
    DemoAthlete(
        "Bram Oakhurst",
        "hammer throw",
        "Floor first, rung 9 of 9, clean",
        "",
        1860.0,
        {
            "clearances": _ALL_PASS,
            "equipment": ["blocks", "rack", "band"],
            "bests_kg": {"clean": 135.0, "power-clean": 122.5, "front-squat": 160.0},
        },
        (DemoClip("bram-1", "power-clean", {"low-contact": 1.0}, 105.0, 6, look=1),),
        {2: "power clean 4x2 @ 105kg\nclean pull 4x3 @ 130kg\n"},
    ),
    DemoAthlete(
        "Liv Sandvik",
        "novice, 15",
        "Floor first, rung 4 of 9, clean pull",
        "Minor: guardian's consent to film noted. Light bars, no maximum attempts.",
        1610.0,
        {
            "clearances": {**_ALL_PASS, "bail_out": "not_yet", "overhead": "not_tested"},
            "equipment": [],
            "bests_kg": {"clean": 35.0, "power-clean": 30.0},
        },
        (DemoClip("liv-1", "clean-pull", {"hips-rise-first": 1.35}, 25.0, 1, yaw_deg=5.0),),
        {2: "clean pull 4x3 @ 25kg\ngoblet squat 3x8 @ 12kg\n"},
    ),
    DemoAthlete(
        "Corin Hale",
        "dinghy sailing",
        "Overhead first, rung 3 of 13",
        "Shoulder injury two years ago, no pain now: overhead work with care.",
        1780.0,
        {
            "clearances": {**_ALL_PASS, "overhead": "partly"},
            "equipment": ["band"],
            "bests_kg": {"power-clean": 65.0, "clean": 70.0},
        },
    ),
    DemoAthlete(
        "Tova Reiss",
        "fencing",
        "Kettlebell, rung 3 of 5, higher swing",
        "Left side weaker: it sets the number.",
        1690.0,
        {
            "clearances": {**_ALL_PASS, "set_position": "partly"},
            "equipment": ["kettlebell"],
            "bests_kg": {"kettlebell-swing": 24.0},
        },
    ),
    DemoAthlete(
        "Jory Penhale",
        "pole vault",
        "Floor first, rung 9 of 9; meet in two weeks",
        "Event in 14 days: no new lifts.",
        1830.0,
        {
            "clearances": _ALL_PASS,
            "equipment": ["blocks", "rack"],
            "bests_kg": {"clean": 105.0, "power-clean": 97.5},
        },
        (DemoClip("jory-1", "power-clean", {}, 70.0, 4, facing="left", yaw_deg=-2.0),),
        {1: "power clean 4x1 @ 75kg + box jump 4x3\n"},
    ),
)


def demo_clips() -> list[tuple[DemoAthlete, DemoClip]]:
    """Every clip of the demo club with its athlete."""
    return [(member, clip) for member in MEMBERS for clip in member.clips]


def fill_demo(store: Store, today: date) -> None:
    """Put the demo club into an empty store; a store with athletes is left alone.

    Raises:
        ClubError: the records cannot be written.
        OSError: the clips cannot be copied.
    """
    with store.session() as s:
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
        facts=member.facts,
    )
    s.add(athlete)
    s.flush()
    for offset, text in member.sessions.items():
        s.add(SessionRow(athlete_id=athlete.id, day=today + timedelta(days=offset), text=text))
    for clip in member.clips:
        _add_clip(s, store, athlete.id, clip, today)
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
    )
    s.add(row)
    s.flush()
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
