"""Measures of an athlete's clips over time, and whether prescriptions moved theirs."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from sqlalchemy import select

from keenkettle.club.store import Store
from keenkettle.club.tables import ClipRow, PrescriptionRow, SessionRow
from keenkettle.coach.cautions import lifts_in
from keenkettle.coach.faults import Fault, all_faults
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.person import OnFilm
from keenkettle.coach.progress import Moved, Point, has_moved
from keenkettle.coach.remedies import all_drills
from keenkettle.measure.sheet import UNITS

MONTH, MONTHS = timedelta(days=28), 3


@dataclass(frozen=True)
class Effect:
    """A prescription, the measure it was to move, and whether that moved."""

    drill: str
    fault: str
    metric: str
    made: date
    moved: Moved


def filmed(store: Store, athlete_id: int, since: date = date.min) -> list[OnFilm]:
    """An athlete's reviewed clips since a day, oldest first."""
    with store.session() as s:
        rows = s.execute(
            select(ClipRow.id, ClipRow.filmed_on, ClipRow.lift, ClipRow.load_kg, ClipRow.said)
            .where(
                ClipRow.athlete_id == athlete_id,
                ClipRow.said.is_not(None),
                ClipRow.filmed_on >= since,
            )
            .order_by(ClipRow.filmed_on, ClipRow.id)
        ).all()
    return [
        OnFilm(
            clip_id=clip_id,
            lift=lift or "",
            day=day,
            load_kg=kg,
            reps=len(said or []),
            faults=sum(x != "note" for rep in said or [] for x in rep["faults"].values()),
            measures=_medians(said),
        )
        for clip_id, day, lift, kg, said in rows
    ]


def _medians(said: list[dict[str, dict[str, float]]] | None) -> dict[str, float]:
    names = {name for rep in said or [] for name in rep["measures"]}
    return {
        name: float(np.median([r["measures"][name] for r in said or [] if name in r["measures"]]))
        for name in names
    }


def lifts_for_months(store: Store, athlete_id: int, today: date) -> tuple[str, ...]:
    """Lifts that stand in the sessions of every one of the last three times four weeks."""
    with store.session() as s:
        rows = s.execute(
            select(SessionRow.day, SessionRow.text).where(
                SessionRow.athlete_id == athlete_id,
                SessionRow.day > today - MONTHS * MONTH,
                SessionRow.day <= today,
            )
        ).all()
    texts: list[list[str]] = [[] for _ in range(MONTHS)]
    for day, text in rows:
        texts[(today - day) // MONTH].append(text)
    each = [{x.id for x in lifts_in("\n".join(t))} for t in texts]
    return tuple(sorted(set.intersection(*each)))


def series(clips: list[OnFilm], lift: str, metric: str) -> list[Point]:
    """A measure of one lift, one point a clip."""
    return [
        Point(c.day, c.measures[metric]) for c in clips if c.lift == lift and metric in c.measures
    ]


def _most_filmed(clips: list[OnFilm], fault: Fault) -> str:
    """The lift that shows the fault and is on film most often; empty where there is none."""
    lifts = [c.lift for c in clips if c.lift in all_lifts()]
    fitting = [name for name in lifts if fault.belongs_to(all_lifts()[name])]
    return Counter(fitting).most_common(1)[0][0] if fitting else ""


def effects(store: Store, athlete_id: int) -> list[Effect]:
    """For each prescription and fault: has the measure it was meant to move moved?

    Only clips of the lift that it was prescribed for count; where no clip is kept with it, those
    of the most filmed lift that can show the fault.
    """
    clips = filmed(store, athlete_id)
    lift_of = {c.clip_id: c.lift for c in clips}
    with store.session() as s:
        rows = s.execute(
            select(
                PrescriptionRow.drill, PrescriptionRow.faults, PrescriptionRow.made_at,
                PrescriptionRow.clip_id,
            )
            .where(PrescriptionRow.athlete_id == athlete_id)
            .order_by(PrescriptionRow.made_at.desc())
        ).all()  # fmt: skip
    out = []
    for drill, faults, made_at, clip_id in rows:
        for fault_id in faults:
            fault = all_faults().get(fault_id)
            if fault is None or not fault.tests or drill not in all_drills():
                continue
            test = fault.tests[0]
            if test.relation == "outside":
                continue  # better is neither more nor less
            lift = lift_of.get(clip_id) or _most_filmed(clips, fault)
            better = "less" if test.relation == "above" else "more"
            points = series(clips, lift, test.metric)
            moved = has_moved(points, made_at.date(), better, UNITS[test.metric])
            out.append(Effect(drill, fault_id, test.metric, made_at.date(), moved))
    return out
