"""Elastic time: every phase gets the room it deserves, not the time it took. Plain Python."""

from __future__ import annotations

from dataclasses import dataclass

from keenkettle.measure.events import Events
from keenkettle.measure.metrics import phase_bounds

GAP_PX = 3.0
EVEN = 0.80  # share of the width dealt out evenly; the rest goes by time


@dataclass(frozen=True)
class Cell:
    """One phase on the strip: frames first to last, from x0 to x1 pixels."""

    name: str
    first: int
    last: int
    x0: float
    x1: float


def cells_of(events: Events | None, frames: int, width: float, true_time: bool) -> list[Cell]:
    """Lay the phases of a rep out over a width.

    Args:
        events: the rep's events, or None for an unjudged clip.
        frames: frames in the clip.
        width: pixels.
        true_time: widths by duration instead.
    """
    last = max(frames - 1, 1)
    spans = phase_bounds(events) if events is not None else []
    if not spans:
        spans = [("whole clip", 0, last)]
    first, end = spans[0][1], spans[-1][2]
    if first > 0:
        spans = [("set", 0, first), *spans]
    if last - end > 2:
        spans = [*spans, ("after", end, last)]
    room = width - GAP_PX * (len(spans) - 1)
    total = sum(b - a for _, a, b in spans) or 1
    cells, x = [], 0.0
    for name, a, b in spans:
        share = (b - a) / total
        if not true_time:
            share = EVEN / len(spans) + (1.0 - EVEN) * share
        cells.append(Cell(name, a, b, x, x + room * share))
        x += room * share + GAP_PX
    return cells


def x_of(cells: list[Cell], frame: float) -> float:
    """Where a frame stands."""
    for c in cells:
        if frame <= c.last:
            share = (frame - c.first) / max(c.last - c.first, 1)
            return c.x0 + max(share, 0.0) * (c.x1 - c.x0)
    return cells[-1].x1 if cells else 0.0


def frame_at(cells: list[Cell], x: float) -> int:
    """Which frame stands at x."""
    for c in cells:
        if x <= c.x1:
            share = (x - c.x0) / max(c.x1 - c.x0, 1e-6)
            return round(c.first + min(max(share, 0.0), 1.0) * (c.last - c.first))
    return cells[-1].last if cells else 0
