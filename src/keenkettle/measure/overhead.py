"""Lifts from the shoulders: reps, events and measures of dip, drive and landing.

The origin of a rep is the bar at ``dip_start``. ``drive_end`` is where the bar is fastest: from
there the legs give nothing more. Events that need joints are None without them.
"""

from __future__ import annotations

import numpy as np

from keenkettle.measure.events import (
    EVENT_NAMES,
    FAST_RISE,
    LIFT_OFF_MM,
    Events,
    RepSpan,
    at_rest,
)
from keenkettle.measure.geometry import FloatArray, direction_deg, included_deg
from keenkettle.measure.motion import Motion, angle_sigma
from keenkettle.measure.peak_speed import put_peak_speed
from keenkettle.measure.receiving import feet, overhead_metrics
from keenkettle.measure.sheet import (
    NOT_THIS_LIFT,
    UNITS,
    Measure,
    Measures,
    RepContext,
    Sheet,
    inclination_sigma,
    line_sigma,
    sideways_sigma,
    sigma_at,
)

OVERHEAD_EVENTS = ("dip_start", "dip_bottom", "drive_end", "feet_land", "lockout", "recovered")
LEAST_DIP_MM, LEAST_RISE_MM = 45.0, 220.0
LONGEST_DIP_S = 1.0
HELD_S = 0.3
STRAIGHT_S = 0.15  # the legs are at their straightest so soon after the bar is fastest
#: Shares of the greatest speed: as fast, as far as film tells; and no longer driven.
AS_FAST, SLOWED = 0.96, 0.5
LOCKED_DEG = 170.0
LANDED_MM = 12.0
BROUGHT_DOWN_MM, STANDS_UP_MM = 300.0, 60.0
STEADY_SHARE = 0.5  # of a foot's error that is not the same all the while
LEFT_MM, AFTER_S = 60.0, 1.0  # a foot has left the hold; looked for so long after the recovery
ON_FLOOR_SIGMAS = 2.0  # toes in the hold are as high as each other
WHICH_WAY = "which way the athlete faces is not known; say so, or mark a hip"
FINISH_MM = 20.0  # the finish position is this close to where the bar is held at last


def find_overhead_reps(motion: Motion, least_mm: float = LEAST_RISE_MM) -> list[RepSpan]:
    """Reps that begin with a dip from the shoulders; ``lift_off`` of the span is its start.

    Args:
        motion: the clip's bar.
        least_mm: the bar rises above where it was held by at least this.
    """
    y, v, t = motion.bar[:, 1], motion.bar_v[:, 1], motion.t_s
    reps: list[RepSpan] = []
    i, n = 0, len(y)
    while i < n:
        fast = np.flatnonzero(v[i:] > FAST_RISE)
        if len(fast) == 0:
            break
        first = i + int(fast[0])
        slowed = np.flatnonzero(v[first:] <= 0.0)
        peak = first + int(slowed[0]) if len(slowed) else n - 1
        back = int(np.searchsorted(t, t[first] - LONGEST_DIP_S))
        low = max(back, i) + int(np.argmin(y[max(back, i) : first + 1]))
        start = _dip_start(motion, low, max(back - int(HELD_S / motion.spacing_s), i))
        deep = y[start] - y[low] >= LEAST_DIP_MM
        if deep and y[peak] - y[start] >= least_mm:
            end = _end(motion, peak)
            reps.append(RepSpan(start, end))
            i = end + 1
        else:
            i = peak + 1
    return reps


def _dip_start(motion: Motion, low: int, first: int) -> int:
    """Last sample within 3 mm of the height at which the bar was held before the dip."""
    y = motion.bar[:, 1]
    rest = at_rest(motion)[first : low + 1]
    still = np.flatnonzero(rest)
    height = float(np.median(y[first + still])) if len(still) else float(y[first : low + 1].max())
    near = np.flatnonzero(np.abs(y[first : low + 1] - height) <= LIFT_OFF_MM)
    return first + int(near[-1]) if len(near) else first + int(np.argmax(y[first : low + 1]))


def _end(motion: Motion, peak: int) -> int:
    """Last still sample overhead, before the bar is brought down again or the clip ends."""
    y = motion.bar[:, 1]
    down = np.flatnonzero(y[peak:] < y[peak] - BROUGHT_DOWN_MM)
    last = peak + int(down[0]) if len(down) else len(y) - 1
    still = np.flatnonzero(at_rest(motion)[peak : last + 1])
    if len(still) == 0:
        return last
    held = peak + int(still[-1])
    # Somebody who stands up after that was not seen to come to rest.
    return last if y[held : last + 1].max() - y[held] > STANDS_UP_MM else held


def overhead_events(motion: Motion, rep: RepSpan, caught: bool) -> Events:
    """Events of one rep from the shoulders, by the contract's names; None where not seen."""
    ev: Events = dict.fromkeys((*EVENT_NAMES, *OVERHEAD_EVENTS))
    y, v = motion.bar[:, 1], motion.bar_v[:, 1]
    a, b = rep.lift_off, rep.end
    ev["dip_start"] = a
    # Standing up from a deep catch may be faster than the drive; the drive comes first.
    rising = np.flatnonzero(v[a : b + 1] > FAST_RISE)
    first = a + int(rising[0]) if len(rising) else a
    slowed = np.flatnonzero(v[first : b + 1] <= 0.0)
    fast = a + _drive_s_end(v[a : first + int(slowed[0]) + 1 if len(slowed) else b + 1])
    ev["peak_velocity"] = ev["drive_end"] = fast
    ev["dip_bottom"] = a + int(np.argmin(y[a : fast + 1]))
    turned = np.flatnonzero(v[fast : b + 1] <= 0.0)
    peak = fast + int(turned[0]) if len(turned) else None
    ev["peak_height"] = peak
    if caught and peak is not None:
        lifted = np.flatnonzero(v[peak + 1 : b + 1] >= 0.0)
        falling = np.flatnonzero(v[peak + 1 : b + 1] < -0.05)
        if len(falling):
            begin = peak + 1 + int(falling[0])
            up = [peak + 1 + int(k) for k in lifted if peak + 1 + int(k) > begin]
            bottom = up[0] if up else b
            ev["bottom"] = bottom
            ev["catch"] = peak + int(np.argmin(v[peak : bottom + 1]))
    after = ev["bottom"] or peak or fast
    there = np.abs(y[after : b + 1] - y[b]) <= FINISH_MM
    rest = np.flatnonzero(at_rest(motion)[after : b + 1] & there)
    if len(rest):
        ev["standing"] = ev["recovered"] = after + int(rest[0])
    _joint_events(motion, ev, fast, b)
    return ev


def _drive_s_end(v: FloatArray) -> int:
    """Sample at which a bar driven upward is fastest, (N,) m/s: arms that push it on may make it as
    fast once more after it has slowed down, but the drive comes first.
    """
    top = float(v.max())
    reached = int(np.argmax(v >= AS_FAST * top))
    slowed = np.flatnonzero(v[reached + 1 :] < SLOWED * top)
    until = reached + 1 + int(slowed[0]) if len(slowed) else None
    return reached + int(np.argmax(v[reached:until]))


def _joint_events(motion: Motion, ev: Events, fast: int, end: int) -> None:
    j = motion.joints
    if motion.has("shoulder", "elbow", "wrist"):
        elbow = included_deg(j["shoulder"], j["elbow"], j["wrist"])
        locked = np.flatnonzero(elbow[fast : end + 1] >= LOCKED_DEG)
        if len(locked):
            ev["lockout"] = fast + int(locked[0])
    # A foot that is known no better than it is lifted cannot be seen to land.
    if motion.has("toe") and sigma_at(motion, fast, "toe") < LANDED_MM:
        start = ev["dip_start"] or 0
        floor = float(np.nanmedian(j["toe"][max(start - 5, 0) : start + 1, 1]))
        up = np.flatnonzero(j["toe"][fast : end + 1, 1] > floor + LANDED_MM)
        if len(up):
            down = np.flatnonzero(j["toe"][fast + up[0] : end + 1, 1] <= floor + LANDED_MM)
            if len(down):
                ev["feet_land"] = fast + int(up[0]) + int(down[0])


def measure_overhead_rep(ctx: RepContext) -> Measures:
    """Measure one rep from the shoulders: what such a lift can have; the rest says why not."""
    sheet = Sheet(ctx)
    _bar(sheet)
    _legs(sheet)
    _split(sheet)
    overhead_metrics(sheet)
    feet(sheet)
    for name, unit in UNITS.items():
        sheet.out.setdefault(name, Measure(None, 0.0, unit, None, NOT_THIS_LIFT))
    return sheet.out


def _bar(s: Sheet) -> None:
    m = s.ctx.motion
    x, y, v = m.bar[:, 0], m.bar[:, 1], m.bar_v[:, 1]
    noise = m.bar_sigma * float(np.sqrt(2.0))
    if at := s.needs("bar_peak_velocity", (), "peak_velocity"):
        put_peak_speed(s, at[0])
    if at := s.needs("bar_peak_height", (), "dip_start", "peak_height"):
        rise = float(y[at[1]] - y[at[0]])
        s.put("bar_peak_height", rise, np.hypot(noise, m.scale_error * rise), at[1])
    if at := s.needs("dip_depth", (), "dip_start", "dip_bottom"):
        depth = float(y[at[0]] - y[at[1]])
        s.put("dip_depth", depth, np.hypot(noise, m.scale_error * depth), at[1])
        forward = x[at[0] : at[1] + 1] - x[at[0]]
        k = at[0] + int(forward.argmax())
        error = np.hypot(noise, sideways_sigma(m, at[0], k))
        s.put("dip_forward", float(max(forward.max(), 0.0)), error, k)
        if not m.facing_told:  # a pull comes in toward the athlete; a dip tells nothing
            s.out["dip_forward"] = Measure(None, 0.0, UNITS["dip_forward"], None, WHICH_WAY)
    if at := s.needs("catch_drop", (), "peak_height", "catch"):
        s.put("catch_drop", y[at[0]] - y[at[1]], noise + abs(v[at[1]]) * 250 * m.spacing_s, at[1])
    s.put_sway()


def _legs(s: Sheet) -> None:
    m = s.ctx.motion
    if at := s.needs("dip_trunk_tilt", ("hip", "shoulder"), "dip_start", "dip_bottom"):
        part = slice(at[0], at[1] + 1)
        trunk = direction_deg(m.joints["hip"][part], m.joints["shoulder"][part])
        tilt = np.abs(trunk - trunk[0])
        k = at[0] + int(np.nanargmax(tilt))
        begun, tilted = (line_sigma(m, i, "hip", "shoulder") for i in (at[0], k))
        s.put("dip_trunk_tilt", float(np.nanmax(tilt)), float(np.hypot(begun, tilted)), k)
    if at := s.needs("knee_after_drive", ("ankle", "knee", "hip"), "drive_end", "peak_height"):
        part = slice(at[0], at[1] + 1)
        knee: FloatArray = included_deg(*(m.joints[n][part] for n in ("ankle", "knee", "hip")))
        # The knees straighten again as the lifter stands up; what counts is the drive's end.
        ended = int(np.searchsorted(m.t_s[part], m.t_s[at[0]] + STRAIGHT_S, side="right"))
        straight = int(np.nanargmax(knee[: max(ended, 1)]))
        after = knee[straight:]
        k = at[0] + straight + int(np.nanargmin(after))
        error = angle_sigma(m, k, "ankle", "knee", "hip")
        s.put("knee_after_drive", float(np.nanmin(after)), error, k)


def _split(s: Sheet) -> None:
    m = s.ctx.motion
    if at := s.needs("front_shin", ("ankle", "knee"), "bottom"):
        shin = float(direction_deg(m.joints["ankle"][at[0]], m.joints["knee"][at[0]]))
        s.put("front_shin", shin, inclination_sigma(m, at[0], "ankle", "knee"), at[0])
    if at := s.needs("rear_knee", ("ankle_rear", "knee_rear", "hip"), "bottom"):
        rear = (m.joints[n][at[0]] for n in ("ankle_rear", "knee_rear", "hip"))
        value = float(included_deg(*rear))
        s.put("rear_knee", value, angle_sigma(m, at[0], "ankle_rear", "knee_rear", "hip"), at[0])
    _recovery(s)


def _leaves(away: FloatArray, most_mm: float) -> int | None:
    """Sample at which a foot last goes further than so much from where it stood on its way to where
    it then stands, (N,) mm away: one that only seems to creep in the hold has not left it.
    """
    if not np.isfinite(away).any() or np.nanmax(away) <= LEFT_MM:
        return None
    halfway = int(np.argmax(away > 0.5 * np.nanmax(away)))
    still = np.flatnonzero(away[: halfway + 1] <= most_mm)
    return int(still[-1]) + 1 if len(still) else 0


def _recovery(s: Sheet) -> None:
    """By how much the rear foot leaves the hold before the front one; less than 0: after it."""
    m = s.ctx.motion
    at = s.needs("foot_order", ("toe", "toe_rear"), "bottom", "recovered")
    if at is None:
        return
    last = min(at[1] + round(AFTER_S / m.spacing_s), len(m.t_s) - 1)
    left, errors = [], []
    over = abs(float(m.joints["toe"][at[0], 1] - m.joints["toe_rear"][at[0], 1]))
    told = np.hypot(sigma_at(m, at[0], "toe"), sigma_at(m, at[0], "toe_rear"))
    if over > ON_FLOOR_SIGMAS * told:
        why = "in the hold one foot was seen off the floor, so it was not followed well"
        s.out["foot_order"] = Measure(None, 0.0, UNITS["foot_order"], None, why)
        return
    for name in ("toe", "toe_rear"):
        away = np.linalg.norm(m.joints[name][at[0] : last + 1] - m.joints[name][at[0]], axis=1)
        off = STEADY_SHARE * sigma_at(m, at[0], name)
        when = [_leaves(away, most) for most in (LEFT_MM, LEFT_MM - off, LEFT_MM + off)]
        if when[0] is None:
            why = "the feet were not followed until both had left the hold"
            s.out["foot_order"] = Measure(None, 0.0, UNITS["foot_order"], None, why)
            return
        left.append(at[0] + when[0])
        first, latest = (k if k is not None else len(away) - 1 for k in when[1:])
        errors.append(0.5 * (latest - first) * m.spacing_s)
    front, rear = left
    error = 1000.0 * float(np.linalg.norm(errors))
    early = 1000.0 * float(m.t_s[front] - m.t_s[rear])
    s.put("foot_order", early, np.hypot(error, 700.0 * m.spacing_s), min(front, rear))
