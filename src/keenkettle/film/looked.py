"""A file before it is taken in: whether it can be read, which it is, and when it was filmed."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from keenkettle.files import hash_file
from keenkettle.film.clip import Clip
from keenkettle.film.index import open_film

#: What containers call it, the most telling first; the first names the zone of the place.
KEYS = ("com.apple.quicktime.creationdate", "creation_time", "date")
EARLIEST = date(2000, 1, 1)  # clocks that were never set say 1904 or 1970
IN_NAME = re.compile(r"(?<!\d)(20\d\d)[-_.]?(\d\d)[-_.]?(\d\d)(?!\d)")


@dataclass(frozen=True)
class Looked:
    """A file that can be read as a clip: its SHA-256, and on which day it was filmed."""

    path: Path
    sha256: str
    filmed_on: date


def look(path: Path) -> Looked:
    """Look at a file.

    Raises:
        ClipError: it cannot be read as video.
        OSError: it cannot be read at all.
    """
    with Clip(path):
        pass
    return Looked(path, hash_file(path), filmed_on(path))


def filmed_on(path: Path) -> date:
    """The local day of a film: as the file says, else its name, else its date on the disk.

    Raises:
        ClipError: it cannot be read as video.
        OSError: the file is gone.
    """
    latest = date.today()
    with open_film(path) as film:
        said = _said(film)
    for day in (*map(_day_of, said), _in_name(path.stem)):
        if day is not None and EARLIEST <= day <= latest:
            return day
    return date.fromtimestamp(path.stat().st_mtime)


def _said(film: Any) -> list[str]:
    """What the container says of its making; words that are no text are no word."""
    try:
        return [str(film.metadata[k]) for k in KEYS if k in film.metadata]
    except ValueError:
        return []


def _day_of(text: str) -> date | None:
    """The local day of a day or moment in ISO 8601; without a zone it is UTC, as in containers."""
    try:
        if len(text.strip()) <= 10:
            return date.fromisoformat(text.strip())
        moment = datetime.fromisoformat(text.strip().replace("Z", "+00:00"))
        if moment.tzinfo is None:
            moment = moment.replace(tzinfo=UTC)
        # A zone that is named is that of the place of filming; its day is that of the session.
        here = moment.utcoffset() == UTC.utcoffset(None)
        return (moment.astimezone() if here else moment).date()
    except (ValueError, OverflowError, OSError):  # no moment, or one before all clocks
        return None


def _in_name(stem: str) -> date | None:
    found = IN_NAME.search(stem)
    if found is None:
        return None
    try:
        return date(*map(int, found.groups()))
    except ValueError:
        return None
