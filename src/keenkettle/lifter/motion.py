"""A whole simulated rep: set, pull, turnover, catch, recovery, sampled at 1 kHz.

After the release the bar flies by its own momentum: its acceleration runs from a little
pull toward free fall, never past it. The body goes under it, catches and stands; arms
follow by inverse kinematics.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.lifter.body import Body, BodyError, body_from_stature
from keenkettle.lifter.curves import (
    State,
    after_ramp,
    hump,
    pulse,
    quintic,
    ramp_accel,
    smoothstep,
)
from keenkettle.lifter.poses import leg_points, place_foot, two_link, unit
from keenkettle.lifter.pull import (
    PullKeys,
    PullPath,
    arm_reach,
    finish_pose,
    pull_keys,
    pull_path,
    pull_times,
)
from keenkettle.lifter.recipe import Recipe, RecipeError, Shown
from keenkettle.lifter.squat import Stance, stance_at
from keenkettle.measure.geometry import FloatArray

RATE_HZ = 1000
SET_S = 0.7  # still before lift-off
HOLD_S = 0.8  # still at the end
SOFT_S = 0.012  # a bar is not pushed sideways from one moment to the next
#: Release to full extension, by family: with a faster bar it is sooner.
FINISH_S = {"clean": 0.05, "snatch": 0.04}
LIMB_SOFT_S = 0.016  # joints move below about 8 Hz (Winter 2009, ch. 3: gait below 6 Hz)
DROP_A = -3500.0  # hips just after extension, mm/s2
FREE_A, LATE_A = -6500.0, -9700.0  # bar acceleration at extension and at its peak, mm/s2


@dataclass(frozen=True)
class Timeline:
    """When things happen, seconds from the first sample; ``events`` by contract name."""

    release: float
    extension: float
    peak: float
    catch: float
    bottom: float
    standing: float
    end: float
    power: float | None = None


@dataclass(frozen=True)
class SimMotion:
    """A rep at 1 kHz: ``t_s`` (N,), ``bar`` and each joint (N, 2), mm from the floor.

    ``lift`` is its id, ``shown`` the same on its axes, ``faults`` the sizes dialled in;
    ``timeline`` is None where the motion is drawn between key poses.
    """

    lift: str
    shown: Shown
    faults: dict[str, float]
    body: Body
    t_s: FloatArray
    bar: FloatArray
    joints: dict[str, FloatArray]
    timeline: Timeline | None


@dataclass(frozen=True)
class _Pull:
    path: PullPath
    t: FloatArray
    bump_t0: float


def _bump_mm(recipe: Recipe, t: FloatArray, contact: float) -> FloatArray:
    """Forward travel that the bar is given, mm, over time; ``contact`` is when it is met."""
    bumped, loop = recipe.size("bar-bumped-forward"), recipe.size("forward-loop")
    rise = 0.15 + 0.07 * min(loop, 1.0)
    low = 85.0 * recipe.size("low-contact")
    bump = (76.0 * bumped + 88.0 * loop + low) * pulse(t, contact, contact + rise)
    drift = recipe.size("bar-away-from-hip")
    return np.asarray(bump + 95.0 * drift * pulse(t, contact - 0.1, contact + 0.12))


def _make_pull(body: Body, recipe: Recipe, speed: float, keys: PullKeys) -> tuple[_Pull, float]:
    path = pull_path(body, recipe, keys)
    times, accel = pull_times(path, recipe, speed)
    t0 = float(np.interp(max(2.0, recipe.start_s + 0.02), path.s, times))
    path = pull_path(body, recipe, keys, _bump_mm(recipe, times, t0))
    times, accel = pull_times(path, recipe, speed)
    return _Pull(path, times, t0), accel


def _bar_flight(release: State, finish_s: float) -> tuple[State, float, State]:
    """Bar height state at extension, time from there to the peak, state at the peak."""
    ext = after_ramp(release, finish_s, FREE_A)
    rise_s = -2.0 * ext.v / (FREE_A + LATE_A)
    return ext, rise_s, after_ramp(ext, rise_s, LATE_A)


def _peak_height(body: Body, recipe: Recipe, speed: float, keys: PullKeys) -> float:
    pull, accel = _make_pull(body, recipe, speed, keys)
    y = float(pull.path.bar[-1, 1])
    release = State(y, speed * 1000.0, accel * 1000.0)
    return _bar_flight(release, FINISH_S[recipe.shape.family])[2].x


def _release_speed(body: Body, recipe: Recipe, stance: Stance | None, keys: PullKeys) -> float:
    """Release speed, m/s, that lifts the bar just as high as the catch needs."""
    from scipy.optimize import brentq  # slow to load

    if stance is None:
        return recipe.shape.pull_speed * recipe.effort
    target = stance.bottom_bar_y + recipe.shape.sink + _drop(recipe)

    def miss(speed: float) -> float:
        return _peak_height(body, recipe, speed, keys) - target

    return float(brentq(miss, 0.5, 4.5, xtol=1e-4))


def _drop(recipe: Recipe) -> float:
    full = recipe.shape.bottom_knee is not None and recipe.shape.bottom_knee < 90
    return recipe.shape.catch_drop + (150.0 if full else 105.0) * recipe.size("bar-crash")


def build_motion(recipe: Recipe, own_body: Body | None = None) -> SimMotion:
    """Simulate one rep.

    Args:
        recipe: lift, stature, faults and start.
        own_body: an athlete's own lengths; else the average body of the recipe's stature.

    Returns:
        The motion at 1 kHz; origin on the floor below the standing ankle.

    Raises:
        BodyError: the stature cannot be.
        RecipeError: no pose of this body shows a fault of that size.
    """
    try:
        return _build(recipe, own_body)
    except ValueError as err:
        if isinstance(err, BodyError | RecipeError):
            raise
        # A solver found no pose that meets what was dialled.
        asked = ", ".join(f"{name}={size:g}" for name, size in recipe.faults.items()) or "no fault"
        raise RecipeError(
            f"a body of {recipe.stature_mm / 10:.0f} cm cannot show {asked} in a {recipe.lift}; "
            "give a smaller size"
        ) from err


def _build(recipe: Recipe, own_body: Body | None) -> SimMotion:
    body = own_body or body_from_stature(recipe.stature_mm)
    stance = None if recipe.shape.bottom_knee is None else Stance(body, recipe)
    keys = pull_keys(body, recipe)
    speed = _release_speed(body, recipe, stance, keys)
    pull, accel = _make_pull(body, recipe, speed, keys)
    release = State(float(pull.path.bar[-1, 1]), speed * 1000.0, accel * 1000.0)
    ext, rise_s, peak = _bar_flight(release, FINISH_S[recipe.shape.family])
    t_release = SET_S + float(pull.t[-1])
    t_ext = t_release + FINISH_S[recipe.shape.family]
    t_peak = t_ext + rise_s
    if stance is None:
        return _finish_pull(body, recipe, pull, release, ext, peak, (t_release, t_ext, t_peak))
    drop, sink = _drop(recipe), recipe.shape.sink
    fall_s = float(np.sqrt(drop / (-LATE_A / 3000.0) / 1000.0))
    v_catch = LATE_A * fall_s / 2.0
    t_catch = t_peak + fall_s
    brake_s = 1.5 * sink / -v_catch
    t_bottom = t_catch + brake_s
    t_stand = t_bottom + recipe.shape.recovery_s
    power = SET_S + pull.bump_t0
    line = Timeline(t_release, t_ext, t_peak, t_catch, t_bottom, t_stand, t_stand + HOLD_S, power)
    t = np.arange(0.0, line.end, 1.0 / RATE_HZ)
    bottom = State(stance.bottom_bar_y, 0.0, -2.0 * v_catch / brake_s)
    bar_y = np.select(
        [t < t_release, t < t_ext, t < t_peak, t < t_catch, t < t_bottom],
        [
            np.interp(t - SET_S, pull.t, pull.path.bar[:, 1]),
            ramp_accel(t, t_release, t_ext, release, FREE_A),
            ramp_accel(t, t_ext, t_peak, ext, LATE_A),
            ramp_accel(t, t_peak, t_catch, peak, 0.0),
            ramp_accel(t, t_catch, t_bottom, State(bottom.x + sink, v_catch), bottom.a),
        ],
        quintic(t, t_bottom, t_stand, bottom, State(stance.standing_bar_y)),
    )
    return _with_body(body, recipe, pull, stance, line, t, bar_y)


def _slopes(values: FloatArray, t: float, after: bool) -> State:
    """State of a sampled curve just after (or before) time t."""
    i = round(t * RATE_HZ) + (2 if after else -2)
    i = min(max(i, 2), len(values) - 3)
    h = 1.0 / RATE_HZ
    v = (values[i + 1] - values[i - 1]) / (2 * h)
    a = (values[i + 1] - 2 * values[i] + values[i - 1]) / h**2
    lag = t - i * h
    return State(float(values[i] + v * lag), float(v), float(np.clip(a, -4000, 4000)))


def _body_in_pull(
    body: Body, recipe: Recipe, pull: _Pull, t: FloatArray, line: Timeline
) -> dict[str, FloatArray]:
    """Pose channels from the set to full extension (held constant afterwards)."""
    end = finish_pose(body, recipe, 1.0)
    out: dict[str, FloatArray] = {}
    targets = {"lean": end.lean, "knee": end.knee, "trunk": end.trunk, "heel": end.heel}
    targets["shrug"] = 60.0
    for name, goal in targets.items():
        values = getattr(pull.path, name)
        before = np.interp(t - SET_S, pull.t, values)
        rate = float((values[-1] - values[-8]) / (pull.t[-1] - pull.t[-8]))
        gap = goal - float(values[-1])
        # A rate that would carry past the goal is softened: extension must not overshoot.
        most = 2.2 * gap / (line.extension - line.release)
        rate = float(np.clip(rate, min(0.0, most), max(0.0, most)))
        ending = quintic(
            t, line.release, line.extension, State(float(values[-1]), rate), State(goal)
        )
        out[name] = np.where(t < line.release, before, ending)
    return out


def _softened(values: FloatArray) -> FloatArray:
    """Limbs have mass: no channel of the body changes its speed from one moment to the next."""
    from scipy.ndimage import gaussian_filter1d  # slow to load

    return np.asarray(gaussian_filter1d(values, LIMB_SOFT_S * RATE_HZ, axis=0, mode="nearest"))


def _with_body(
    body: Body,
    recipe: Recipe,
    pull: _Pull,
    stance: Stance,
    line: Timeline,
    t: FloatArray,
    bar_y: FloatArray,
) -> SimMotion:
    back, off = recipe.feet
    shift = -back - 150.0 * recipe.size("jump-back")
    shift += 100.0 * recipe.size("jump-forward") + 30.0 * recipe.size("forward-loop")
    ch = _body_in_pull(body, recipe, pull, t, line)
    foot0 = place_foot(body, np.zeros_like(t), np.zeros_like(t), ch["heel"])
    knee, hip = leg_points(body, foot0.ankle, ch["lean"], ch["knee"])

    pose = stance_at(stance, bar_y, shift)
    hip_x, hip_y, trunk = hip[:, 0].copy(), hip[:, 1].copy(), ch["trunk"].copy()
    go = t > line.extension
    landed = t >= line.catch
    i_ext = round(line.extension * RATE_HZ)
    curves = []
    # Once extended the hips go down at once: nothing holds them up any more.
    for own, later, accel in (
        (hip_x, pose.hip[:, 0], 0.0),
        (hip_y, pose.hip[:, 1], DROP_A),
        (trunk, pose.trunk, 0.0),
    ):
        arrive = _slopes(later, line.catch, after=True)
        leave = State(float(own[i_ext]), 0.0, accel)
        under = quintic(t, line.extension, line.catch, leave, arrive)
        curves.append(np.where(landed, later, np.where(go, under, own)))
    hip = _softened(np.stack(curves[:2], -1))
    trunk = _softened(curves[2])
    settle = smoothstep(t, line.extension + 0.02, line.extension + 0.25)
    heel = _softened(ch["heel"] * (1.0 - settle))
    shrug = _softened(ch["shrug"] * (1.0 - settle))
    middle = line.extension + 0.64 * (line.catch - line.extension)
    flight = hump(t, middle - 0.1, middle + 0.1)
    foot = place_foot(
        body, shift * smoothstep(t, line.extension + 0.06, line.catch - 0.03), off * flight, heel
    )
    knee = two_link(foot.ankle, hip, body.shank, body.thigh, 1.0)
    shoulder = hip + (body.trunk + shrug)[:, None] * unit(trunk)

    bar_x = _bar_x(recipe, pull, line, t, shoulder[:, 0] + pose.bar_dx)
    bar = np.stack([bar_x, bar_y], -1)
    joints = {"shoulder": shoulder, "hip": hip, "knee": knee}
    joints |= _arms(body, recipe, stance, line, t, shoulder, bar)
    return _assemble(body, recipe, t, bar, joints, foot, trunk, line)


def _bar_x(
    recipe: Recipe, pull: _Pull, line: Timeline, t: FloatArray, rack_x: FloatArray
) -> FloatArray:
    """Bar x: on the path, then a free arc with the bump's forward swing into the rack."""
    from scipy.ndimage import gaussian_filter1d  # slow to load

    start = line.release
    bump = _bump_mm(recipe, t, SET_S + pull.bump_t0)
    plain = np.interp(t - SET_S, pull.t, pull.path.bar[:, 0]) - bump
    i = round(start * RATE_HZ)
    leave = _slopes(plain, start, after=False)
    leave = State(float(plain[min(i, len(plain) - 1)]), leave.v)
    fade = 1.0 - smoothstep(t, line.peak - 0.05, line.catch)
    arrive = _slopes(rack_x, line.catch, after=True)
    free = quintic(t, start, line.catch, leave, arrive)
    x = np.select([t < start, t < line.catch], [plain + bump, free + bump * fade], rack_x)
    return np.asarray(gaussian_filter1d(x, SOFT_S * RATE_HZ, mode="nearest"))


def _arms(
    body: Body,
    recipe: Recipe,
    stance: Stance | None,
    line: Timeline,
    t: FloatArray,
    shoulder: FloatArray,
    bar: FloatArray,
) -> dict[str, FloatArray]:
    """Elbow and wrist. Bent arms turn out of the plane after extension and look shorter."""
    scale = recipe.shape.arm_scale
    upper, lower = body.upper_arm * scale, (body.forearm + body.hand) * scale
    bent = two_link(shoulder, bar, upper, lower, 1.0)
    share = upper / (upper + lower)
    straight = shoulder + share * (bar - shoulder)
    end = line.catch if stance is not None else line.end
    out = 0.65 * smoothstep(t, line.extension, line.extension + 0.2)
    if stance is not None and stance.overhead:
        out = out * (1.0 - smoothstep(t, line.catch - 0.08, line.catch))
    elbow = bent + out[:, None] * (straight - bent)
    fold = np.zeros_like(t)
    if stance is not None and not stance.overhead:
        racked = smoothstep(t, line.peak - 0.06, end)
        angle = stance.elbow_deg(bar[:, 1])
        in_rack = shoulder + body.upper_arm * unit(angle)
        elbow = elbow + racked[:, None] * (in_rack - elbow)
        fold = racked
    hand = (body.hand * scale * (1.0 - fold))[:, None]
    axis = elbow - bar
    length = np.maximum(np.linalg.norm(axis, axis=-1, keepdims=True), 1e-6)
    return {"elbow": elbow, "wrist": bar + axis / length * np.minimum(hand, 0.3 * length)}


def _assemble(
    body: Body,
    recipe: Recipe,
    t: FloatArray,
    bar: FloatArray,
    joints: dict[str, FloatArray],
    foot: object,
    trunk: FloatArray,
    line: Timeline,
) -> SimMotion:
    from keenkettle.lifter.poses import Foot

    assert isinstance(foot, Foot)
    head = 90.0 - 0.45 * (90.0 - trunk)
    joints = joints | {
        "ankle": foot.ankle,
        "heel": foot.heel,
        "toe": foot.toe,
        "ear": joints["shoulder"] + body.ear * unit(head),
    }
    return SimMotion(recipe.lift, recipe.shown, recipe.faults, body, t, bar, joints, line)


def _finish_pull(
    body: Body,
    recipe: Recipe,
    pull: _Pull,
    release: State,
    ext: State,
    peak: State,
    times: tuple[float, float, float],
) -> SimMotion:
    """A pull that is not caught: the bar floats, comes back to the thighs, is held."""
    t_release, t_ext, t_peak = times
    back_s = 0.55
    t_stand = t_peak + back_s
    power = SET_S + pull.bump_t0
    line = Timeline(t_release, t_ext, t_peak, t_stand, t_stand, t_stand, t_stand + HOLD_S, power)
    t = np.arange(0.0, line.end, 1.0 / RATE_HZ)
    ch = _body_in_pull(body, recipe, pull, t, line)
    rest = smoothstep(t, t_ext, t_stand)
    stand = {"lean": 2.0, "knee": 178.0, "trunk": 90.0, "heel": 0.0, "shrug": 0.0}
    ch = {name: ch[name] + rest * (goal - ch[name]) for name, goal in stand.items()}
    # The knees give a little as the bar's weight comes back.
    ch["knee"] = ch["knee"] - 14.0 * hump(t, t_ext - 0.01, t_ext + 0.45)
    ch = {name: _softened(values) for name, values in ch.items()}
    back, off = recipe.feet
    shift = -back - 150.0 * recipe.size("jump-back") + 100.0 * recipe.size("jump-forward")
    foot = place_foot(
        body,
        shift * smoothstep(t, t_ext + 0.06, t_peak + 0.1),
        0.7 * off * hump(t, t_ext + 0.05, t_ext + 0.2),
        ch["heel"],
    )
    knee, hip = leg_points(body, foot.ankle, ch["lean"], ch["knee"])
    shoulder = hip + (body.trunk + ch["shrug"])[:, None] * unit(ch["trunk"])
    hang_x = float(hip[-1, 0]) + 100.0
    reach = float(arm_reach(body, recipe, np.array([177.0]))[0])
    hang_y = float(shoulder[-1, 1] - np.sqrt(reach**2 - (hang_x - shoulder[-1, 0]) ** 2))
    bar_y = np.select(
        [t < t_release, t < t_ext, t < t_peak],
        [
            np.interp(t - SET_S, pull.t, pull.path.bar[:, 1]),
            ramp_accel(t, t_release, t_ext, release, FREE_A),
            ramp_accel(t, t_ext, t_peak, ext, LATE_A),
        ],
        quintic(t, t_peak, t_stand, peak, State(hang_y)),
    )
    bar_x = _bar_x(recipe, pull, line, t, np.full_like(t, hang_x))
    bar = np.stack([bar_x, bar_y], -1)
    joints = {"shoulder": shoulder, "hip": hip, "knee": knee}
    joints |= _arms(body, recipe, None, line, t, shoulder, bar)
    return _assemble(body, recipe, t, bar, joints, foot, ch["trunk"], line)
