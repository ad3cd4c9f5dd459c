"""Films made here with a camera: where they go, and those that the plug was pulled on."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from sqlalchemy import select

from keenkettle.club.store import Store
from keenkettle.club.tables import ClipRow


def filmed_name(store: Store, athlete_id: int) -> Path:
    """Where a film of this athlete that is made now goes.

    Raises:
        OSError: the club's folder of films cannot be made.
    """
    store.clips_folder.mkdir(exist_ok=True)
    return store.clips_folder / f"filmed-{athlete_id}-{datetime.now():%Y-%m-%d-%H%M%S}.mp4"


def cut_off(store: Store, athlete_id: int) -> list[Path]:
    """Films of this athlete that were made here and never taken in.

    Raises:
        ClubError: the records cannot be read.
    """
    with store.session() as s:
        known = set(s.scalars(select(ClipRow.path)))
    made = sorted(store.clips_folder.glob(f"filmed-{athlete_id}-*.mp4"))
    return [p for p in made if str(p.resolve()) not in known]


def put_aside(path: Path, athlete_id: int) -> Path:
    """Where a film in the club's folder goes when it is taken out of the records."""
    return path.with_name(f"out-{athlete_id}-{path.name}")


def aside_of(store: Store, athlete_id: int) -> list[Path]:
    """Films of this athlete in the club's folder that were taken out of the records."""
    return sorted(store.clips_folder.glob(f"out-{athlete_id}-*"))
