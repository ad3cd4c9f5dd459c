"""Lifts between key poses as reps to be filmed, with faults dialled into the poses.

Jerks, presses, squats, hinges, dumbbell and kettlebell lifts. A fault of size 1 is meant to
stand near its "fix" limit, as in ``recipe``; the truth always carries what was really made.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from keenkettle.lifter.body import body_from_stature
from keenkettle.lifter.curves import smoothstep
from keenkettle.lifter.demonstrate import EFFORT, SNATCH_ARM, draw, keys_of, simulated_shape
from keenkettle.lifter.keys import OVER, RACKED, Key, stand
from keenkettle.lifter.motion import RATE_HZ, SimMotion, build_motion
from keenkettle.lifter.recipe import FAULTS, STARTS, Recipe, RecipeError, Shown
from keenkettle.measure.geometry import FloatArray

STILL_S = 0.6
DRAWN_FAULTS = (
    "dip-forward", "dip-too-deep", "rebend-in-push-press", "bar-ahead-overhead",
    "front-shin-off-vertical", "rear-knee-locked", "implement-swings-wide",
)  # fmt: skip
CLEAN_TO_JERK_S = 0.9
TURN_S, HELD_S = 0.4, 1.6  # of a muscle clean or snatch: elbows round, and held
DEEPER_TIMES = 0.6  # so much longer a dip and drive of twice the depth take


def simulate(
    lift: str, shown: Shown, stature_mm: float, faults: dict[str, float] | None = None
) -> SimMotion:
    """One rep of any lift of the catalogue.

    Args:
        lift: its id.
        shown: the same on its axes.
        stature_mm: average body of this stature.
        faults: sizes by fault id.

    Raises:
        RecipeError: a fault cannot be dialled into this lift.
        BodyError: the stature cannot be.
    """
    faults = faults or {}
    if lift == "clean-and-jerk":
        return _clean_and_jerk(shown, stature_mm, faults)
    shape = simulated_shape(shown)
    if shape is not None:
        start = shown.start if shown.start in STARTS else "floor"
        effort = EFFORT.get((shown.family, shown.ends), 1.0)
        made = build_motion(Recipe(shape, stature_mm, faults, start, effort=effort))
        return replace(made, lift=lift, shown=shown)
    if shown.ends == "muscle" and shown.start != "tall" and shown.implement == "barbell":
        return _muscle(lift, shown, stature_mm, faults)
    return _drawn(lift, shown, stature_mm, faults)


def _drawn(lift: str, shown: Shown, stature_mm: float, faults: dict[str, float]) -> SimMotion:
    for name, size in faults.items():
        if name not in DRAWN_FAULTS:
            raise RecipeError(
                f"fault '{name}' cannot be dialled into {lift}; "
                f"choose one of {', '.join(DRAWN_FAULTS)}"
            )
        if not 0.0 <= size <= 3.0:
            raise RecipeError(f"fault '{name}' has size {size:g}; give 0 to 3")
    body = body_from_stature(stature_mm)
    poses = [_faulty(k, shown, faults) for k in keys_of(shown)]
    poses = [poses[0].at(0.0), poses[0].at(STILL_S), *poses[1:], poses[-1].at(STILL_S)]
    wide = shown.family == "snatch" and shown.implement in ("barbell", "stick")
    made = draw(poses, body, SNATCH_ARM if wide else 1.0, shown.implement, RATE_HZ)
    return SimMotion(lift, shown, faults, body, made.t_s, made.hand, made.joints, None)


def _faulty(key: Key, shown: Shown, faults: dict[str, float]) -> Key:
    """A key pose with the faults that arise in it."""
    size = faults.get
    overhead = key.hand[1] > 0.8
    dipping = key.stop == "bottom of the dip"
    deep = size("dip-too-deep", 0.0)
    if dipping or key.stop == "drive":
        key = replace(key, after_s=key.after_s * (1.0 + DEEPER_TIMES * deep))
    if dipping:
        tilt = size("dip-forward", 0.0)
        key = replace(
            key,
            trunk=key.trunk - 11.0 * tilt,
            lean=key.lean + 3.0 * tilt + 17.0 * deep,  # straight down, over the foot
            knee=key.knee - 38.0 * deep,
        )
    if overhead and shown.ends == "push-press":
        bend = 26.0 * size("rebend-in-push-press", 0.0) * (key.stop == "overhead")
        key = replace(key, knee=key.knee - bend, lean=key.lean + 0.5 * bend)
    if overhead:
        hand = (key.hand[0] + 0.19 * size("bar-ahead-overhead", 0.0), key.hand[1])
        key = replace(key, hand=hand)
    if key.split > 0.2:
        key = replace(
            key,
            lean=key.lean + 22.0 * size("front-shin-off-vertical", 0.0),
            split=key.split * (1.0 + 0.28 * size("rear-knee-locked", 0.0)),
        )
    if shown.implement in ("dumbbell", "kettlebell") and key.stop in ("extension", "elbow high"):
        wide = 0.32 * size("implement-swings-wide", 0.0)
        key = replace(key, hand=(key.hand[0] + wide, key.hand[1] + 0.5 * wide))
    return key


def _muscle(lift: str, shown: Shown, stature_mm: float, faults: dict[str, float]) -> SimMotion:
    """A high pull, and the bar turned over on legs that stay straight."""
    high = simulate(lift, replace(shown, ends="high-pull"), stature_mm, faults)
    assert high.timeline is not None
    top = round(high.timeline.peak * RATE_HZ)
    goal = stand(OVER) if shown.family == "snatch" else stand(RACKED, 1.0)
    arm = SNATCH_ARM if shown.family == "snatch" else 1.0
    held = draw([goal.at(0.0), goal.at(HELD_S)], high.body, arm, shown.implement, RATE_HZ)
    ease = smoothstep(np.arange(round(TURN_S * RATE_HZ)) / RATE_HZ, 0.0, TURN_S)[:, None]

    def turned(a: FloatArray, b: FloatArray) -> FloatArray:
        return np.concatenate([a[:top], a[top] + ease * (b[0] - a[top]), b])

    joints = {n: turned(xy, held.joints[n]) for n, xy in high.joints.items()}
    bar = turned(high.bar, held.hand)
    t = np.arange(len(bar)) / RATE_HZ
    return SimMotion(lift, shown, faults, high.body, t, bar, joints, None)


def _clean_and_jerk(shown: Shown, stature_mm: float, faults: dict[str, float]) -> SimMotion:
    """A clean, a breath, and a split jerk from where the clean ended."""
    own = {k: v for k, v in faults.items() if k in FAULTS}
    later = {k: v for k, v in faults.items() if k not in FAULTS}
    clean = build_motion(Recipe("clean", stature_mm, own))
    jerk = _drawn("split-jerk", Shown("jerk", "barbell", "rack", "split-catch"), stature_mm, later)
    gap = round(CLEAN_TO_JERK_S * RATE_HZ)
    ease = 0.5 - 0.5 * np.cos(np.linspace(0.0, np.pi, gap))[:, None]

    def chained(a: FloatArray, b: FloatArray) -> FloatArray:
        return np.concatenate([a, a[-1] + ease * (b[0] - a[-1]), b])

    joints = {}
    for name, xy in jerk.joints.items():
        before = clean.joints.get(name, clean.joints.get(name.removesuffix("_rear")))
        assert before is not None
        joints[name] = chained(before, xy)
    bar = chained(clean.bar, jerk.bar)
    t = np.arange(len(bar)) / RATE_HZ
    return SimMotion("clean-and-jerk", shown, faults, clean.body, t, bar, joints, None)
