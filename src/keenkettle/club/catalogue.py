"""The club's films as a list: whose, of which day, what each shows and what it waits for."""

from __future__ import annotations

import json
from collections import Counter
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

from sqlalchemy import ColumnElement, literal_column, or_, select

from keenkettle.club.store import Store
from keenkettle.club.tables import Athlete, ClipRow, FindingRow

WEIGHT = {"stop": 100, "fix": 10, "note": 1}
MOST = 200  # films that are shown at once; words narrow them
#: Faults with their severity, rep by rep, without the measures beside them.
FAULTS: ColumnElement[str] = literal_column(
    "(SELECT json_group_array(json_extract(r.value, '$.faults')) FROM json_each(clip.said) AS r)"
)


@dataclass(frozen=True)
class FilmLine:
    """One film of the club.

    Attributes:
        load_kg: None where nobody said.
        reps: None where the film is not analysed yet.
        left: findings that nobody has answered, counted by severity.
        faults: which those are, the gravest first.
        found: all its findings.
    """

    clip_id: int
    athlete_id: int
    athlete: str
    path: Path
    sha256: str
    filmed_on: date
    lift: str
    load_kg: float | None
    reps: int | None
    left: tuple[tuple[str, int], ...]
    faults: tuple[str, ...]
    found: int

    @property
    def weight(self) -> int:
        """How much it wants a coach's eyes: stops before fixes before notes."""
        return sum(WEIGHT.get(severity, 1) * n for severity, n in self.left)

    @property
    def words(self) -> str:
        """What it shows, in a few words."""
        if self.reps is None:
            return "not analysed yet"
        if self.left:
            return ", ".join(f"{n} to {severity}" for severity, n in self.left)
        if not self.reps:
            return "nothing is lifted"
        return "answered" if self.found else "nothing stands out"


def film_lines(store: Store, typed: str = "", since: date | None = None) -> list[FilmLine]:
    """Films by how much they want eyes, then the newest; at most ``MOST`` of the newest.

    Args:
        store: the club.
        typed: words that must each be part of the athlete's name, the lift or the file's name.
        since: the first day that counts.
    """
    asked = select(
        ClipRow.id, ClipRow.athlete_id, Athlete.name, ClipRow.path, ClipRow.sha256,
        ClipRow.filmed_on, ClipRow.lift, ClipRow.load_kg, ClipRow.said.is_not(None), FAULTS,
    ).join(Athlete, Athlete.id == ClipRow.athlete_id)  # fmt: skip
    asked = asked.where(ClipRow.path != "")
    for word in typed.split():
        part = f"%{word}%"
        among = (Athlete.name, ClipRow.lift, ClipRow.path)
        asked = asked.where(or_(*(column.ilike(part) for column in among)))
    if since is not None:
        asked = asked.where(ClipRow.filmed_on >= since)
    asked = asked.order_by(ClipRow.filmed_on.desc(), ClipRow.id.desc()).limit(MOST)
    with store.session() as s:
        rows = [tuple(r) for r in s.execute(asked)]
    answered = _answered(store, [r[0] for r in rows])
    lines = [_line(r, answered.get(r[0], set())) for r in rows]
    return sorted(lines, key=lambda x: (-x.weight, -x.filmed_on.toordinal(), -x.clip_id))


def _answered(store: Store, clip_ids: list[int]) -> dict[int, set[tuple[int, str]]]:
    """Rep and fault of what was confirmed or dismissed, by clip."""
    out: dict[int, set[tuple[int, str]]] = {}
    with store.session() as s:
        for clip_id, rep, fault in s.execute(
            select(FindingRow.clip_id, FindingRow.rep, FindingRow.fault).where(
                FindingRow.clip_id.in_(clip_ids), FindingRow.answer.in_(("confirmed", "dismissed"))
            )
        ):
            out.setdefault(clip_id, set()).add((rep, fault))
    return out


def _line(row: Any, done: set[tuple[int, str]]) -> FilmLine:
    clip_id, athlete_id, name, path, sha, day, lift, load, analysed, faults = row
    reps = [json.loads(r) if isinstance(r, str) else r for r in json.loads(str(faults))]
    every = [(n, f, s) for n, rep in enumerate(reps, 1) for f, s in (rep or {}).items()]
    waiting = [(s, f) for n, f, s in every if (n, f) not in done]
    counts = Counter(s for s, _ in waiting)
    left = tuple((s, counts[s]) for s in WEIGHT if counts[s])
    faults = tuple(dict.fromkeys(f for grave in WEIGHT for s, f in waiting if s == grave))
    return FilmLine(
        clip_id=clip_id, athlete_id=athlete_id, athlete=name, path=Path(path), sha256=sha,
        filmed_on=day, lift=lift or "", load_kg=load, reps=len(reps) if analysed else None,
        left=left, faults=faults, found=len(every),
    )  # fmt: skip
