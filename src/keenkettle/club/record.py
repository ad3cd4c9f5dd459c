"""One athlete's whole record as a ZIP that another machine takes in: JSON, CSV and films.

Rows go in and out by the tables' own columns, so a table that is added later goes along.
"""

from __future__ import annotations

import base64
import binascii
import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import date, datetime
from pathlib import Path, PurePosixPath
from typing import Any

from sqlalchemy import Column, ColumnElement, LargeBinary, Table, insert, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from keenkettle.club.people import read_facts
from keenkettle.club.store import Store
from keenkettle.club.tables import Athlete, Base
from keenkettle.club.whose import drop_rows, of_athlete, tables
from keenkettle.files import whole

KIND, VERSION = "keen kettle athlete record", 1
RECORD = "record.json"
SHEETS = {"session": "sessions.csv", "clip": "films.csv", "prescription": "drills.csv"}
BLOCK = 1 << 20
ABOUT = """{name}: the whole record, written on {day} by Keen Kettle.

record.json holds everything that is kept, and another copy of Keen Kettle takes it in.
sessions.csv, films.csv and drills.csv say the same for a spreadsheet.
films/ holds the films that were there.
Nothing here is encrypted: whoever has this file can read and watch all of it.
"""
Row = dict[str, Any]
Tell = Callable[[str, float], None]


class RecordError(ValueError):
    """A record cannot be taken in; the message names the file, the row and the field."""


# --- out -----------------------------------------------------------------------------


def write_record(store: Store, athlete_id: int, out: Path, tell: Tell) -> list[str]:
    """Write an athlete's whole record, or nothing.

    Args:
        store: the club.
        athlete_id: whose; must be there.
        out: the ZIP.
        tell: called with what is being done and the share done, 0 to 1.

    Returns:
        Names of films that are not where they were, which the record therefore lacks.

    Raises:
        ClubError: the records cannot be read.
        CannotWriteError: the file cannot be written.
    """
    with store.session() as s:
        athlete = _rows(s, Athlete.metadata.tables["athlete"], Athlete.id == athlete_id)[0]
        rows = {t.name: _rows(s, t, of_athlete(t, athlete_id)) for t in tables()}
    films = {str(c["id"]): Path(c["path"]) for c in rows["clip"] if c["path"]}
    there = {i: p for i, p in films.items() if p.is_file()}
    names = {i: f"films/{i}-{p.name}" for i, p in there.items()}
    data = {
        "kind": KIND, "version": VERSION, "athlete": athlete, "rows": rows, "films": names,
    }  # fmt: skip
    about = ABOUT.format(name=athlete["name"], day=date.today().isoformat())
    with whole(out, 0o600) as part, zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as box:
        box.writestr("read me.txt", about)
        box.writestr(RECORD, json.dumps(data, ensure_ascii=False, indent=1))
        for name, sheet in SHEETS.items():
            box.writestr(sheet, _sheet(rows[name], next(t for t in tables() if t.name == name)))
        for n, (i, path) in enumerate(there.items()):
            tell("films into the record", n / len(there))
            box.write(path, names[i], zipfile.ZIP_STORED)
    return [films[i].name for i in films if i not in there]


def _rows(s: Session, table: Table, which: ColumnElement[bool]) -> list[Row]:
    found = s.execute(select(*table.c).where(which).order_by(table.c.id)).mappings()
    return [{k: _plain(v) for k, v in row.items()} for row in found]


def _plain(value: Any) -> Any:
    if isinstance(value, date | datetime):
        return value.isoformat()
    return base64.b64encode(value).decode() if isinstance(value, bytes) else value


def _sheet(rows: list[Row], table: Table) -> str:
    columns = [c.name for c in table.c if not isinstance(c.type, LargeBinary)]
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow(columns)
    for row in rows:
        cells = [row[c] for c in columns]
        sheet.writerow([json.dumps(x) if isinstance(x, dict | list) else x for x in cells])
    return out.getvalue()


# --- in ------------------------------------------------------------------------------


@dataclass(frozen=True)
class Record:
    """A record that was read and checked: an athlete's row, rows by table, films by clip id."""

    file: Path
    athlete: Row
    rows: dict[str, list[Row]]
    films: dict[int, str]


def read_record(path: Path, names: set[str]) -> Record:
    """Read and check a record; nothing is changed.

    Args:
        path: the ZIP.
        names: names of everybody in the club.

    Raises:
        RecordError: it is not a record, is damaged, or somebody has that name.
    """
    try:
        with zipfile.ZipFile(path) as box:
            data = json.loads(box.read(RECORD))
            inside = set(box.namelist())
    except (OSError, KeyError, zipfile.BadZipFile, ValueError, RuntimeError) as err:
        raise RecordError(
            f"{path.name} is no record of an athlete, or is damaged; "
            "choose a ZIP that was handed out here"
        ) from err
    if not isinstance(data, dict) or data.get("kind") != KIND:
        raise RecordError(f"{path.name} holds no record of an athlete; choose another file")
    if data.get("version") != VERSION:
        raise RecordError(f"{path.name} is of a newer Keen Kettle; update this one first")
    try:
        athlete = _typed(Base.metadata.tables["athlete"], data["athlete"], "the athlete")
        rows = {
            t.name: [
                _typed(t, row, f"{t.name.replace('_', ' ')} {n}")
                for n, row in enumerate(data["rows"].get(t.name, []), 1)
            ]
            for t in tables()
        }
        films = {int(i): str(name) for i, name in data["films"].items()}
        read_facts(athlete["facts"])
        _whole_in_itself(athlete, rows, films)
    except RecordError as err:
        raise RecordError(f"{path.name}, {err}") from err
    except (KeyError, TypeError, ValueError, AttributeError) as err:
        raise RecordError(f"{path.name} is damaged; have it handed out again") from err
    if athlete["name"] in names:
        raise RecordError(
            f"somebody called {athlete['name']} is in the club already; "
            "give one of them a second name, then take the record in"
        )
    missing = sorted(set(films.values()) - inside)
    if missing:
        raise RecordError(f"{path.name} lacks {missing[0]}; have it handed out again")
    return Record(path, athlete, rows, films)


def _whole_in_itself(athlete: Row, rows: dict[str, list[Row]], films: dict[int, str]) -> None:
    """Whether all that rows point to is in the record, too.

    Raises:
        RecordError: something is not.
    """
    known = {"athlete": {athlete["id"]}} | {name: {r["id"] for r in rows[name]} for name in rows}
    for table in tables():
        for column in table.c:
            for key in column.foreign_keys:
                for n, row in enumerate(rows[table.name], 1):
                    points_to = row[column.name]
                    if points_to is not None and points_to not in known[key.column.table.name]:
                        raise RecordError(
                            f"{table.name} {n}, field {column.name}: there is no {points_to}"
                        )
    if set(films) - known["clip"]:
        raise RecordError("it holds films of no clip")


def _typed(table: Table, row: Any, where: str) -> Row:
    """A row with its values as the table keeps them.

    Raises:
        RecordError: a field is missing or cannot be read.
    """
    if not isinstance(row, dict):
        raise RecordError(f"{where}: this is no row")
    made = {}
    for column in table.c:
        try:
            made[column.name] = _value(column, row[column.name])
        except KeyError:
            raise RecordError(f"{where} has no field {column.name}") from None
        except (TypeError, ValueError, binascii.Error):
            raise RecordError(
                f"{where}, field {column.name}: {str(row[column.name])[:40]!r} cannot be read"
            ) from None
    return made


def _value(column: Column[Any], value: Any) -> Any:
    if value is None:
        if not column.nullable:
            raise TypeError
        return None
    if isinstance(column.type, LargeBinary):
        return base64.b64decode(value, validate=True)
    kind = column.type.python_type
    if kind is datetime:
        return datetime.fromisoformat(value)
    if kind is date:
        return date.fromisoformat(value)
    if kind is float and isinstance(value, int) and not isinstance(value, bool):
        return float(value)
    if kind in (int, float, str) and (not isinstance(value, kind) or isinstance(value, bool)):
        raise TypeError
    if kind is dict and not isinstance(value, dict | list):  # every JSON column says dict
        raise TypeError
    return value


@dataclass
class TakeRecord:
    """An athlete's whole record is taken in, all or nothing; films go to the club's folder."""

    record: Record
    folder: Path
    name: str = "a record taken in"
    athlete_id: int | None = None
    _put: list[Path] = field(default_factory=list)

    def fetch_films(self, tell: Tell) -> None:
        """Get the films out of the ZIP; long, so it may run before ``do``, elsewhere.

        Raises:
            RecordError: the ZIP is gone or damaged.
            CannotWriteError: there is no room for them.
        """
        try:
            for n, (inside, path) in enumerate(self._films()):
                tell("films from the record", n / max(len(self.record.films), 1))
                self._fetch(inside, path)
        except BaseException:
            self.remove_films()
            raise

    def _films(self) -> Iterator[tuple[str, Path]]:
        clips = {c["id"]: c for c in self.record.rows["clip"]}
        for clip_id, inside in self.record.films.items():
            sha = clips[clip_id]["sha256"]
            yield inside, self.folder / f"{sha[:12]}-{PurePosixPath(inside).name}"

    def _fetch(self, inside: str, path: Path) -> None:
        if path.exists():
            return
        digest = hashlib.sha256()
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            with (
                whole(path) as part,
                zipfile.ZipFile(self.record.file) as box,
                box.open(inside) as film,
                part.open("wb") as out,
            ):
                while block := film.read(BLOCK):
                    digest.update(block)
                    out.write(block)
                if not digest.hexdigest().startswith(path.name.partition("-")[0]):
                    raise RecordError(f"{self.record.file.name}: {inside} is damaged")
        except (zipfile.BadZipFile, FileNotFoundError, EOFError) as err:
            raise RecordError(
                f"{self.record.file.name} is gone or damaged; nothing was taken in"
            ) from err
        self._put.append(path)

    def remove_films(self) -> None:
        """Take away the films that were fetched, where the rows could not be kept."""
        for path in self._put:
            path.unlink(missing_ok=True)
        self._put = []

    def do(self, session: Session) -> None:
        """Take it in."""
        self.fetch_films(lambda _stage, _share: None)
        try:
            self.athlete_id = self._insert(session)
        except IntegrityError as err:
            self.remove_films()
            raise RecordError(f"{self.record.file.name} holds some rows twice") from err
        except BaseException:
            self.remove_films()
            raise

    def _insert(self, session: Session) -> int:
        made: dict[str, dict[Any, int]] = {"athlete": {}}
        films = dict(zip(self.record.films, (path for _, path in self._films()), strict=True))
        athlete = Base.metadata.tables["athlete"]
        for table, rows in [(athlete, [self.record.athlete])] + [
            (t, self.record.rows[t.name]) for t in tables()
        ]:
            new_ids = made.setdefault(table.name, {})
            for row in rows:
                new = {k: v for k, v in row.items() if k != "id"}
                for column in table.c:
                    for key in column.foreign_keys:
                        if new[column.name] is not None:
                            new[column.name] = made[key.column.table.name][new[column.name]]
                if table.name == "clip" and row["id"] in films:
                    new["path"] = str(films[row["id"]])
                again = insert(table).values(**new).returning(table.c.id)
                new_ids[row["id"]] = int(session.execute(again).scalar_one())
        return made["athlete"][self.record.athlete["id"]]

    def undo(self, session: Session) -> None:
        """Take it out again, films and all."""
        assert self.athlete_id is not None
        drop_rows(session, self.athlete_id)
        self.remove_films()
