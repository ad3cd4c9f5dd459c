"""A moving demonstration of any lift of the catalogue, in the athlete's own proportions.

Cleans, snatches and their pulls come from the simulated lifter; everything else is drawn
between key poses. Points are millimetres, x forward, y up, origin below the standing ankle.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.lifter import keys
from keenkettle.lifter.body import Body
from keenkettle.lifter.keys import Key
from keenkettle.lifter.motion import SimMotion, build_motion
from keenkettle.lifter.poses import leg_points, place_foot, two_link, unit
from keenkettle.lifter.recipe import Recipe, Shown
from keenkettle.measure.geometry import FloatArray, included_deg

RATE_HZ = 100
SOFT_S = 0.022
SNATCH_ARM = 0.78  # of the arm's length as seen from the side with a wide grip
SHIN_MM, THIGH_MM = 62.0, 88.0  # half a limb and half a bar
#: Shapes of the simulator that stand for a (family, end).
SIMULATED = {
    ("clean", "pull"): "clean-pull",
    ("clean", "power-catch"): "power-clean",
    ("clean", "full-catch"): "clean",
    ("snatch", "pull"): "snatch-pull",
    ("snatch", "power-catch"): "power-snatch",
    ("snatch", "full-catch"): "snatch",
    ("clean", "high-pull"): "clean-pull",
    ("snatch", "high-pull"): "snatch-pull",
}
#: A high pull is a pull with more speed: the bar flies on to the breastbone, the arms bend by it.
EFFORT = {("clean", "high-pull"): 1.4, ("snatch", "high-pull"): 1.08}


@dataclass(frozen=True)
class Stop:
    """A checkpoint: when, its name, and the angles there in degrees."""

    t_s: float
    name: str
    angles: dict[str, float]


@dataclass(frozen=True)
class Demonstration:
    """A motion at 100 Hz: ``t_s`` (N,), ``hand`` and each joint (N, 2), mm; checkpoints.

    ``simulated`` tells whether timing and path follow mechanics; else they are drawn.
    """

    body: Body
    t_s: FloatArray
    hand: FloatArray
    joints: dict[str, FloatArray]
    stops: tuple[Stop, ...]
    simulated: bool
    implement: str


def demonstrate(shown: Shown, body: Body, manner: str = "") -> Demonstration:
    """The demonstration of a lift.

    Args:
        shown: the lift on its axes.
        body: the athlete's lengths.
        manner: a school's, as in ``recipe.MANNERS``; what is drawn has none.
    """
    shape = simulated_shape(shown)
    if shape is not None:
        return _from_simulator(shown, shape, body, manner)
    wide = shown.family == "snatch" and shown.implement in ("barbell", "stick")
    return draw(keys_of(shown), body, SNATCH_ARM if wide else 1.0, shown.implement)


def simulated_shape(shown: Shown) -> str | None:
    """The simulator's shape that stands for a lift, None where it is drawn."""
    barbell = shown.implement in ("barbell", "stick")
    low = shown.start not in ("behind-neck", "rack", "overhead", "tall")
    return SIMULATED.get((shown.family, shown.ends)) if barbell and low else None


def keys_of(s: Shown) -> list[Key]:
    """The key poses of a lift that is drawn."""
    if s.implement in ("dumbbell", "kettlebell") and s.family != "squat":
        end = {"swing": "swing", "high-pull": "high-pull"}.get(s.ends, "over")
        if s.family == "clean" or (s.family == "swing" and s.ends == "power-catch"):
            end = "rack"
        return keys.one_hand(s.start, end, s.implement == "kettlebell")
    held = {"rack": keys.RACKED, "behind-neck": keys.BEHIND, "overhead": keys.OVER}
    hand = held.get(s.start, keys.HANG)
    if s.ends == "squat":
        depth = {"rack": "front", "behind-neck": "back"}.get(s.start, "overhead")
        if s.implement == "kettlebell":
            return keys.squatting((0.30, -0.25), "front")
        return keys.squatting(hand, depth, 1.0 if s.start == "rack" else 0.0)
    low_start = "floor-wide" if s.family == "snatch" and s.start == "floor" else s.start
    if s.ends == "deadlift":
        if s.start == "hip":
            return keys.hinging("above-knee")
        return keys.standing_up(low_start)
    if s.ends in ("shrug", "jump-shrug"):
        return keys.shrugging(low_start)
    if s.ends == "to-knee":
        low, knee = keys.hinge(low_start), keys.hinge("above-knee")
        below = keys.hinge("below-knee")
        return [low.at(0.0, "set position"), low.at(0.6), below.at(0.8),
                knee.at(0.5, "bar at the knee"), knee.at(1.5), low.at(1.2)]  # fmt: skip
    if s.ends == "hold":
        pose = keys.hinge(low_start) if s.start == "floor" else keys.stand(hand)
        return [pose.at(0.0, "position"), pose.at(3.0)]
    if s.ends == "press":
        return keys.pressing(hand, 0.0)
    if s.ends == "step":
        return keys.stepping()
    if s.family == "snatch" and s.start == "behind-neck":
        return keys.dropping(hand, "overhead")
    if s.ends in ("muscle", "row") or s.start == "tall":
        pulled = s.ends == "muscle" and s.start != "tall"
        return keys.turning(s.family == "snatch", low_start if pulled else "tall")
    if s.family == "jump":
        if s.ends == "throw":
            return keys.jumping((0.25, -0.30), keys.OVER)
        return keys.jumping(keys.HANG, keys.HANG)
    return keys.driving(hand, s.ends)


def draw(
    poses: list[Key],
    body: Body,
    arm_scale: float,
    implement: str,
    rate_hz: int = RATE_HZ,
) -> Demonstration:
    """Draw a smooth motion through key poses.

    Args:
        poses: from the first on, each with the time it takes to reach it.
        body: the athlete's lengths.
        arm_scale: how long the arm looks from the side, share.
        implement: as in the catalogue.
        rate_hz: samples a second.
    """
    from scipy.interpolate import PchipInterpolator  # slow to load
    from scipy.ndimage import gaussian_filter1d

    when = np.cumsum([k.after_s for k in poses])
    when += np.arange(len(when)) * 1e-6
    t = np.arange(0.0, when[-1], 1.0 / rate_hz)

    def channel(values: list[float]) -> FloatArray:
        # Nothing with mass changes its acceleration at once.
        drawn = PchipInterpolator(when, values)(t)
        return np.asarray(gaussian_filter1d(drawn, SOFT_S * rate_hz, mode="nearest"))

    lean, knee = channel([k.lean for k in poses]), channel([k.knee for k in poses])
    trunk, heel = channel([k.trunk for k in poses]), channel([k.heel for k in poses])
    split = channel([k.split for k in poses]) * body.stature
    shift = channel([k.shift for k in poses]) * body.stature
    lift = channel([k.lift for k in poses]) * body.stature
    foot = place_foot(body, shift, lift, heel)
    knee_xy, hip = leg_points(body, foot.ankle, lean, knee)
    shoulder = hip + body.trunk * unit(trunk)
    arm = body.arm * arm_scale
    reach = np.stack([channel([k.hand[i] for k in poses]) for i in (0, 1)], -1) * arm
    length = np.linalg.norm(reach, axis=-1, keepdims=True)
    reach = reach * np.minimum(1.0, 0.998 * arm / np.maximum(length, 1e-9))
    hand = shoulder + reach
    if implement in ("barbell", "stick"):
        hand = _clear_of_legs(hand, foot.ankle, knee_xy, hip, shoulder, arm)
        hand = np.asarray(gaussian_filter1d(hand, SOFT_S * rate_hz, axis=0, mode="nearest"))
    upper, lower = body.upper_arm * arm_scale, (body.forearm + body.hand) * arm_scale
    elbow = two_link(shoulder, hand, upper, lower, 1.0)
    rack = channel([k.rack for k in poses])[:, None]
    elbow = elbow + rack * (shoulder + body.upper_arm * unit(np.full_like(t, 6.0)) - elbow)
    axis = elbow - hand
    length = np.maximum(np.linalg.norm(axis, axis=-1, keepdims=True), 1.0)
    wrist = hand + axis / length * np.minimum(body.hand * arm_scale, 0.3 * length)
    head = 90.0 - 0.45 * (90.0 - trunk)
    joints = {
        "ankle": foot.ankle, "heel": foot.heel, "toe": foot.toe, "knee": knee_xy, "hip": hip,
        "shoulder": shoulder, "elbow": elbow, "wrist": wrist,
        "ear": shoulder + body.ear * unit(head),
    }  # fmt: skip
    if np.any(split > 1.0):
        back = foot.ankle - np.stack([split, -0.25 * np.minimum(split, 200.0) / 2.0], -1)
        rear_heel = back + np.array([-body.heel_back, 30.0])
        joints["ankle_rear"], joints["heel_rear"] = back, rear_heel
        joints["toe_rear"] = back + np.array([body.ball_ahead + 40.0, -body.ankle_height + 12.0])
        joints["knee_rear"] = two_link(back, hip, body.shank, body.thigh, 1.0)
    stops = tuple(
        Stop(float(w), k.stop, angles_at(joints, min(round(w * rate_hz), len(t) - 1)))
        for w, k in zip(when, poses, strict=True)
        if k.stop
    )
    return Demonstration(body, t, hand, joints, stops, False, implement)


def _clear_of_legs(
    hand: FloatArray, ankle: FloatArray, knee: FloatArray, hip: FloatArray, shoulder: FloatArray,
    arm: float,
) -> FloatArray:  # fmt: skip
    """Keep a hanging bar ahead of shin and thigh, at the arm's length."""
    y = hand[:, 1]
    low = np.clip((y - ankle[:, 1]) / np.maximum(knee[:, 1] - ankle[:, 1], 1.0), 0.0, 1.0)
    share = np.clip((y - knee[:, 1]) / np.maximum(hip[:, 1] - knee[:, 1], 1.0), 0.0, 1.0)
    shin = ankle[:, 0] + low * (knee[:, 0] - ankle[:, 0])
    limb = np.where(share > 0.0, knee[:, 0] + share * (hip[:, 0] - knee[:, 0]), shin)
    front = limb + SHIN_MM + (THIGH_MM - SHIN_MM) * np.clip(4.0 * share, 0.0, 1.0)
    # How much the bar hangs: wholly below the hip, not at all from the navel up.
    hanging = np.clip((hip[:, 1] + 160.0 - hand[:, 1]) / 160.0, 0.0, 1.0)
    x = hand[:, 0] + hanging * np.maximum(front - hand[:, 0], 0.0)
    dx = x - shoulder[:, 0]
    drop = np.sqrt(np.maximum(arm**2 - dx**2, 0.0))
    bent = np.linalg.norm(hand - shoulder, axis=-1) / arm
    long = np.clip((bent - 0.80) / 0.17, 0.0, 1.0) * hanging
    y = hand[:, 1] + long * (shoulder[:, 1] - drop - hand[:, 1])
    return np.stack([x, y], -1)


def angles_at(joints: dict[str, FloatArray], i: int) -> dict[str, float]:
    """Knee, hip, elbow and trunk angles at a sample, degrees."""
    p = {name: xy[i] for name, xy in joints.items()}
    up = p["shoulder"] - p["hip"]
    return {
        "knee": float(included_deg(p["ankle"], p["knee"], p["hip"])),
        "hip": float(included_deg(p["knee"], p["hip"], p["shoulder"])),
        "elbow": float(included_deg(p["shoulder"], p["elbow"], p["wrist"])),
        "trunk": float(np.degrees(np.arctan2(up[1], up[0]))),
    }


def _from_simulator(shown: Shown, shape: str, body: Body, manner: str) -> Demonstration:
    start = shown.start if shown.start in ("floor", *SHAPE_STARTS) else "floor"
    effort = EFFORT.get((shown.family, shown.ends), 1.0)
    recipe = Recipe(shape, body.stature, start=start, manner=manner, effort=effort)
    sim = build_motion(recipe, body)
    step = round(1000 / RATE_HZ)
    joints = {name: xy[::step] for name, xy in sim.joints.items()}
    t = sim.t_s[::step]
    stops = _sim_stops(sim, joints, shown.ends == "high-pull")
    return Demonstration(body, t, sim.bar[::step], joints, stops, True, shown.implement)


def _sim_stops(sim: SimMotion, joints: dict[str, FloatArray], high: bool) -> tuple[Stop, ...]:
    line = sim.timeline
    assert line is not None
    knee_y, bar_y = sim.joints["knee"][:, 1], sim.bar[:, 1]
    found = [(0.3, "set position" if sim.shown.start == "floor" else "start")]
    passed = np.flatnonzero((bar_y[1:] >= knee_y[1:]) & (bar_y[:-1] < knee_y[:-1]))
    if len(passed) and sim.t_s[passed[0]] < line.release:
        found.append((float(sim.t_s[passed[0]]), "bar at the knee"))
    if line.power is not None:
        found.append((line.power, "power position"))
    found.append((line.extension, "extension"))
    if high:
        found.append((line.peak, "elbows high"))
    if sim.shown.caught:
        found += [(line.catch, "catch"), (line.bottom, "bottom"), (line.standing, "standing")]
    n = len(joints["hip"])
    return tuple(
        Stop(t, name, angles_at(joints, min(round(t * RATE_HZ), n - 1))) for t, name in found
    )


SHAPE_STARTS = ("mid-shin", "below-knee", "above-knee", "mid-thigh", "hip", "blocks", "raised")
