"""Which way a lift is read: as a pull, from the shoulders, down first, or as two parts."""

from __future__ import annotations

from dataclasses import replace
from enum import Enum

from keenkettle.measure.descents import descent_events, find_descents, measure_descent
from keenkettle.measure.events import (
    FAST_RISE,
    MIN_RISE_MM,
    Events,
    RepSpan,
    find_events,
    find_reps,
)
from keenkettle.measure.metrics import measure_rep
from keenkettle.measure.motion import Motion
from keenkettle.measure.overhead import (
    LEAST_RISE_MM,
    find_overhead_reps,
    measure_overhead_rep,
    overhead_events,
)
from keenkettle.measure.sheet import Measures, RepContext

CATCHES = ("power-catch", "full-catch", "split-catch")
SHOULDERS = ("rack", "behind-neck")
GENTLE_ENDS = ("deadlift", "to-knee", "shrug", "muscle", "row", "press", "hold", "step")
GENTLE_RISE, GENTLE_MIN_RISE_MM = 0.15, 40.0  # m/s and mm: slow or short, and still a rep
LOW_CATCH_RISE_MM = 40.0  # a bar that is caught in a deep squat hardly rises
#: In a clean and jerk these belong to the jerk, everything else to the clean.
OF_THE_JERK = (
    "dip_depth", "dip_forward", "dip_trunk_tilt", "knee_after_drive", "front_shin", "rear_knee",
    "foot_order", "overhead_offset", "elbow_overhead_min", "feet_hands_gap", "hold_sway",
)  # fmt: skip
EVENTS_OF_THE_JERK = ("dip_start", "dip_bottom", "drive_end", "feet_land", "lockout", "recovered")


class Kind(Enum):
    """How a rep begins and what it is made of."""

    PULL = "pull"
    GENTLE = "gentle"
    OVERHEAD = "overhead"
    LOW_OVERHEAD = "low-overhead"
    DESCENT = "descent"
    CLEAN_AND_JERK = "clean-and-jerk"


def kind_of(lift_id: str, family: str, start: str, ends: str) -> Kind:
    """The kind of a lift of the catalogue, from its axes."""
    if lift_id == "clean-and-jerk":
        return Kind.CLEAN_AND_JERK
    hangs = start in ("hip", "standing", "tall", "mid-thigh", "above-knee")
    if ends == "squat" or (family == "hinge" and hangs):
        return Kind.DESCENT
    if start in SHOULDERS and ends in (*CATCHES, "push-press"):
        return Kind.LOW_OVERHEAD if ends == "full-catch" else Kind.OVERHEAD
    if ends in GENTLE_ENDS or start == "tall" or (ends == "pull" and hangs):
        return Kind.GENTLE
    return Kind.PULL


def reps_of(kind: Kind, motion: Motion) -> list[RepSpan]:
    """The reps of a clip; ``lift_off`` of a span is the sample of the rep's origin."""
    if kind is Kind.DESCENT:
        return find_descents(motion)
    if kind in (Kind.OVERHEAD, Kind.LOW_OVERHEAD):
        low = kind is Kind.LOW_OVERHEAD
        return find_overhead_reps(motion, LOW_CATCH_RISE_MM if low else LEAST_RISE_MM)
    if kind is Kind.CLEAN_AND_JERK:
        return _clean_and_jerks(motion)
    gentle = kind is Kind.GENTLE
    return find_reps(
        motion,
        GENTLE_RISE if gentle else FAST_RISE,
        GENTLE_MIN_RISE_MM if gentle else MIN_RISE_MM,
    )


def _clean_and_jerks(motion: Motion) -> list[RepSpan]:
    """Each clean, and the jerk that follows before the next; a clean alone stays one."""
    cleans = find_reps(motion)
    spans = []
    for i, clean in enumerate(cleans):
        until = cleans[i + 1].lift_off if i + 1 < len(cleans) else len(motion.t_s)
        jerk = _jerk_after(motion, RepSpan(clean.lift_off, until - 1))
        spans.append(clean if jerk is None else RepSpan(clean.lift_off, jerk.end))
    return spans


def _jerk_after(motion: Motion, rep: RepSpan) -> RepSpan | None:
    """The last dip and drive after the clean was stood up, if there is one."""
    stood = find_events(motion, rep, True)["standing"]
    if stood is None:
        return None
    later = slice(stood, rep.end + 1)
    part = replace(
        motion,
        t_s=motion.t_s[later],
        bar=motion.bar[later],
        bar_v=motion.bar_v[later],
        bar_a=motion.bar_a[later],
    )
    jerks = find_overhead_reps(part, LOW_CATCH_RISE_MM)
    return RepSpan(stood + jerks[-1].lift_off, stood + jerks[-1].end) if jerks else None


def has_jerk(motion: Motion, clean: RepSpan) -> bool:
    """Whether a rep from the floor goes on with a dip and drive after it was stood up."""
    return _jerk_after(motion, clean) is not None


def _parts(motion: Motion, rep: RepSpan) -> tuple[RepSpan, RepSpan | None]:
    """The clean and, where there is one, the jerk of a rep."""
    jerk = _jerk_after(motion, rep)
    if jerk is None:
        return rep, None
    return RepSpan(rep.lift_off, jerk.lift_off), RepSpan(jerk.lift_off, rep.end)


def events_of(kind: Kind, motion: Motion, rep: RepSpan, caught: bool) -> Events:
    """The events of one rep by the contract's names, None where they were not seen."""
    if kind is Kind.DESCENT:
        return descent_events(motion, rep)
    if kind in (Kind.OVERHEAD, Kind.LOW_OVERHEAD):
        return overhead_events(motion, rep, caught)
    if kind is not Kind.CLEAN_AND_JERK:
        return find_events(motion, rep, caught)
    clean, jerk = _parts(motion, rep)
    events = find_events(motion, clean, True)
    if jerk is not None:
        later = overhead_events(motion, jerk, True)
        events |= {name: later[name] for name in EVENTS_OF_THE_JERK}
    return events


def measures_of(kind: Kind, ctx: RepContext) -> Measures:
    """The measures of one rep; what it cannot have says why."""
    if kind is Kind.DESCENT:
        return measure_descent(ctx)
    if kind in (Kind.OVERHEAD, Kind.LOW_OVERHEAD):
        return measure_overhead_rep(ctx)
    if kind is not Kind.CLEAN_AND_JERK:
        return measure_rep(ctx)
    clean, jerk = _parts(ctx.motion, ctx.rep)
    measures = measure_rep(replace(ctx, rep=clean))
    if jerk is not None:
        events = overhead_events(ctx.motion, jerk, True)
        own = replace(ctx, rep=jerk, events=events, family="jerk", start="rack")
        later = measure_overhead_rep(own)
        measures |= {name: later[name] for name in OF_THE_JERK}
    return measures
