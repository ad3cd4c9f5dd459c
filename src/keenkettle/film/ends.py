"""Last frames before key frames, kept on the disk: a step back over one decodes nothing.

A frame in the middle of a group can only be had by decoding the group from its beginning.
Whoever goes through a film in order meets these frames anyway and leaves their pictures
here, not compressed, so that they are the same to the bit.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

FILM_BYTES = 256 * 1024 * 1024  # of one film
ALL_BYTES = 1024 * 1024 * 1024  # of all films together; those not opened for longest go first

Picture = NDArray[np.uint8]


class Ends:
    """The frames kept of one film, in a folder of its own."""

    def __init__(self, folder: Path, film: Path) -> None:
        """Take a film's folder; what is kept is of the file as it is now, not as it once was.

        Args:
            folder: made when the first frame is kept.
            film: the file; one that is missing keeps nothing that another could find.
        """
        self.folder = folder
        try:
            seen = film.stat()
        except OSError:
            self._own = folder / "missing"
        else:
            self._own = folder / f"{seen.st_size}-{seen.st_mtime_ns}"
        self._room: int | None = None

    def __contains__(self, number: int) -> bool:
        return self._path(number).exists()

    def get(self, number: int) -> Picture | None:
        """A frame's picture, shape (height, width, 3); None where it was not kept."""
        try:
            return np.asarray(np.load(self._path(number)), np.uint8)
        except (OSError, ValueError, EOFError):
            return None

    def keep(self, number: int, show: Callable[[], Picture]) -> None:
        """Keep a frame, as long as there is room; a disk that is full is no error."""
        if number in self:
            return
        picture = show()
        if self._room is None:
            self._room = FILM_BYTES - _size(self.folder)
        if picture.nbytes > self._room:
            return
        self._room -= picture.nbytes
        part = self._own / f".{number}-{os.getpid()}.npy"
        with suppress(OSError):
            self._own.mkdir(parents=True, exist_ok=True)
            try:
                np.save(part, picture)
                part.replace(self._path(number))
            finally:
                part.unlink(missing_ok=True)

    def make_room(self) -> None:
        """Mark this film as used now; of the others, those not used for longest may go."""
        if self.folder.exists():
            os.utime(self.folder)
            for other in self.folder.iterdir():
                if other != self._own:
                    forget(other)
        try:
            films = sorted(self.folder.parent.iterdir(), key=lambda f: -f.stat().st_mtime)
        except OSError:
            return
        total = 0
        for film in films:
            total += _size(film)
            if total > ALL_BYTES and film != self.folder:
                forget(film)

    def _path(self, number: int) -> Path:
        return self._own / f"{number}.npy"


def forget(folder: Path) -> None:
    """Delete all that is kept of a film; a folder that is not there is no error."""
    shutil.rmtree(folder, ignore_errors=True)


def _size(folder: Path) -> int:
    try:
        return sum(f.stat().st_size for f in folder.rglob("*.npy"))
    except OSError:
        return 0
