"""A film's own copy in the club's folder, for files that will not stay where they are."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable
from pathlib import Path

from keenkettle.club.store import ClubError
from keenkettle.files import whole

BLOCK = 1 << 22
Tell = Callable[[str, float], None]


def copy_in(folder: Path, path: Path, sha256: str, tell: Tell) -> Path:
    """Copy a film into the club's folder, with its date; one that is there already is used.

    Args:
        folder: the club's films.
        path: the film.
        sha256: of the film, as it was looked at.
        tell: called with what is being done and the share done, 0 to 1.

    Raises:
        CannotWriteError: there is no room, or the folder cannot be written.
        ClubError: the file was changed or pulled out meanwhile.
    """
    folder.mkdir(exist_ok=True)
    target = folder / f"{path.stem}-{sha256[:8]}{path.suffix}"
    if target.exists():
        return target.resolve()
    digest, told = hashlib.sha256(), f"copying {path.name}"
    with whole(target) as part, part.open("wb") as out:
        try:
            size, times = max(path.stat().st_size, 1), path.stat()
            with path.open("rb") as film:
                while block := film.read(BLOCK):
                    digest.update(block)
                    out.write(block)
                    tell(told, min(film.tell() / size, 1.0))
        except OSError as err:
            if not path.exists():
                raise ClubError(
                    f"{path.name} is gone; plug it in again and take it in anew"
                ) from err
            raise
        if digest.hexdigest() != sha256:
            raise ClubError(f"{path.name} was changed while it was copied; take it in again")
    os.utime(target, (times.st_atime, times.st_mtime))
    return target.resolve()
