"""Erase an athlete whole: rows, films in the club's folder, kept frames, and the daily copies."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import func, select

from keenkettle.club.filmed import aside_of, cut_off
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import Athlete, ClipRow
from keenkettle.club.whose import drop_rows, of_athlete, tables
from keenkettle.film.ends import forget

Tell = Callable[[str, float], None]
#: What is counted before erasing, in words.
COUNTED = {"session": "session", "clip": "film", "prescription": "drill", "placement": "rung"}


@dataclass(frozen=True)
class Belongings:
    """What the records hold of an athlete.

    Attributes:
        counts: rows by what they are.
        own: films in the club's folder, which go too.
        elsewhere: films elsewhere on this computer, which stay.
        copies: daily copies of the records.
        damaged: damaged files put aside, which nothing can be taken out of.
    """

    athlete_id: int
    name: str
    counts: dict[str, int]
    own: tuple[Path, ...]
    elsewhere: tuple[Path, ...]
    hashes: tuple[str, ...]
    copies: tuple[Path, ...]
    damaged: tuple[Path, ...]


def belongings(store: Store, athlete_id: int) -> Belongings:
    """What would go with an athlete.

    Raises:
        ClubError: the records cannot be read, or there is no such athlete.
    """
    with store.session() as s:
        name = s.scalar(select(Athlete.name).where(Athlete.id == athlete_id))
        if name is None:
            raise ClubError("that athlete is not in the records any more")
        counts = {
            t.name: s.scalar(select(func.count()).where(of_athlete(t, athlete_id))) or 0
            for t in tables()
        }
        films = s.execute(
            select(ClipRow.path, ClipRow.sha256).where(ClipRow.athlete_id == athlete_id)
        ).all()
        others = set(s.scalars(select(ClipRow.path).where(ClipRow.athlete_id != athlete_id)))
    paths = {Path(p) for p, _ in films if p and p not in others}
    inside = {p for p in paths if p.is_relative_to(store.clips_folder)}
    inside |= {p.resolve() for p in (*cut_off(store, athlete_id), *aside_of(store, athlete_id))}
    return Belongings(
        athlete_id=athlete_id,
        name=name,
        counts={word: counts[table] for table, word in COUNTED.items()},
        own=tuple(sorted(p for p in inside if p.exists())),
        elsewhere=tuple(sorted(p for p in paths - inside if p.exists())),
        hashes=tuple(sorted({sha for _, sha in films if sha})),
        copies=tuple(sorted((store.folder / "backups").glob("club-*.sqlite3"))),
        damaged=tuple(sorted(store.folder.glob("club-damaged-*.sqlite3"))),
    )


def erase(store: Store, athlete_id: int, tell: Tell) -> Belongings:
    """Erase an athlete; it cannot be taken back.

    The rows are overwritten, not only marked as free, in the records and in every copy.

    Args:
        store: the club.
        athlete_id: whom.
        tell: called with what is being done and the share done, 0 to 1.

    Returns:
        What went, and what is left elsewhere.

    Raises:
        ClubError: the records cannot be written; then nothing has gone, or the message says
            what is left.
    """
    gone = belongings(store, athlete_id)
    with store.session() as s:
        names = {i: n for i, n in s.execute(select(Athlete.id, Athlete.name))}  # noqa: C416
        drop_rows(s, athlete_id)
    spoilt = []  # copies that cannot be read go whole
    for n, copy in enumerate(gone.copies):
        tell("erasing from the daily copies", n / (len(gone.copies) + 1))
        if not _cleaned(copy, gone, names):
            spoilt.append(copy)
    left = [p.name for p in (*gone.own, *spoilt) if not _removed(p)]
    store.compact()
    for sha in gone.hashes:  # last: whoever had the film open has let go of it by now
        folder = store.ends_folder(sha)
        if folder is not None:
            forget(folder)
    if left:
        raise ClubError(
            f"{gone.name} is erased, but these files could not be deleted: "
            f"{', '.join(left)}; delete them by hand"
        )
    return gone


def _removed(path: Path) -> bool:
    try:
        path.unlink(missing_ok=True)
    except OSError:
        return False
    return True


def _cleaned(copy: Path, gone: Belongings, names: dict[int, str]) -> bool:
    """Take the athlete out of a daily copy; False where it cannot be read."""
    try:
        with closing(sqlite3.connect(copy)) as box:
            box.execute("PRAGMA secure_delete=ON")
            for athlete_id, name in box.execute("SELECT id, name FROM athlete").fetchall():
                # A number may have been somebody else's; a name may have been changed since.
                renamed = athlete_id == gone.athlete_id and name not in names.values()
                if name == gone.name or renamed:
                    _drop(box, athlete_id)
            box.commit()
            box.execute("VACUUM")
    except sqlite3.Error:
        return False
    return True


def _drop(box: sqlite3.Connection, athlete_id: int) -> None:
    """As ``drop_rows``, for a copy that an older version may have made."""
    there = {str(n) for (n,) in box.execute("SELECT name FROM sqlite_master WHERE type='table'")}
    for table in reversed(tables()):
        if table.name not in there:
            continue
        which = "athlete_id = ?"
        if "athlete_id" not in table.c:
            which = "clip_id IN (SELECT id FROM clip WHERE athlete_id = ?)"
        box.execute(f"DELETE FROM {table.name} WHERE {which}", (athlete_id,))
    box.execute("DELETE FROM athlete WHERE id = ?", (athlete_id,))
