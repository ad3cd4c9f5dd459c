"""Films made here with a camera: where they go, and those that the plug was pulled on."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from sqlalchemy import select

from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import ClipRow


def filmed_name(store: Store, athlete_id: int) -> Path:
    """Where a film of this athlete that is made now goes.

    Raises:
        OSError: the club's folder of films cannot be made.
    """
    store.clips_folder.mkdir(exist_ok=True)
    return store.clips_folder / f"filmed-{athlete_id}-{datetime.now():%Y-%m-%d-%H%M%S}.mp4"


def was_filmed(path: Path) -> bool:
    """Whether a film in the club's folder was made here, by its name."""
    return path.name.startswith("filmed-")


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


def aside_in(own: Path, paths: dict[str, int]) -> list[tuple[Path, Path]]:
    """Of films and whose they are, those in the club's folder, and where they are put aside."""
    return [
        (Path(path), put_aside(Path(path), athlete_id))
        for path, athlete_id in paths.items()
        if Path(path).resolve().parent == own.resolve()
    ]


def rename_all(pairs: list[tuple[Path, Path]]) -> None:
    """All or none; files that somebody has deleted meanwhile are no error.

    Raises:
        ClubError: one cannot be renamed.
    """
    done: list[tuple[Path, Path]] = []
    for path, to in pairs:
        try:
            if path.exists():
                path.rename(to)
                done.append((path, to))
        except OSError as err:
            for was, now in done:
                now.rename(was)
            raise ClubError(
                f"{path.name} cannot be renamed ({err.strerror}), so nothing has changed; "
                "see that the club's folder can be written"
            ) from err
