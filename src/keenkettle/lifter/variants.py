"""A lift as different schools teach it: its order, its stops, its feet and knees, getting set."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from keenkettle.lifter.body import Body
from keenkettle.lifter.curves import smoothstep
from keenkettle.lifter.demonstrate import (
    RATE_HZ,
    Demonstration,
    Stop,
    angles_at,
    demonstrate,
    simulated_shape,
)
from keenkettle.lifter.poses import two_link, unit
from keenkettle.lifter.recipe import Shown
from keenkettle.measure.geometry import FloatArray

STOP_S = 1.5
STOPPED_AT = ("bar at the knee", "power position")
FROM_THE_TOP = ("hip", "mid-thigh", "above-knee", "below-knee", "floor")
SET_S, SETTLE_S = 0.6, 1.4  # still in the first position; the way from there into the set
#: How the trunk stands before it is set, degrees from the set's: hips low, or hips high.
SETTINGS = {"hips-low": 22.0, "hips-high": -18.0}
LONGEST_LEG = 0.99  # of shank and thigh in line


@dataclass(frozen=True)
class Variant:
    """One way of teaching a lift: its words, the lift on its axes, and what is done otherwise.

    ``stops`` are checkpoints at which it stands still, ``manner`` one of ``recipe.MANNERS``,
    ``setting`` one of ``SETTINGS``; empty where it is as written.
    """

    words: str
    shown: Shown
    stops: tuple[str, ...] = ()
    manner: str = ""
    setting: str = ""


def variants_of(shown: Shown) -> list[Variant]:
    """The lift as it is written first, then as other schools teach it."""
    out = [Variant("as it is written", shown)]
    if shown.ends == "high-pull" and simulated_shape(replace(shown, ends="pull")):
        arms = "with long arms, as taught where no high pull is done"
        out.append(Variant(arms, replace(shown, ends="pull")))
    if shown.family == "jerk" and shown.ends in ("split-catch", "power-catch"):
        other = "power-catch" if shown.ends == "split-catch" else "split-catch"
        feet = "feet level" if other == "power-catch" else "feet split"
        out.append(Variant(f"received with the {feet}", replace(shown, ends=other)))
    if simulated_shape(shown) is None:
        return out
    if shown.start == "floor":
        out += [
            Variant("with stops at the knee and the power position", shown, STOPPED_AT),
            Variant("with a stop at the knee", shown, STOPPED_AT[:1]),
            Variant("set by squatting down to the bar", shown, setting="hips-low"),
            Variant("set by lifting the hips, then pulling down", shown, setting="hips-high"),
        ]
    if shown.start in ("floor", "mid-shin", "below-knee"):
        out.append(Variant("knees straightened, then bent again on purpose", shown, (), "re-bend"))
    out.append(Variant("with the feet planted", shown, (), "planted-feet"))
    out.append(Variant("where light loads may leave the ground", shown, (), "airborne"))
    for start in FROM_THE_TOP:
        if start != shown.start:
            words = f"from the {start.replace('-', ' ')}, as taught from the top down"
            if start == "floor":
                words = "from the floor, as taught from the bottom up"
            out.append(Variant(words, replace(shown, start=start)))
    return out


def show_variant(variant: Variant, body: Body) -> Demonstration:
    """The demonstration of a variant in a body's proportions."""
    made = stand_still(demonstrate(variant.shown, body, variant.manner), variant.stops)
    return get_set(made, variant.setting) if variant.setting else made


def stand_still(made: Demonstration, at: tuple[str, ...], hold_s: float = STOP_S) -> Demonstration:
    """Stand still at these checkpoints; what comes after is later by as much."""
    frames = [round(s.t_s * RATE_HZ) for s in made.stops if s.name in at]
    if not frames:
        return made
    still = round(hold_s * RATE_HZ)
    times = np.ones(len(made.t_s), dtype=int)
    times[[min(f, len(times) - 1) for f in frames]] += still
    index = np.repeat(np.arange(len(times)), times)
    stops = tuple(
        Stop(s.t_s + hold_s * sum(f < round(s.t_s * RATE_HZ) for f in frames), s.name, s.angles)
        for s in made.stops
    )
    return replace(
        made,
        t_s=np.arange(len(index)) / RATE_HZ,
        hand=made.hand[index],
        joints={n: xy[index] for n, xy in made.joints.items()},
        stops=stops,
    )


def get_set(made: Demonstration, setting: str) -> Demonstration:
    """Put before a lift from the floor how its set position is come to, hands on the bar."""
    n = round((SET_S + SETTLE_S) * RATE_HZ)
    t = np.arange(n) / RATE_HZ
    body = made.body
    first = {name: xy[0] for name, xy in made.joints.items()}
    up = first["shoulder"] - first["hip"]
    tilt = SETTINGS[setting] * (1.0 - smoothstep(t, SET_S, SET_S + SETTLE_S))
    trunk = np.degrees(np.arctan2(up[1], up[0])) + tilt
    long = float(np.hypot(*up))
    # The arms stay long and swing about the bar as the trunk tilts.
    arm = first["shoulder"] - made.hand[0]
    lean = np.degrees(np.arctan2(arm[1], arm[0])) + 0.25 * np.abs(tilt) * np.sign(tilt)
    shoulder = made.hand[0] + float(np.hypot(*arm)) * unit(lean)
    hip = _within_leg(first["ankle"], shoulder - long * unit(trunk), body)
    shoulder = hip + long * unit(trunk)
    before: dict[str, FloatArray] = {
        name: np.repeat(xy[None], n, axis=0) for name, xy in first.items()
    }
    upper, lower = (
        float(np.hypot(*(first["elbow"] - end))) for end in (first["shoulder"], made.hand[0])
    )
    before |= {
        "hip": hip,
        "shoulder": shoulder,
        "knee": two_link(before["ankle"], hip, body.shank, body.thigh, 1.0),
        "elbow": two_link(shoulder, np.repeat(made.hand[:1], n, axis=0), upper, lower, 1.0),
        "ear": shoulder + body.ear * unit(90.0 - 0.45 * (90.0 - trunk)),
    }
    start = Stop(0.0, "hips high" if setting == "hips-high" else "hips low", angles_at(before, 0))
    later = n / RATE_HZ
    return replace(
        made,
        t_s=np.arange(n + len(made.t_s)) / RATE_HZ,
        hand=np.concatenate([np.repeat(made.hand[:1], n, axis=0), made.hand]),
        joints={name: np.concatenate([before[name], xy]) for name, xy in made.joints.items()},
        stops=(start, *(replace(s, t_s=s.t_s + later) for s in made.stops)),
    )


def _within_leg(ankle: FloatArray, hip: FloatArray, body: Body) -> FloatArray:
    """Hips no farther from the ankle than the leg is long."""
    leg = hip - ankle
    long = np.linalg.norm(leg, axis=-1, keepdims=True)
    most = LONGEST_LEG * (body.shank + body.thigh)
    return np.asarray(ankle + leg * np.minimum(1.0, most / long))
