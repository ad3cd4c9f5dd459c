"""The truth of a simulated rep: events and metrics from the exact motion at 1 kHz."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.lifter.motion import RATE_HZ, SimMotion
from keenkettle.measure.events import Events, RepSpan, find_events
from keenkettle.measure.metrics import Measures, RepContext, measure_rep
from keenkettle.measure.motion import Motion


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
    rest = np.flatnonzero(np.abs(motion.bar[:, 1]) <= 3.0)
    before = rest[rest < sim.timeline.release * RATE_HZ]
    rep = RepSpan(int(before[-1]), len(motion.t_s) - 1)
    caught = sim.recipe.shape.bottom_knee is not None
    events: Events = find_events(motion, rep, caught)
    ctx = RepContext(motion, rep, events, sim.recipe.shape.family, float(sim.bar[0, 1]))
    times = {n: None if i is None else float(motion.t_s[i]) for n, i in events.items()}
    return Truth(times, measure_rep(ctx))
