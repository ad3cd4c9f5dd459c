"""The truth of a simulated rep: events and metrics from the exact motion at 1 kHz."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.lifter.motion import RATE_HZ, SimMotion
from keenkettle.measure.events import Events, RepSpan
from keenkettle.measure.kinds import Kind, events_of, kind_of, measures_of, reps_of
from keenkettle.measure.motion import Motion
from keenkettle.measure.sheet import Measures, RepContext


@dataclass(frozen=True)
class Truth:
    """Event times in s by name, and metrics by id, of the exact motion."""

    event_s: dict[str, float | None]
    metrics: Measures


def exact_motion(sim: SimMotion) -> Motion:
    """The simulated rep as a noise-free motion, origin at the resting bar."""
    origin = sim.bar[0]
    rate = np.gradient(sim.bar, 1.0 / RATE_HZ, axis=0) / 1000.0
    accel = np.gradient(rate, 1.0 / RATE_HZ, axis=0)
    joints = {name: xy - origin for name, xy in sim.joints.items()}
    return Motion(sim.t_s, sim.bar - origin, rate, accel, joints)


def truth_of(sim: SimMotion) -> Truth:
    """Events and metrics of a simulated rep, by the contract's definitions."""
    motion = exact_motion(sim)
    shown = sim.shown
    kind = kind_of(sim.lift, shown.family, shown.start, shown.ends)
    rep = _span(sim, kind, motion)
    events: Events = events_of(kind, motion, rep, shown.caught)
    on_floor = shown.start == "floor" and shown.implement == "barbell"
    floor = float(sim.bar[0, 1]) if on_floor else None
    ctx = RepContext(motion, rep, events, shown.family, floor, shown.start, shown.implement)
    times = {n: None if i is None else float(motion.t_s[i]) for n, i in events.items()}
    return Truth(times, measures_of(kind, ctx))


def _span(sim: SimMotion, kind: Kind, motion: Motion) -> RepSpan:
    last = len(motion.t_s) - 1
    if sim.timeline is not None:
        rest = np.flatnonzero(np.abs(motion.bar[:, 1]) <= 3.0)
        before = rest[rest < sim.timeline.release * RATE_HZ]
        return RepSpan(int(before[-1]), last)
    found = reps_of(kind, motion)
    return found[0] if found else RepSpan(0, last)
