"""Reviewed films that wait for the coach's eyes, the most urgent first."""

from __future__ import annotations

from datetime import date, timedelta

from keenkettle.club.catalogue import FilmLine, film_lines
from keenkettle.club.store import Store

RECENT = timedelta(days=30)


def films_for_eyes(store: Store, today: date) -> list[FilmLine]:
    """Reviewed films of the last weeks with unanswered findings: stops, then fixes, then notes."""
    return [x for x in film_lines(store, since=today - RECENT) if x.left]
