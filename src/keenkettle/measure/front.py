"""Measures of a rep filmed from the front: slope of the bar, both elbows, feet and knees.

Widths are compared with the athlete's own shoulders and hips on the same film, so the scale
matters little. World: mm, x to the right on the picture, y up. Limits are judged elsewhere.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter, uniform_filter
from scipy.signal import butter, filtfilt

from keenkettle.measure.events import Events
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import Motion
from keenkettle.measure.sheet import NOT_THIS_LIFT, UNITS, Measure, Measures

HELD_S = 0.25  # the bar's slope is that of so long from the catch on
MOST_SPREAD_DEG = 1.5  # a slope that is not steady is of something else
LAND_S, STAND_S = 0.08, 0.6  # feet are read between these times after the catch
BREADTH = 1.12  # breadth between the bony points over that between the shoulder joints
TURN_S, SETTLED_S = 0.6, 0.25  # arms are shortest so long before the catch, straight after
NEAR_BAR_MM = 260.0  # a line further from the hand is not the bar
LEVELS, LEVEL_COUNT = (0.76, 0.92), 7  # of the way from bent to straight, where both are timed
CALM_S, SLOW_S = 0.1, 0.5  # over which shoulders are taken: their middle, and how they differ
LEAST_STRETCH = 0.15  # of the straight arm: less bent than this tells nothing
WORST_FRAMES = 5  # the worst of a measure is the median of so many frames in a row
KNEES_S = 0.2  # or of so long, where the net takes one leg for the other for some frames
SLOPE_SIGMA_DEG = 0.6  # of the slope over HELD_S, by benchmarks/front
CAMERA_SHARE = 0.3  # how roughly a camera's distance is known
WIDTH_SIGMA = 0.06  # of a width's share of the shoulders, half of it the net's idea of those
KNEE_SIGMA_MM = 14.0
#: Toes ahead of the ankle, shares of the shank (``segments.SEGMENT_SHARE``, the ankle's height
#: above the toes taken off); by so much the feet of a pair may not point alike, tan of 3 degrees.
TOES_AHEAD, TURN_SD = 0.43, 0.05
FEET_TELL_MM = 10.0
LOCK_SIGMA_FRAMES = 1.0
LEAST_SAMPLES = 12  # the filter needs so many
CALM_HZ = 3.5  # cut-off for the hands' height
RECEIVED_S = 0.35  # after its highest point the bar is received within so long
BENT = 0.86  # hips over the ankles, share of standing: below it the knees bear the squat
STILL_FRAMES = 9  # at the start of a rep, from which the bar's resting slope is read
NO_BAR, NO_JOINTS, NO_EVENT, NOT_DEEP, NOT_BENT, NOT_TIMED = (
    "the bar could not be told from the room",
    "needs both sides of the body in view",
    "the catch was not seen",
    "the knees were not bent far enough to tell",
    "the arms were never bent",
    "the arms' straightening could not be timed",
)


@dataclass(frozen=True)
class Ending:
    """How a lift ends, as far as both sides are judged by it.

    Attributes:
        received: the bar is caught or locked out; squats and pulls have no such moment.
        overhead: it is overhead then.
        landed: the feet may have left the ground and land; else knees count from the beginning.
        split: the feet are split.
    """

    received: bool
    overhead: bool
    landed: bool
    split: bool


def front_events(m: Motion, first: int, last: int) -> Events:
    """When the bar rises fastest, is highest, and is received; from the hands' height alone.

    Hands are found too roughly for the finer events of a side view.

    Args:
        m: motion; only its times, s, and the bar's height, mm, count.
        first, last: samples of the rep.

    Returns:
        Sample by event; the lift-off alone where the rep is too short.
    """
    if last - first < LEAST_SAMPLES:
        return {"lift_off": first}
    fps = 1.0 / m.spacing_s
    b, a = butter(2, min(CALM_HZ / (0.5 * fps), 0.9))
    part = slice(first, last + 1)
    y = filtfilt(b, a, m.bar[part, 1])
    v = np.gradient(y, m.t_s[part])
    fast = int(np.argmax(v))
    turned = np.flatnonzero(v[fast:] <= 0.0)
    top = fast + int(turned[0]) if len(turned) else int(np.argmax(y))
    soon = min(top + round(RECEIVED_S * fps), len(y) - 1)
    # Where the bar falls, it is received when it falls no more.
    caught = top + int(np.argmin(y[top : soon + 1])) if soon > top else top
    return {
        "lift_off": first,
        "peak_velocity": first + fast,
        "peak_height": first + top,
        "catch": first + caught,
        "lockout": first + caught,
    }


def measure_front(
    m: Motion,
    events: Events,
    first: int,
    last: int,
    ending: Ending,
    camera_mm: float,
) -> Measures:
    """All measures of one rep.

    Args:
        m: motion whose joints are both sides' ("left_knee"), and "bar_left", "bar_right".
        events: of the rep; the catch or the lockout matter most, the bottom of a squat, and the
            highest point of a pull.
        first, last: samples of the rep.
        ending: how the lift ends.
        camera_mm: from the camera to the athlete, roughly.

    Returns:
        Each measure with its standard deviation, or None with the reason; units in ``UNITS``.
    """
    at = judged_at(events, ending)
    begins = at if ending.landed else first
    made: Measures = {}
    for name, read, since, wanted in (
        ("bar_slope", partial(_slope, camera_mm=camera_mm), at, True),
        ("elbow_gap", _elbows, at, ending.overhead),
        ("landing_width", _landing, at, ending.landed and not ending.split),
        ("knee_inside", _knees, begins, not ending.split),
        ("split_width", _split, at, ending.split),
    ):
        if not wanted:
            made[name] = not_seen(name, NOT_THIS_LIFT)
        elif since is None:
            made[name] = not_seen(name, NO_EVENT)
        else:
            made[name] = read(m, since, first, last)
    return made


def judged_at(events: Events, ending: Ending) -> int | None:
    """Sample at which the bar was received; of squats the bottom, of pulls the highest point."""
    names = ("catch", "lockout") if ending.received else ("bottom", "peak_height")
    return next((i for i in map(events.get, names) if i is not None), None)


def not_seen(name: str, why: str) -> Measure:
    """A measure without a value, and why."""
    return Measure(None, 0.0, UNITS[name], why=why)


def _window(m: Motion, received: int, last: int, low_s: float, high_s: float) -> NDArray[np.int64]:
    t = m.t_s - m.t_s[received]
    return np.flatnonzero((t >= low_s) & (t <= high_s) & (np.arange(len(t)) <= last))


def _slope(m: Motion, received: int, first: int, last: int, camera_mm: float) -> Measure:
    """Slope of the bar after it was received, less that with which it lay or hung before.

    Where the camera is not straight ahead, one end of the bar is nearer to it and rises more on
    the picture.
    """
    if not m.has("bar_left", "bar_right"):
        return not_seen("bar_slope", NO_BAR)
    d = m.joints["bar_right"] - m.joints["bar_left"]
    slope = _folded(np.degrees(np.arctan2(d[:, 1], d[:, 0])))
    held = _window(m, received, last, 0.0, HELD_S)
    still = np.arange(first, min(first + STILL_FRAMES, received))
    if np.isfinite(slope[held]).sum() <= 2 or np.isfinite(slope[still]).sum() <= 2:
        return not_seen("bar_slope", NO_BAR)
    tilt = _folded(slope - np.nanmedian(slope[still]))
    value = float(np.nanmedian(tilt[held]))
    spread = 1.48 * float(np.nanmedian(np.abs(tilt[held] - value)))
    if spread > MOST_SPREAD_DEG:
        return not_seen("bar_slope", NO_BAR)
    at = int(held[int(np.nanargmin(np.abs(tilt[held] - value)))])
    per_turn = float(np.degrees((m.bar[at, 1] - np.median(m.bar[still, 1])) / camera_mm))
    seen = -_facing_camera(m) * _turn(m) * per_turn
    sigmas = [SLOPE_SIGMA_DEG, 0.5 * spread, TURN_SD * per_turn, CAMERA_SHARE * seen]
    return Measure(abs(value - seen), float(np.linalg.norm(sigmas)), "deg", at)


def _folded(slope_deg: FloatArray) -> FloatArray:
    """Slopes of a line that has no direction, -90 to 90 degrees."""
    return np.asarray((slope_deg + 90.0) % 180.0 - 90.0)


def _elbows(m: Motion, received: int, first: int, last: int) -> Measure:
    """By how much one arm straightens after the other, at like shares of its length."""
    if not m.has(*(f"{s}_{j}" for s in ("left", "right") for j in ("shoulder", "wrist"))):
        return not_seen("elbow_gap", NO_JOINTS)
    long = [x / np.nanmedian(x[received : last + 1]) for x in _arms(m)]
    both = long[0] + long[1]
    early = np.arange(max(received - round(TURN_S / m.spacing_s), first), received + 1)
    until = min(received + round(SETTLED_S / m.spacing_s), last)
    if not np.isfinite(both[early[0] : until + 1]).all():
        return not_seen("elbow_gap", NO_JOINTS)
    short = int(early[int(np.argmin(both[early]))])
    part = slice(short, until + 1)
    deep = max(float(np.min(x[part])) for x in long)
    if deep > 1.0 - LEAST_STRETCH:
        return not_seen("elbow_gap", NOT_BENT)
    levels = deep + np.linspace(*LEVELS, LEVEL_COUNT) * (1.0 - deep)
    times = np.array([[crossing(m.t_s[part], x[part], at) for at in levels] for x in long])
    gaps = times[0] - times[1]
    if not np.isfinite(gaps).all():
        return not_seen("elbow_gap", NOT_TIMED)
    gap = float(np.median(gaps))
    spread = 1.48 * float(np.median(np.abs(gaps - gap)))
    sigma = float(np.hypot(LOCK_SIGMA_FRAMES * m.spacing_s, spread))
    return Measure(1000.0 * abs(gap), 1000.0 * sigma, "ms", received)


def _arms(m: Motion) -> tuple[FloatArray, FloatArray]:
    """From each shoulder to its hand, mm.

    How the arms differ is told by the bar, which is found far better than shoulders are: those
    count as they are on the whole.
    """
    left, right = (m.joints[f"{side}_shoulder"] for side in ("left", "right"))
    middle = calm(0.5 * (left + right), CALM_S, m.spacing_s)
    half = calm(0.5 * (left - right), SLOW_S, m.spacing_s)
    arms = []
    for side, shoulder in (("left", middle + half), ("right", middle - half)):
        hand = _hand(m, side)
        hand[:, 0] = calm(hand[:, :1], SLOW_S, m.spacing_s)[:, 0]
        arms.append(np.linalg.norm(hand - shoulder, axis=1))
    return arms[0], arms[1]


def calm(xy: FloatArray, over_s: float, spacing_s: float) -> FloatArray:
    """Points (N, k) without jumps and noise that are shorter than a time; NaN stays."""
    known = np.flatnonzero(np.isfinite(xy[:, 0]))
    out = np.full_like(xy, np.nan)
    if len(known):
        own = xy[known[0] : known[-1] + 1]
        size = (2 * round(0.5 * over_s / spacing_s) + 1, 1)
        out[known[0] : known[-1] + 1] = uniform_filter(median_filter(own, size), size)
    return out


def _hand(m: Motion, side: str) -> FloatArray:
    """A wrist, at the bar's height where the bar is seen: hands are found more roughly."""
    wrist = m.joints[f"{side}_wrist"].copy()
    if not m.has("bar_left", "bar_right"):
        return wrist
    a, b = m.joints["bar_left"], m.joints["bar_right"]
    apart = b[:, 0] - a[:, 0]
    apart = np.where(np.abs(apart) < 1.0, np.nan, apart)
    share = (wrist[:, 0] - a[:, 0]) / apart
    on_bar = a[:, 1] + share * (b[:, 1] - a[:, 1])
    # The bar lies a little off the wrist; only how the two sides differ is wanted.
    other = m.joints[f"{'left' if side == 'right' else 'right'}_wrist"]
    near = np.abs(on_bar - wrist[:, 1]) < NEAR_BAR_MM
    middle = 0.5 * (wrist[:, 1] + other[:, 1])
    bar = a[:, 1] + 0.5 * (b[:, 1] - a[:, 1])
    wrist[near, 1] = (on_bar - bar + middle)[near]
    return wrist


def crossing(t_s: FloatArray, values: FloatArray, level: float) -> float:
    """When values (N,) first become greater than a level, s; NaN where they do not."""
    own = np.maximum.accumulate(values)
    i = int(np.searchsorted(own, level))
    if i == 0 or i == len(own):
        return float("nan")
    share = (level - own[i - 1]) / max(float(own[i] - own[i - 1]), 1e-9)
    return float(t_s[i - 1] + share * (t_s[i] - t_s[i - 1]))


def _landing(m: Motion, received: int, first: int, last: int) -> Measure:
    """Ankles apart after landing over the breadth of the athlete's own shoulders."""
    return _width(m, received, last, "landing_width", "shoulder", BREADTH)


def _split(m: Motion, received: int, first: int, last: int) -> Measure:
    return _width(m, received, last, "split_width", "hip", 1.0)


def _width(m: Motion, received: int, last: int, name: str, by: str, factor: float) -> Measure:
    """Ankles apart after landing over the athlete's own shoulders or hips."""
    if not m.has("left_ankle", "right_ankle", f"left_{by}", f"right_{by}"):
        return not_seen(name, NO_JOINTS)
    feet = _apart(m, "ankle")
    own = float(np.nanmedian(_apart(m, by))) * factor
    land = _window(m, received, last, LAND_S, STAND_S)
    if not np.isfinite(feet[land]).any() or own <= 0.0:
        return not_seen(name, NO_JOINTS)
    value = float(np.nanmedian(feet[land])) / own
    at = int(land[int(np.nanargmin(np.abs(feet[land] / own - value)))])
    return Measure(value, WIDTH_SIGMA * value, "1", at)


def _apart(m: Motion, joint: str) -> FloatArray:
    return np.abs(m.joints[f"left_{joint}"][:, 0] - m.joints[f"right_{joint}"][:, 0])


def _knees(m: Motion, begins: int, first: int, last: int) -> Measure:
    """How far a knee comes inside its ankle, the worse side, from a sample on."""
    if not m.has("left_knee", "right_knee", "left_ankle", "right_ankle"):
        return not_seen("knee_inside", NO_JOINTS)
    if not m.has("left_hip", "right_hip"):
        return not_seen("knee_inside", NO_JOINTS)
    middle = 0.5 * (m.joints["left_ankle"][:, 0] + m.joints["right_ankle"][:, 0])
    worst: tuple[float, int] | None = None
    high = np.zeros(len(m.t_s))
    for side in ("left", "right"):
        high += m.joints[f"{side}_hip"][:, 1] - m.joints[f"{side}_ankle"][:, 1]
    # On straight legs in a wide stance knees are inside the ankles of necessity.
    bent = high < BENT * np.nanquantile(high, 0.97)
    part = np.array([i for i in range(begins, last + 1) if bent[i]], np.int64)
    if len(part) < 2 * WORST_FRAMES:
        return not_seen("knee_inside", NOT_DEEP)
    ahead = _knees_ahead(m)
    shift = _turn(m) * ahead
    for side in ("left", "right"):
        out = np.sign(m.joints[f"{side}_ankle"][:, 0] - middle)
        inside = out * (m.joints[f"{side}_ankle"][:, 0] - m.joints[f"{side}_knee"][:, 0] + shift)
        found = worst_of(inside, part, np.nanmax, max(round(KNEES_S / m.spacing_s), WORST_FRAMES))
        if found is not None and (worst is None or found[0] > worst[0]):
            worst = found
    if worst is None:
        return not_seen("knee_inside", NO_JOINTS)
    value, at = worst
    sigmas = [KNEE_SIGMA_MM, m.scale_error * value, TURN_SD * float(ahead[at])]
    return Measure(value, float(np.linalg.norm(sigmas)), "mm", at)


def _facing_camera(m: Motion) -> float:
    """1 for somebody seen from the front, -1 from behind.

    A camera looks down on the floor, so what is nearer there is lower on the picture: toes or
    heels. Which shoulder is where counts where the feet do not tell; nets confuse those.
    """
    lower = [m.joints[f"{s}_heel"][:, 1] - m.joints[f"{s}_toe"][:, 1] for s in ("left", "right")
             if m.has(f"{s}_heel", f"{s}_toe")]  # fmt: skip
    told = float(np.nanmedian(lower)) if lower else 0.0
    if abs(told) < FEET_TELL_MM and m.has("left_shoulder", "right_shoulder"):
        left, right = m.joints["left_shoulder"], m.joints["right_shoulder"]
        told = float(np.nanmedian(left[:, 0] - right[:, 0]))
    return float(np.sign(told)) or 1.0


def _knees_ahead(m: Motion) -> FloatArray:
    """How far the knees are ahead of the ankles, mm, by the shanks' being seen shorter, (N,)."""
    shanks = np.array([m.joints[f"{side}_knee"] - m.joints[f"{side}_ankle"]
                       for side in ("left", "right")])  # fmt: skip
    seen = np.nanmean(np.abs(shanks[..., 1]), axis=0)
    long = float(np.nanquantile(seen, 0.97))
    return np.asarray(np.sqrt(np.maximum(long**2 - seen**2, 0.0)))


def _turn(m: Motion) -> float:
    """How much further right a thing is seen for being further ahead, by both feet.

    A camera that is not straight ahead sees one knee inside its ankle and the other outside.
    """
    if not m.has(*(f"{s}_{j}" for s in ("left", "right") for j in ("toe", "knee", "ankle"))):
        return 0.0
    feet = [m.joints[f"{s}_toe"][:, 0] - m.joints[f"{s}_ankle"][:, 0] for s in ("left", "right")]
    shank = [m.joints[f"{s}_knee"][:, 1] - m.joints[f"{s}_ankle"][:, 1] for s in ("left", "right")]
    long = float(np.nanquantile(np.nanmean(shank, axis=0), 0.97))
    return float(np.nanmedian(np.mean(feet, axis=0))) / max(TOES_AHEAD * long, 1.0)


def worst_of(
    values: FloatArray,
    part: NDArray[np.int64],
    pick: Callable[[FloatArray], float],
    frames: int = WORST_FRAMES,
) -> tuple[float, int] | None:
    """The worst of medians of so many frames, with its sample; None where too little is known."""
    own = values[part]
    if np.isfinite(own).sum() < frames:
        return None
    runs = np.lib.stride_tricks.sliding_window_view(own, frames)
    steady = np.median(runs, axis=1)
    if not np.isfinite(steady).any():
        return None
    value = float(pick(steady))
    i = int(np.nanargmin(np.abs(steady - value)))
    return value, int(part[i + frames // 2])
