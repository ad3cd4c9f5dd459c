"""Reps of a clip and the events of a rep, by the contract's definitions.

Indices count samples of the motion. An event that needs joints which are not tracked
is None.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.signal import savgol_filter

from keenkettle.measure.geometry import (
    BoolArray,
    FloatArray,
    hip_deg,
    included_deg,
    segment_distance,
)
from keenkettle.measure.motion import Motion, angle_sigma

REST_SPEED = 0.05  # m/s; slower is at rest
REST_S = 0.15
RESTS_SIGMAS = 3.0
FAST_RISE = 0.55  # m/s; a lift's pull is faster than this
MIN_RISE_MM = 150.0
HELD_S = 0.3
TURNS_M_S = 0.002  # a bar that is met at its highest and held there never falls
LIFT_OFF_MM, SWAY_MM, PAUSE_S = 3.0, 40.0, 0.1
DRIVE_S = 0.25  # the power position comes at most this long before extension
#: The drive ends near the bar's greatest speed; legs that straighten later drive nothing.
BEFORE_FASTEST_S, AFTER_FASTEST_S = 0.2, 0.08
TOP_SHARE = 1.2  # of the time in which the top falls by the legs' own error
AFTER_BAR_S, BAR_SD_S = 0.012, 0.030  # straight legs after the bar's greatest speed
LEG_ANGLES = (("knee", "hip", "shoulder"), ("ankle", "knee", "hip"))
TOP_S, TOP_DEG = 0.06, 12.0  # the flat top of the drive: so long to each side, so far below
SAME_DEG = 2.5  # leg angles this close to the straightest count as straight
REBEND_DEG = 2.0  # the knee must bend again by this much for a power position
SECOND_PULL_S = 0.16  # about how long it takes, where its beginning was not seen
THIGH_MM = 95.0  # bar centre to the thigh's line when they touch: half a thigh and half a bar
UNTOLD_MM = 60.0  # error of the thigh's line from which nobody knows when the bar met it
MEET_S = 0.05
LEAVES_MM, LEAVES_SIGMAS = 15.0, 1.0  # a bar that goes so far from the thigh again had met it
#: A bar that fell so fast, m/s, just before, and is fastest so soon after, was dropped and bounces.
DROPPED_M_S, BOUNCE_S, BOUNCE_MM = 2.5, 0.2, 150.0
CATCH_OVER_S, CATCH_SIGMAS = 0.13, 0.7
BELOW_KNEE_MM = 20.0  # a bar that starts no lower than this starts at the knee, not below
TOUCH_MM = 5.0  # within this of the closest approach counts as met

EVENT_NAMES = (
    "lift_off", "knee_pass", "power_position", "contact", "extension", "peak_velocity",
    "peak_height", "catch", "bottom", "standing",
)  # fmt: skip

Events = dict[str, int | None]


@dataclass(frozen=True)
class RepSpan:
    """A rep from its lift-off to its end, sample indices, end inclusive."""

    lift_off: int
    end: int


def at_rest(motion: Motion) -> BoolArray:
    """Mask, shape (N,): the bar has been slow for at least REST_S around this sample, as far as the
    error of its speed lets tell: a camera held by hand leaves it some way to go.
    """
    most = max(REST_SPEED, RESTS_SIGMAS * motion.speed_sigma)
    slow = np.hypot(motion.bar_v[:, 0], motion.bar_v[:, 1]) < most
    edges = np.flatnonzero(np.diff(np.concatenate([[0], slow.astype(int), [0]])))
    rest = np.zeros(len(slow), dtype=bool)
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        if motion.t_s[b - 1] - motion.t_s[a] >= REST_S or a == 0 or b == len(slow):
            rest[a:b] = True
    return rest


def find_reps(
    motion: Motion, fast_m_s: float = FAST_RISE, least_mm: float = MIN_RISE_MM
) -> list[RepSpan]:
    """Split a clip into pulls from a low rest (floor, block or static hang).

    Args:
        motion: the clip's bar.
        fast_m_s: a rise this fast is a pull.
        least_mm: a rep rises by at least this.
    """
    y, v = motion.bar[:, 1], motion.bar_v[:, 1]
    low, top = float(y.min()), float(y.max())
    if top - low < least_mm:
        return []
    rest = at_rest(motion)
    reps: list[RepSpan] = []
    i, n = 0, len(y)
    while i < n:
        fast = np.flatnonzero(v[i:] > fast_m_s)
        if len(fast) == 0:
            break
        first = i + int(fast[0])
        start = _lift_off(motion, rest, first, i)
        end = _rep_end(motion, rest, first, y[start])
        from_low = y[start] < low + 0.55 * (top - low) and not _bounces(motion, start, end)
        if from_low and y[first : end + 1].max() - y[start] > least_mm:
            reps.append(RepSpan(start, end))
        i = (
            max(
                end,
                first + int(np.argmax(v[first:] <= fast_m_s))
                if (v[first:] <= fast_m_s).any()
                else n,
            )
            + 1
        )
    return reps


def _bounces(motion: Motion, start: int, end: int) -> bool:
    """Whether the bar rises because it was dropped: at once, and fastest at the floor."""
    y, v = motion.bar[:, 1], motion.bar_v[:, 1]
    fell = v[(motion.t_s >= motion.t_s[start] - BOUNCE_S) & (motion.t_s <= motion.t_s[start])]
    fastest = start + int(np.argmax(v[start : end + 1]))
    return bool(fell.min() < -DROPPED_M_S and y[fastest] - y[start] < BOUNCE_MM)


def _lift_off(motion: Motion, rest: BoolArray, rising: int, floor: int) -> int:
    """Last sample within 3 mm of the rest height before the rise."""
    y = motion.bar[:, 1]
    still = np.flatnonzero(rest[floor:rising])
    if len(still):
        last = floor + int(still[-1])
        back = last
        while back > floor and rest[back - 1] and motion.t_s[last] - motion.t_s[back] < 0.3:
            back -= 1
        height = float(np.median(y[back : last + 1]))
    else:
        last = floor + int(np.argmin(y[floor : rising + 1]))
        height = float(y[last])
    near = np.flatnonzero(np.abs(y[last : rising + 1] - height) <= LIFT_OFF_MM)
    off = last + int(near[-1]) if len(near) else last
    return max(off, _swayed(motion, off, rising))


def _swayed(motion: Motion, off: int, rising: int) -> int:
    """The same where a hand's sway is left in the picture: the bar seems to creep from its rest,
    pauses, and then rises at once. The last sample of the pause; ``off`` where there is none.
    """
    y, v = motion.bar[:, 1], motion.bar_v[:, 1]
    slow = np.flatnonzero(v[off : rising + 1] <= REST_SPEED)
    pause = off + int(slow[-1]) if len(slow) else off
    crept = abs(float(y[pause] - y[off])) <= SWAY_MM
    return pause if crept and motion.t_s[pause] - motion.t_s[off] >= PAUSE_S else off


def _rep_end(motion: Motion, rest: BoolArray, rising: int, start_y: float) -> int:
    """Finish position held, or the bar gone back down, or the end of the clip."""
    y, v = motion.bar[:, 1], motion.bar_v[:, 1]
    peak = rising + int(np.argmax(v[rising:] <= 0)) if (v[rising:] <= 0).any() else len(y) - 1
    rise = y[peak] - start_y
    for j in range(peak, len(y)):
        if rest[j] and y[j] > start_y + 0.3 * rise:
            run = j
            while run + 1 < len(y) and rest[run + 1]:
                run += 1
            higher = y[run:].max() - y[run] > 120.0 and v[run:].max() > 0.15
            if higher and _recovers(motion, run, start_y):
                continue
            return run
        if y[j] < start_y + 0.12 * rise:
            return j
    return len(y) - 1


def _recovers(motion: Motion, run: int, start_y: float) -> bool:
    """Whether the bar rises again from here without going back down first."""
    y = motion.bar[run:, 1]
    climb = np.flatnonzero(y > y[0] + 120.0)
    return bool(len(climb)) and float(y[: climb[0] + 1].min()) > start_y + 0.5 * (y[0] - start_y)


def leg_angles(motion: Motion) -> tuple[FloatArray, FloatArray]:
    """Knee and hip angle, shape (N,), degrees; needs ankle, knee, hip, shoulder."""
    j = motion.joints
    knee = included_deg(j["ankle"], j["knee"], j["hip"])
    return knee, hip_deg(j["knee"], j["hip"], j["shoulder"])


def find_events(motion: Motion, rep: RepSpan, caught: bool) -> Events:
    """Find the events of one rep.

    Args:
        motion: bar and joints.
        rep: where the rep is.
        caught: whether the lift ends in a catch.

    Returns:
        Sample index for each of EVENT_NAMES, None where it was not measured.
    """
    ev: Events = dict.fromkeys(EVENT_NAMES)
    ev["lift_off"] = rep.lift_off
    y, v = motion.bar[:, 1], motion.bar_v[:, 1]
    span = slice(rep.lift_off, rep.end + 1)
    peak = _peak_height(y, v, rep)
    ev["peak_height"] = peak
    top = peak if peak is not None else rep.end
    ev["peak_velocity"] = rep.lift_off + int(np.argmax(v[rep.lift_off : top + 1]))
    if caught and peak is not None:
        _catch_events(motion, ev, rep, peak)
    rest = np.flatnonzero(at_rest(motion)[span])
    held = rest[rest + rep.lift_off > (ev["bottom"] or top)]
    if len(held):
        ev["standing"] = rep.lift_off + int(held[0])
    if motion.has("ankle", "knee", "hip", "shoulder"):
        _joint_events(motion, ev, top)
    return ev


def _peak_height(y: FloatArray, v: FloatArray, rep: RepSpan) -> int | None:
    fastest = rep.lift_off + int(np.argmax(v[rep.lift_off : rep.end + 1]))
    # The recovery of a deep catch may be as fast as the pull; the pull comes first.
    quick = np.flatnonzero(v[rep.lift_off : rep.end + 1] > FAST_RISE)
    if len(quick):
        fastest = rep.lift_off + int(quick[0])
    turned = np.flatnonzero(v[fastest : rep.end + 1] <= TURNS_M_S)
    if len(turned) == 0:
        return None
    i = fastest + int(turned[0])
    return i - 1 if y[i - 1] > y[i] else i


def _catch_events(motion: Motion, ev: Events, rep: RepSpan, peak: int) -> None:
    v = motion.bar_v[:, 1]
    falling = np.flatnonzero(v[peak + 1 : rep.end + 1] < -REST_SPEED)
    if len(falling) == 0:
        return
    begin = peak + 1 + int(falling[0])
    if motion.t_s[begin] - motion.t_s[peak] > HELD_S and at_rest(motion)[peak:begin].any():
        return  # it was met at its highest and held; what falls later is being lowered
    up = np.flatnonzero(v[begin : rep.end + 1] >= 0.0)
    bottom = begin + int(up[0]) if len(up) else rep.end
    if bottom > begin and abs(v[bottom - 1]) < abs(v[bottom]):
        bottom -= 1
    ev["bottom"] = bottom
    fall = v[peak : bottom + 1]
    ev["catch"] = peak + _first_fastest(fall, motion.speed_sigma, motion.spacing_s)


def _first_fastest(fall: FloatArray, sigma: float, spacing_s: float) -> int:
    """The first sample that is as fast downward as any, as far as an error ``sigma`` tells.

    A bar that is ridden down falls as fast for a while, and whatever shakes its track there would
    be the fastest moment; a parabola over several samples is shaken less.
    """
    wide = 2 * round(CATCH_OVER_S / spacing_s / 2) + 1
    if sigma > 0.0 and len(fall) > wide > 2:
        fall = np.asarray(savgol_filter(fall, wide, 2))
    return int(np.argmax(fall <= fall.min() + CATCH_SIGMAS * sigma))


def _joint_events(motion: Motion, ev: Events, top: int) -> None:
    j = motion.joints
    start = ev["lift_off"] or 0
    fastest = ev["peak_velocity"] or start
    above = motion.bar[start : top + 1, 1] - j["knee"][start : top + 1, 1]
    if above[0] < -BELOW_KNEE_MM and (above >= 0).any():
        ev["knee_pass"] = start + int(np.argmax(above >= 0))
    knee, hip = leg_angles(motion)
    begin = ev["knee_pass"] if ev["knee_pass"] is not None else start
    t = motion.t_s
    near = (t > t[fastest] - BEFORE_FASTEST_S) & (t < t[fastest] + AFTER_FASTEST_S)
    near &= np.arange(len(t)) >= begin
    total = np.where(near, knee + hip, -np.inf)
    total[~np.isfinite(total)] = -np.inf
    if not np.isfinite(total).any():
        return
    # Legs may straighten again later; the drive ends at the first of their straightest moments.
    inner = total[1:-1]
    peaks = 1 + np.flatnonzero((inner >= total[:-2]) & (inner > total[2:]))
    straight = peaks[total[peaks] >= total.max() - SAME_DEG]
    extension = int(straight[0]) if len(straight) else int(np.argmax(total))
    if motion.joint_sigma:
        apart = [angle_sigma(motion, extension, *names) for names in LEG_ANGLES]
        extension = _top_of(total, t, extension, fastest, float(np.linalg.norm(apart)))
    ev["extension"] = extension
    if extension - begin >= 3:
        # The drive is short; a knee bent more before it belongs to the first pull.
        inside = knee[begin : extension + 1]
        bent = np.fmax.accumulate(inside) - inside >= REBEND_DEG
        bent &= t[begin : extension + 1] >= t[extension] - DRIVE_S
        if bent.any():
            ev["power_position"] = begin + int(np.argmin(np.where(bent, inside, np.inf)))
    _contact(motion, ev, begin, extension)


def _top_of(total: FloatArray, t: FloatArray, peak: int, fastest: int, sigma_deg: float) -> int:
    """Where the legs are straightest, by a parabola through the flat top round a peak.

    Near the top noise moves the largest sample about; all samples of the top together do not.
    Where the legs are not known well, the bar tells too: it is fastest as the drive ends, a
    little before the legs are straight (Gourgoulis et al. 2000, J Sports Sci 18:643).
    """
    top = (np.abs(t - t[peak]) <= TOP_S) & (total >= total[peak] - TOP_DEG)
    part = np.flatnonzero(top)
    if len(part) < 4:
        return peak
    at = t[part] - t[peak]
    curve, slope, _ = np.polyfit(at, total[part], 2)
    if curve >= 0:
        return peak
    found = float(np.clip(-slope / (2.0 * curve), at[0], at[-1]))
    error = TOP_SHARE * float(np.sqrt(sigma_deg / -curve))
    by_bar = t[fastest] + AFTER_BAR_S - t[peak]
    w = BAR_SD_S**2 / (BAR_SD_S**2 + error**2)
    moment = t[peak] + w * found + (1.0 - w) * by_bar
    return int(np.argmin(np.abs(t - moment)))


def near_thigh(motion: Motion, ev: Events) -> slice | None:
    """Where it is not seen when the second pull began, and the bar was near the thigh by then: the
    samples on which they may have met; else None.
    """
    extension = ev.get("extension")
    if extension is None or ev.get("power_position") is not None:
        return None
    knee, start = ev.get("knee_pass"), ev.get("lift_off")
    begin = knee if knee is not None else start or 0
    window, gap, meets = _second_pull(motion, begin, extension, None)
    near = gap <= meets
    if not len(gap) or not near[0] or not _told(motion, window.start, extension):
        return None
    return slice(window.start, window.stop if near.all() else window.start + int(np.argmin(near)))


def _second_pull(
    motion: Motion, begin: int, extension: int, drive: int | None
) -> tuple[slice, FloatArray, float]:
    """Samples of the second pull, the bar's gap to the thigh's line on them, mm, and the gap at
    which they meet.
    """
    t = motion.t_s
    early = int(np.searchsorted(t, t[extension] - SECOND_PULL_S))
    first = max(begin, early) if drive is None else drive
    last = min(int(np.searchsorted(t, t[extension] + 0.03)), len(t) - 1)
    window = slice(first, max(last + 1, first))
    j = motion.joints
    gap = segment_distance(motion.bar[window], j["knee"][window], j["hip"][window])
    if len(gap) < 2 or not np.isfinite(gap).any():
        return window, gap[:0], 0.0
    return window, gap, max(float(np.nanmin(gap)) + TOUCH_MM, THIGH_MM)


def _told(motion: Motion, first: int, last: int) -> bool:
    """Whether the bar was seen all the while, and the thigh is known at the end."""
    seen = motion.seen is None or bool(motion.seen[first : last + 1].all())
    return seen and _sigma(motion, last) <= UNTOLD_MM


def _contact(motion: Motion, ev: Events, begin: int, extension: int) -> None:
    """First meeting of bar and thigh in the second pull, or the closest approach."""
    drive = ev["power_position"]
    window, gap, meets = _second_pull(motion, begin, extension, drive)
    if not len(gap) or (drive is None and gap[0] <= meets):
        return  # near the thigh all along: nobody knows where they met
    t, j, first = motion.t_s, motion.joints, window.start
    met = first + int(np.argmax(gap <= meets))
    if not _told(motion, first if drive is None else met, met):
        return  # somebody walked past, or it was behind something
    ev["contact"] = met
    if drive is not None and t[met] > t[drive] + MEET_S:
        # A bar that is knocked away at once is only near the thigh around the drive's start.
        low = max(begin, int(np.searchsorted(t, t[drive] - MEET_S)))
        near = slice(low, drive + 2)
        apart = segment_distance(motion.bar[near], j["knee"][near], j["hip"][near])
        closest = low + int(np.nanargmin(apart))
        error = _sigma(motion, closest)
        away = float(np.nanmax(gap[max(closest - first, 0) : met - first + 1]))
        told = away - float(np.nanmin(apart)) > LEAVES_MM + LEAVES_SIGMAS * error
        if np.nanmin(apart) <= THIGH_MM + 2.0 * TOUCH_MM + (error if told else 0.0):
            ev["contact"] = closest


def _sigma(motion: Motion, i: int) -> float:
    """Error of the thigh's line at a sample, mm; 0 on exact motion."""
    names = ("knee", "hip")
    return float(max(motion.joint_sigma[n][i] for n in names)) if motion.joint_sigma else 0.0
