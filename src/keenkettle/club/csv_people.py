"""Athletes from a CSV file: every row checked by itself, nothing half taken in.

Columns: name (needed), sport, goal, age, stature_cm, mass_kg, sessions_per_week, pain,
equipment, caution, and a column ``best:LIFT`` for each best in kg. Lists are parted by ";".
"""

from __future__ import annotations

import csv
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from keenkettle.club.people import DAYS_IN_YEAR, Facts, Pain, write_facts
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import Athlete
from keenkettle.coach.person import Best, PersonError, person_from

NUMBERS = ("age", "stature_cm", "mass_kg", "sessions_per_week")
TEXTS = ("name", "sport", "goal", "caution")
LISTS = ("pain", "equipment")
BEST = "best:"


class CsvError(ValueError):
    """The file as a whole cannot be read; the message names it."""


@dataclass(frozen=True)
class BadRow:
    """A row that was not taken, by its line in the file, and why."""

    line: int
    says: str


@dataclass(frozen=True)
class NewAthlete:
    """A good row, ready to be taken in."""

    line: int
    name: str
    sport: str
    caution: str
    stature_mm: float | None
    facts: Facts


@dataclass(frozen=True)
class Reading:
    """What a file offers: good rows, and bad ones with their reasons."""

    good: tuple[NewAthlete, ...]
    bad: tuple[BadRow, ...]


def read_people(path: Path, taken: set[str], today: date) -> Reading:
    """Read a file row by row; nothing is changed.

    Args:
        path: the CSV file, UTF-8.
        taken: names that are in the club already.
        today: ages are turned into days of birth from here.

    Raises:
        CsvError: the file cannot be read, or has no column ``name``.
    """
    try:
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as err:
        raise CsvError(f"{path.name} cannot be read; give a CSV file in UTF-8") from err
    rows = csv.DictReader(text.splitlines(), restkey="")
    if "name" not in (rows.fieldnames or []):
        raise CsvError(f"{path.name} has no column 'name'; the first line names the columns")
    unknown = [
        c
        for c in rows.fieldnames or []
        if c and c not in (*NUMBERS, *TEXTS, *LISTS) and not c.startswith(BEST)
    ]
    if unknown:
        raise CsvError(f"{path.name}: column '{unknown[0]}' is unknown; leave it out or rename it")
    good: list[NewAthlete] = []
    bad: list[BadRow] = []
    names = set(taken)
    try:
        for row in rows:
            line = rows.line_num
            try:
                made = _row(line, row, today)
                if made.name in names:
                    raise PersonError(f"name '{made.name}' is there already; add a second name")
            except PersonError as err:
                bad.append(BadRow(line, str(err)))
                continue
            names.add(made.name)
            good.append(made)
    except csv.Error as err:
        raise CsvError(f"{path.name} line {rows.line_num}: not CSV: {err}") from err
    return Reading(tuple(good), tuple(bad))


def _row(line: int, row: dict[str, Any], today: date) -> NewAthlete:
    if row.get("") or any(v is None for v in row.values()):
        raise PersonError("the number of fields differs from the first line's")
    name = row["name"].strip()
    if not name:
        raise PersonError("name is empty")
    data: dict[str, Any] = {t: row.get(t, "").strip() for t in ("sport", "goal")}
    for field in NUMBERS:
        value = (row.get(field) or "").strip().replace(",", ".")
        try:
            data[field] = float(value) if value else None
        except ValueError:
            raise PersonError(f"{field} is '{value}'; give a number") from None
    for field in LISTS:
        data[field] = [v.strip() for v in (row.get(field) or "").split(";") if v.strip()]
    data["bests"] = {}
    for field, value in row.items():
        if field.startswith(BEST) and value.strip():
            try:
                data["bests"][field.removeprefix(BEST)] = float(value.replace(",", "."))
            except ValueError:
                raise PersonError(f"{field} is '{value}'; give kilograms") from None
    person = person_from(data)
    born = None
    if person.age is not None:
        born = today - timedelta(days=round(person.age * DAYS_IN_YEAR))
    facts = Facts(
        born=born,
        goal=person.goal,
        sessions_per_week=person.sessions_per_week,
        mass_kg=person.mass_kg,
        pains=tuple(Pain(j, True, today) for j in person.pain),
        equipment=person.equipment,
        bests=tuple((lift, Best(b.kg, today, "from a file")) for lift, b in person.bests.items()),
    )
    return NewAthlete(
        line, name, person.sport, row.get("caution", "").strip(), person.stature_mm, facts
    )


@dataclass
class TakePeople:
    """Take athletes in, all or none."""

    people: tuple[NewAthlete, ...]
    name: str = "athletes from a file"
    _ids: tuple[int, ...] = ()

    def do(self, session: Session) -> None:
        """Add them."""
        rows = [
            Athlete(
                name=p.name, sport=p.sport, caution=p.caution, stature_mm=p.stature_mm,
                facts=write_facts(p.facts),
            )
            for p in self.people
        ]  # fmt: skip
        session.add_all(rows)
        session.flush()
        self._ids = tuple(r.id for r in rows)

    def undo(self, session: Session) -> None:
        """Take them out again."""
        for athlete_id in self._ids:
            row = session.get(Athlete, athlete_id)
            if row is not None:
                session.delete(row)


def names_in(store: Store) -> set[str]:
    """Names of everybody in the club.

    Raises:
        ClubError: the records cannot be read.
    """
    with store.session() as s:
        return set(s.scalars(select(Athlete.name)))


def says_of(reading: Reading, most: int = 12) -> str:
    """The reading in words, the first bad rows by line."""
    lines = [f"{len(reading.good)} rows are good, {len(reading.bad)} are not"]
    lines += [f"line {b.line}: {b.says}" for b in reading.bad[:most]]
    if len(reading.bad) > most:
        lines.append(f"and {len(reading.bad) - most} more")
    return "\n".join(lines)


__all__ = [
    "BadRow", "ClubError", "CsvError", "NewAthlete", "Reading", "TakePeople", "names_in",
    "read_people", "says_of",
]  # fmt: skip
