"""Lifts that begin standing and go down first: squats and hinges from the hip.

The origin of a rep is the bar at ``descent_start``, the last sample within 3 mm of the
standing height. Millimetres, m/s.
"""

from __future__ import annotations

import numpy as np

from keenkettle.measure.back import back_bend
from keenkettle.measure.events import EVENT_NAMES, LIFT_OFF_MM, Events, RepSpan, at_rest
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.motion import Motion
from keenkettle.measure.peak_speed import put_peak_speed
from keenkettle.measure.receiving import catch_thigh, lowering_gap, overhead_offset, rack_elbow
from keenkettle.measure.sheet import NOT_THIS_LIFT, UNITS, Measure, Measures, RepContext, Sheet

LEAST_DROP_MM = 120.0
RISES_SHARE = 0.8  # a rep comes back up by this share of its drop
DOWN_SHARE = 0.3  # and has begun when it is this share of the deepest drop down


def find_descents(motion: Motion) -> list[RepSpan]:
    """Reps that go down from standing and come up again; ``lift_off`` is the descent's start."""
    y = motion.bar[:, 1]
    high = float(np.percentile(y, 95))
    drop = high - float(y.min())
    if drop < LEAST_DROP_MM:
        return []
    low = y < high - DOWN_SHARE * drop
    edges = np.flatnonzero(np.diff(np.concatenate([[0], low.astype(int), [0]])))
    rest = at_rest(motion)
    reps: list[RepSpan] = []
    floor = 0
    for a, b in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        deepest = a + int(np.argmin(y[a:b]))
        if a == 0 or b >= len(y) or high - y[deepest] < LEAST_DROP_MM:
            continue  # walked in from below, or put down at the end
        start = _start(y, rest, floor, a)
        end = _end(y, rest, b, y[start], RISES_SHARE * (y[start] - y[deepest]))
        if end is not None:
            reps.append(RepSpan(start, end))
            floor = b
    return reps


def _start(y: FloatArray, rest: BoolArray, floor: int, down: int) -> int:
    """Last sample within 3 mm of the height at which the bar was held before."""
    still = np.flatnonzero(rest[floor:down])
    last = floor + int(still[-1]) if len(still) else floor + int(np.argmax(y[floor : down + 1]))
    back = last
    while back > floor and rest[back - 1] and last - back < 15:
        back -= 1
    height = float(np.median(y[back : last + 1]))
    near = np.flatnonzero(np.abs(y[last : down + 1] - height) <= LIFT_OFF_MM)
    return last + int(near[-1]) if len(near) else last


def _end(y: FloatArray, rest: BoolArray, up: int, standing: float, rise: float) -> int | None:
    """Last sample of the finish, or where the bar goes down again; None if it never comes up."""
    n = len(y)
    i = up
    top = y[up]
    while i < n and not (rest[i] and y[i] > standing - 0.2 * rise):
        top = max(top, y[i])
        if y[i] < top - 0.5 * rise:
            return i if top >= y[up] and top > standing - 0.3 * rise else None
        i += 1
    if i >= n:
        return n - 1 if top > standing - 0.3 * rise else None
    while i + 1 < n and rest[i + 1]:
        i += 1
    return i


def descent_events(motion: Motion, rep: RepSpan) -> Events:
    """Events of one rep by the contract's names; those of other lifts are None."""
    ev: Events = dict.fromkeys((*EVENT_NAMES, "descent_start"))
    y, v = motion.bar[:, 1], motion.bar_v[:, 1]
    a, b = rep.lift_off, rep.end
    ev["descent_start"] = a
    bottom = a + int(np.argmin(y[a : b + 1]))
    ev["bottom"] = bottom
    fastest = bottom + int(np.argmax(v[bottom : b + 1]))
    ev["peak_velocity"] = fastest
    rest = np.flatnonzero(at_rest(motion)[fastest : b + 1])
    if len(rest):
        ev["standing"] = fastest + int(rest[0])
    return ev


def measure_descent(ctx: RepContext) -> Measures:
    """Measure one rep: what a squat or hinge can have; the rest says why not."""
    s = Sheet(ctx)
    if at := s.needs("bar_peak_velocity", (), "peak_velocity"):
        put_peak_speed(s, at[0])
    s.put_sway()
    catch_thigh(s)
    if ctx.start == "overhead":
        overhead_offset(s, "bottom")
    if ctx.start == "rack":
        rack_elbow(s, "elbow_rack_bottom", "bottom")
    if ctx.family == "hinge":
        back_bend(s, "descent_start", "peak_velocity")
        start, bottom = ctx.events["descent_start"], ctx.events["bottom"]
        assert start is not None and bottom is not None
        lowering_gap(s, start, bottom)
    for name, unit in UNITS.items():
        s.out.setdefault(name, Measure(None, 0.0, unit, None, NOT_THIS_LIFT))
    return s.out
